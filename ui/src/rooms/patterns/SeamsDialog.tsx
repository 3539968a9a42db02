import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { Button, Trouble, Said } from '../../parts/controls'
import { NumberField, LengthField, TextField } from '../../parts/fields'
import { plural, useUnits } from '../../parts/units'
import type { Article, Hand } from './article'

/**
 * How an article goes together: seams (thread, thickness where pieces meet), thread and hardware.
 */
export function SeamsDialog({ hand }: { hand: Hand }) {
  const [open, setOpen] = useState(false)
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button>Seams, hardware</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/50" />
        <Dialog.Content
          className="docket torn [--head:22px] fixed top-1/2 left-1/2 z-30 max-h-[92vh] w-[760px] max-w-[94vw] -translate-1/2 overflow-auto p-6 shadow-xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-stamp text-2xl font-bold">
            How it goes together
          </Dialog.Title>
          <Seams hand={hand} />
          <Trouble error={hand.refused} onPaper />
          <div className="mt-5 flex justify-end">
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function Seams({ hand }: { hand: Hand }) {
  const units = useUnits()
  const [chosen, setChosen] = useState<string[]>([])
  const [name, setName] = useState('')
  const view = hand.view
  if (!view) return null
  const { article } = view
  const change = (alter: (a: Article) => Article) => {
    void hand.change(alter)
  }
  const lines = article.pieces.flatMap((p) =>
    p.marks
      .filter((m) => m.kind === 'stitch')
      .map((m) => ({
        key: `${p.slug} ${m.id}`,
        piece: p.slug,
        mark: m.id,
        words: `${p.name}: ${m.id}`,
      })),
  )
  const figures = new Map(view.figures.seams.map((s) => [s.name, s]))
  return (
    <>
      <h3 className="mt-3 font-stamp text-lg font-bold">Seams</h3>
      {article.seams.length === 0 && (
        <p className="text-ink-soft">
          No seam is named yet. A seam joins stitch lines of two or more pieces; it gives stitches,
          thread and thickness.
        </p>
      )}
      {article.seams.map((seam, i) => {
        const f = figures.get(seam.name)
        const alter = (to: Partial<typeof seam>) => {
          change((a) => ({ ...a, seams: a.seams.map((s, k) => (k === i ? { ...s, ...to } : s)) }))
        }
        return (
          <div key={seam.name} className="border-b border-docket-line py-2">
            <div className="flex items-baseline gap-3">
              <strong>{seam.name}</strong>
              <span className="text-ink-soft">
                {seam.sides
                  .map(
                    (s) =>
                      `${article.pieces.find((p) => p.slug === s.piece)?.name ?? s.piece} (${s.mark})`,
                  )
                  .join(' to ')}
              </span>
              {hand.open && (
                <button
                  type="button"
                  className="ml-auto underline"
                  onClick={() => {
                    change((a) => ({ ...a, seams: a.seams.filter((_, k) => k !== i) }))
                  }}
                >
                  Take away
                </button>
              )}
            </div>
            <div className="mt-1 flex flex-wrap items-end gap-4">
              <NumberField
                label="in each article"
                value={seam.times}
                least={0}
                onChange={(times) => {
                  alter({ times: Math.round(times) })
                }}
                disabled={!hand.open}
                width="w-16"
                after="×"
              />
              <NumberField
                label="thread factor (4 to 6)"
                value={seam.factor}
                least={1}
                most={12}
                onChange={(factor) => {
                  alter({ factor })
                }}
                disabled={!hand.open}
                width="w-16"
                after="× run"
              />
              <LengthField
                label="each tail"
                mm={seam.tail_mm}
                onChange={(tail_mm) => {
                  alter({ tail_mm })
                }}
                disabled={!hand.open}
                width="w-20"
              />
              {f && (
                <p className="figure text-lg">
                  <b>{units.length(f.run_mm)}</b> run, <b>{f.stitches.join(' and ')}</b> stitches,{' '}
                  <b>{(f.thread_mm / 1000).toFixed(2)} m</b> thread,{' '}
                  {f.stack_mm === null ? (
                    'thickness not all known'
                  ) : (
                    <>
                      <b>{units.thickness(f.stack_mm)}</b> where {plural(f.layers, 'layer')} meet
                    </>
                  )}
                </p>
              )}
            </div>
          </div>
        )
      })}
      {hand.open && lines.length > 0 && (
        <form
          className="mt-3 grid gap-2"
          onSubmit={(e) => {
            e.preventDefault()
            if (!name.trim() || chosen.length === 0) return
            const sides = lines
              .filter((l) => chosen.includes(l.key))
              .map((l) => ({ piece: l.piece, mark: l.mark }))
            change((a) => ({
              ...a,
              seams: [...a.seams, { name: name.trim(), sides, times: 1, factor: 5, tail_mm: 150 }],
            }))
            setName('')
            setChosen([])
          }}
        >
          <span className="text-[13px] text-ink-soft">A new seam joins these stitch lines</span>
          <div className="grid max-h-40 grid-cols-2 gap-x-4 overflow-auto">
            {lines.map((l) => (
              <label key={l.key} className="flex min-h-9 items-center gap-2">
                <input
                  type="checkbox"
                  className="size-5"
                  checked={chosen.includes(l.key)}
                  onChange={(e) => {
                    setChosen(
                      e.target.checked ? [...chosen, l.key] : chosen.filter((k) => k !== l.key),
                    )
                  }}
                />
                <Said words={l.words} />
              </label>
            ))}
          </div>
          <div className="flex items-end gap-3">
            <TextField
              live
              label="Name of the seam"
              value={name}
              onChange={setName}
              className="flex-1"
            />
            <Button type="submit" disabled={chosen.length === 0}>
              Add the seam
            </Button>
          </div>
        </form>
      )}
      {hand.open && lines.length === 0 && (
        <p className="text-sm text-ink-soft">
          No piece has a stitch line yet: open a piece and give it one under Marks.
        </p>
      )}
      <div className="mt-4 grid grid-cols-2 gap-6">
        <div>
          <TextField
            label="Thread"
            value={article.thread}
            onChange={(thread) => {
              change((a) => ({ ...a, thread }))
            }}
            disabled={!hand.open}
          />
          <TextField
            label="Bench note"
            value={article.note}
            long
            onChange={(note) => {
              change((a) => ({ ...a, note }))
            }}
            disabled={!hand.open}
            className="mt-2"
          />
        </div>
        <div>
          <span className="text-[13px] text-ink-soft">Hardware for each article</span>
          {article.hardware.map((h, i) => (
            <div key={i} className="mb-1 flex items-end gap-2">
              <TextField
                label=""
                value={h.name}
                disabled={!hand.open}
                onChange={(to) => {
                  change((a) => ({
                    ...a,
                    hardware: a.hardware.map((x, k) => (k === i ? { ...x, name: to } : x)),
                  }))
                }}
                className="flex-1"
              />
              <NumberField
                label=""
                value={h.each}
                least={0}
                disabled={!hand.open}
                onChange={(each) => {
                  change((a) => ({
                    ...a,
                    hardware: a.hardware.map((x, k) =>
                      k === i ? { ...x, each: Math.round(each) } : x,
                    ),
                  }))
                }}
                width="w-16"
              />
              {hand.open && (
                <Button
                  aria-label={`Take ${h.name} away`}
                  onClick={() => {
                    change((a) => ({ ...a, hardware: a.hardware.filter((_, k) => k !== i) }))
                  }}
                >
                  ×
                </Button>
              )}
            </div>
          ))}
          {hand.open && (
            <Button
              onClick={() => {
                change((a) => ({
                  ...a,
                  hardware: [...a.hardware, { name: `rivet ${a.hardware.length + 1}`, each: 1 }],
                }))
              }}
            >
              Add hardware
            </Button>
          )}
        </div>
      </div>
    </>
  )
}
