import { Button, Said } from '../../parts/controls'
import { Choice, LengthField, NumberField, TextField, Tick } from '../../parts/fields'
import { useUnits } from '../../parts/units'
import { blankMark, freshMark, type Article, type Drawn, type Mark, type Pattern } from './article'
import type { Act } from './pieceTools'

interface Shown {
  p: Pattern
  drawn: Drawn
  article: Article
  edge: number | null
  onEdge: (edge: number | null) => void
  at: string | null
  onMark: (id: string | null) => void
  change: (alter: (p: Pattern) => Pattern) => void
  onAct: (act: Act) => void
  onAdd: (mark: Mark) => void
}

/** What is pricked through or drawn on a piece. */
export function MarksPanel({
  p,
  drawn,
  article,
  edge,
  onEdge,
  at,
  onMark,
  change,
  onAct,
  onAdd,
}: Shown) {
  const units = useUnits()
  const chosen = edge === null ? undefined : drawn.edges[edge]
  const along = (kind: 'stitch' | 'glue' | 'skive') => {
    onAdd({ ...blankMark(kind, freshMark(kind, p)), ...(chosen && { run: chosen.run }) })
  }
  const others = article.pieces.filter((q) => q.slug !== p.slug)
  return (
    <div className="grid gap-3">
      <Choice
        label="Along"
        value={edge === null ? '' : String(edge)}
        options={[
          ['', 'the whole edge, all round'],
          ...drawn.edges.map(
            (e, i) => [String(i), `edge ${i + 1}, ${units.length(e.length_mm)}`] as const,
          ),
        ]}
        onChange={(v) => {
          onEdge(v === '' ? null : Number(v))
        }}
      />
      <div className="grid grid-cols-3 gap-2">
        <Button
          onClick={() => {
            along('stitch')
          }}
        >
          Stitch line
        </Button>
        <Button
          onClick={() => {
            along('glue')
          }}
        >
          Glue limit
        </Button>
        <Button
          onClick={() => {
            along('skive')
          }}
        >
          Skive
        </Button>
      </div>
      <span className="text-[13px] text-ink-soft">Where you press on the drawing</span>
      <div className="grid grid-cols-4 gap-2">
        <Button
          className="px-1"
          onClick={() => {
            onAct('hole')
          }}
        >
          Hole
        </Button>
        <Button
          className="px-1"
          onClick={() => {
            onAct('slot')
          }}
        >
          Slot
        </Button>
        <Button
          className="px-1"
          onClick={() => {
            onAct('fold')
          }}
        >
          Fold
        </Button>
        <Button
          className="px-1"
          onClick={() => {
            onAct('stamp')
          }}
        >
          Stamp
        </Button>
      </div>
      {others.length > 0 && (
        <Choice
          label="Where another piece sits"
          value=""
          options={[['', 'choose the piece …'], ...others.map((q) => [q.slug, q.name] as const)]}
          onChange={(piece) => {
            if (piece)
              onAdd({
                ...blankMark('place', freshMark('place', p)),
                piece,
                at: { x: Math.round(drawn.name_at.x), y: Math.round(drawn.name_at.y) },
              })
          }}
        />
      )}
      {p.marks.length === 0 && (
        <p className="border-t border-docket-line pt-3 text-ink-soft">
          Nothing is marked on it yet.
        </p>
      )}
      {p.marks.map((m) => (
        <OneMark
          key={m.id}
          mark={m}
          drawn={drawn}
          open={at === m.id}
          onOpen={() => {
            onMark(at === m.id ? null : m.id)
          }}
          alter={(to) => {
            change((q) => ({
              ...q,
              marks: q.marks.map((x) => (x.id === m.id ? { ...x, ...to } : x)),
            }))
          }}
          onRemove={() => {
            change((q) => ({ ...q, marks: q.marks.filter((x) => x.id !== m.id) }))
          }}
        />
      ))}
    </div>
  )
}

const SPACING = [
  ['nearest', 'set even in each run'],
  ['ease', 'keep the pitch, ease a few'],
  ['pitch', 'keep the pitch, last one short'],
] as const

