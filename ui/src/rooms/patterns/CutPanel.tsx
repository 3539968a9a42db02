import { useState } from 'react'
import { Button } from '../../parts/controls'
import { Choice, LengthField } from '../../parts/fields'
import { useUnits } from '../../parts/units'
import type { Drawn, Pattern, Run } from './article'
import { roundedWindow, type Node } from './contours'
import type { Act } from './pieceTools'

interface Shown {
  p: Pattern
  drawn: Drawn
  edge: number | null
  onEdge: (edge: number | null) => void
  change: (alter: (p: Pattern) => Pattern) => void
  onAct: (act: Act) => void
}
const TOOLS = [
  ['knife', 'knife'],
  ['shears', 'shears: 2 mm gap'],
  ['strap cutter', 'strap cutter'],
  ['die', 'die and press: 3 mm gap'],
] as const

const same = (a: Run, b: Run) =>
  Math.hypot(a.start.x - b.start.x, a.start.y - b.start.y) +
    Math.hypot(a.end.x - b.end.x, a.end.y - b.end.y) <
  0.5

/**
 * How a piece is cut: what is left beyond its finished edge, with which tool, and where it may be
 * made in two.
 */
export function CutPanel({ p, drawn, edge, onEdge, change, onAct }: Shown) {
  const units = useUnits()
  const chosen = edge === null ? undefined : drawn.edges[edge]
  const own = chosen && p.edge_margins.find((m) => same(m.run, chosen.run))
  const leave = (mm: number) => {
    if (!chosen) return
    change((q) => ({
      ...q,
      edge_margins: [
        ...q.edge_margins.filter((m) => !same(m.run, chosen.run)),
        ...(mm > 0 ? [{ run: chosen.run, mm }] : []),
      ],
    }))
  }
  return (
    <div className="grid gap-3">
      <Choice
        label="Cut with"
        value={p.tool}
        options={TOOLS}
        onChange={(tool) => {
          change((q) => ({ ...q, tool }))
        }}
      />
      {p.tool === 'die' && p.pair && (
        <p className="border-l-4 border-brass bg-brass/15 px-3 py-2 text-sm">
          One die cuts one hand only: this pair needs two dies.
        </p>
      )}
      {p.tool === 'die' && (
        <p className="text-sm text-ink-soft">
          Press: both hands clear, guards and two-hand control as fitted; follow its maker’s
          instructions and your local rules.
        </p>
      )}
      <h3 className="mt-1 border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        Cut rough
      </h3>
      <LengthField
        label="Left beyond the finished edge, all round"
        mm={p.margin_mm}
        onChange={(margin_mm) => {
          change((q) => ({ ...q, margin_mm }))
        }}
      />
      <Choice
        label="One edge left longer"
        value={edge === null ? '' : String(edge)}
        options={[
          ['', 'press an edge on the drawing, or choose'],
          ...drawn.edges.map(
            (e, i) => [String(i), `edge ${i + 1}, ${units.length(e.length_mm)}`] as const,
          ),
        ]}
        onChange={(v) => {
          onEdge(v === '' ? null : Number(v))
        }}
      />
      {chosen && (
        <LengthField
          label={`Left beyond edge ${(edge ?? 0) + 1}`}
          mm={own?.mm ?? 0}
          onChange={leave}
        />
      )}
      {p.edge_margins.map((m, i) => (
        <p key={i} className="flex items-center gap-3 border-b border-docket-line">
          <span>
            {units.length(m.mm)} left beyond{' '}
            {((k) => (k < 0 ? 'an edge that is gone' : `edge ${k + 1}`))(
              drawn.edges.findIndex((e) => same(e.run, m.run)),
            )}
          </span>
          <button
            type="button"
            className="ml-auto min-h-11 underline"
            onClick={() => {
              change((q) => ({ ...q, edge_margins: q.edge_margins.filter((_, k) => k !== i) }))
            }}
          >
            Take away
          </button>
        </p>
      ))}
      <h3 className="mt-1 border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        May be made in two
      </h3>
      <p className="text-sm text-ink-soft">
        A large piece is easier to place in parts, at the cost of a seam.
      </p>
      {p.seam_lines.map((s, i) => (
        <div key={s.id} className="flex items-end gap-3">
          <LengthField
            label={`${s.id}: allowance on both parts`}
            mm={s.allowance_mm}
            onChange={(allowance_mm) => {
              change((q) => ({
                ...q,
                seam_lines: q.seam_lines.map((x, k) => (k === i ? { ...x, allowance_mm } : x)),
              }))
            }}
          />
          <button
            type="button"
            className="min-h-11 underline"
            onClick={() => {
              change((q) => ({ ...q, seam_lines: q.seam_lines.filter((_, k) => k !== i) }))
            }}
          >
            Take away
          </button>
        </div>
      ))}
      <Button
        onClick={() => {
          onAct('seam')
        }}
        disabled={p.pair}
      >
        {p.pair ? 'A pair is cut whole' : 'Draw a seam line'}
      </Button>
      <h3 className="mt-1 border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        Windows
      </h3>
      {p.windows.map((_, i) => (
        <p key={i} className="flex items-center">
          Window {i + 1}
          <button
            type="button"
            className="ml-auto min-h-11 underline"
            onClick={() => {
              change((q) => ({ ...q, windows: q.windows.filter((_w, k) => k !== i) }))
            }}
          >
            Close it
          </button>
        </p>
      ))}
      <NewWindow
        x={drawn.name_at.x}
        y={drawn.name_at.y}
        onAdd={(window) => {
          change((q) => ({ ...q, windows: [...q.windows, window] }))
        }}
      />
    </div>
  )
}

/** A window by its measures; its corners are pricked with a round punch. */
function NewWindow({ x, y, onAdd }: { x: number; y: number; onAdd: (window: Node[]) => void }) {
  const [w, setW] = useState<{
    x?: number
    y?: number
    length: number
    width: number
    punch: number
  }>({ length: 40, width: 20, punch: 4 })
  const at = { x: w.x ?? Math.round(x), y: w.y ?? Math.round(y) }
  return (
    <div className="grid grid-cols-3 gap-x-3 gap-y-2">
      <LengthField
        label="Length"
        mm={w.length}
        onChange={(length) => {
          setW({ ...w, length })
        }}
        width="w-16"
      />
      <LengthField
        label="Width"
        mm={w.width}
        onChange={(width) => {
          setW({ ...w, width })
        }}
        width="w-16"
      />
      <LengthField
        label="Corner punch"
        mm={w.punch}
        onChange={(punch) => {
          setW({ ...w, punch })
        }}
        width="w-16"
      />
      <LengthField
        label="Middle x"
        mm={at.x}
        onChange={(to) => {
          setW({ ...w, x: to })
        }}
        width="w-16"
      />
      <LengthField
        label="Middle y"
        mm={at.y}
        onChange={(to) => {
          setW({ ...w, y: to })
        }}
        width="w-16"
      />
      <Button
        className="self-end px-1"
        onClick={() => {
          onAdd(roundedWindow(at, w.length, w.width, w.punch))
        }}
      >
        Cut it
      </Button>
    </div>
  )
}