function OneMark({
  mark: m,
  drawn,
  open,
  onOpen,
  alter,
  onRemove,
}: {
  mark: Mark
  drawn: Drawn
  open: boolean
  onOpen: () => void
  alter: (to: Partial<Mark>) => void
  onRemove: () => void
}) {
  const stitch = drawn.stitches.find((s) => s.mark === m.id)
  const at = m.at ?? null
  return (
    <section className="border-t border-docket-line pt-1" aria-label={`${m.kind} ${m.id}`}>
      <button
        type="button"
        className="flex min-h-11 w-full items-center gap-3 text-left"
        aria-expanded={open}
        onClick={onOpen}
      >
        <b>{m.kind}</b> {m.id !== m.kind && m.id}{' '}
        <span className="text-ink-soft">
          {m.run
            ? 'along an edge'
            : m.kind === 'stitch' || m.kind === 'glue' || m.kind === 'skive'
              ? m.path.length
                ? 'as drawn'
                : 'all round'
              : ''}
          {m.side === 'flesh' && ', flesh side'}
        </span>
        <span className="ml-auto">{open ? '−' : '+'}</span>
      </button>
      {stitch && (
        <p className={`text-sm ${stitch.divides ? 'text-sound' : ''}`}>
          <Said words={stitch.says} />.
          {!stitch.divides &&
            stitch.stitches > 0 &&
            Math.abs(stitch.nearest_pitch_mm - m.pitch_mm) > 0.004 && (
              <button
                type="button"
                className="ml-2 underline"
                onClick={() => {
                  alter({ pitch_mm: stitch.nearest_pitch_mm })
                }}
              >
                Take {stitch.nearest_pitch_mm} mm
              </button>
            )}
        </p>
      )}
      {open && (
        <div className="grid grid-cols-2 gap-x-4 gap-y-2 pb-3">
          {m.kind === 'stitch' && (
            <>
              {m.path.length === 0 && (
                <LengthField
                  label="Inside the edge"
                  mm={m.offset_mm}
                  onChange={(offset_mm) => {
                    alter({ offset_mm })
                  }}
                />
              )}
              <LengthField
                label="Pitch"
                mm={m.pitch_mm}
                onChange={(pitch_mm) => {
                  alter({ pitch_mm })
                }}
              />
              <Choice
                label="Where it does not divide"
                value={m.spacing}
                options={SPACING}
                onChange={(spacing) => {
                  alter({ spacing })
                }}
                className="col-span-2"
              />
            </>
          )}
          {(m.kind === 'hole' || m.kind === 'slot') && (
            <LengthField
              label={m.kind === 'hole' ? 'Punch' : 'Punch at its ends'}
              mm={m.width_mm}
              onChange={(width_mm) => {
                alter({ width_mm })
              }}
            />
          )}
          {(m.kind === 'slot' || m.kind === 'stamp') && (
            <LengthField
              label="Length"
              mm={m.length_mm}
              onChange={(length_mm) => {
                alter({ length_mm })
              }}
            />
          )}
          {(m.kind === 'glue' || m.kind === 'skive') && (
            <LengthField
              label="Width of the band"
              mm={m.width_mm}
              onChange={(width_mm) => {
                alter({ width_mm })
              }}
            />
          )}
          {m.kind === 'skive' && (
            <LengthField
              label="Thickness left"
              mm={m.left_mm}
              onChange={(left_mm) => {
                alter({ left_mm })
              }}
            />
          )}
          {m.kind === 'stamp' && (
            <TextField
              label="Which stamp"
              value={m.text}
              onChange={(text) => {
                alter({ text })
              }}
              className="col-span-2"
            />
          )}
          {at && (
            <LengthField
              label="x"
              mm={at.x}
              onChange={(x) => {
                alter({ at: { ...at, x } })
              }}
            />
          )}
          {at && (
            <LengthField
              label="y"
              mm={at.y}
              onChange={(y) => {
                alter({ at: { ...at, y } })
              }}
            />
          )}
          {(m.kind === 'slot' || m.kind === 'place' || m.kind === 'stamp') && (
            <NumberField
              label="Turned"
              value={m.turn_deg}
              after="°"
              onChange={(turn_deg) => {
                alter({ turn_deg })
              }}
            />
          )}
          {m.kind === 'place' && (
            <Tick
              label="mirrored"
              checked={m.mirrored}
              onChange={(mirrored) => {
                alter({ mirrored })
              }}
            />
          )}
          {m.kind === 'place' && (
            <Tick
              label="it covers: hidden under it"
              checked={m.covers}
              onChange={(covers) => {
                alter({ covers })
              }}
            />
          )}
          {m.kind === 'fold' &&
            m.path.map((q, i) => (
              <div key={i} className="col-span-2 flex gap-4">
                <LengthField
                  label={`x of end ${i + 1}`}
                  mm={q.x}
                  onChange={(x) => {
                    alter({ path: m.path.map((r, k) => (k === i ? { ...r, x } : r)) })
                  }}
                />
                <LengthField
                  label={`y of end ${i + 1}`}
                  mm={q.y}
                  onChange={(y) => {
                    alter({ path: m.path.map((r, k) => (k === i ? { ...r, y } : r)) })
                  }}
                />
              </div>
            ))}
          <Choice
            label="Marked on the"
            value={m.side}
            options={[
              ['grain', 'grain side'],
              ['flesh', 'flesh side'],
            ]}
            onChange={(side) => {
              alter({ side })
            }}
          />
          <Button className="self-end" onClick={onRemove}>
            Take it away
          </Button>
          {m.side === 'flesh' && (
            <p className="col-span-2 text-[13px] text-ink-soft">
              Drawn here as seen through from the grain side. Print “as it lies on the flesh side”
              to have it mirrored.
            </p>
          )}
        </div>
      )}
    </section>
  )
}
