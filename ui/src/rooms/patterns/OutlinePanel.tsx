import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { Button, Said } from '../../parts/controls'
import { LengthField, TextField } from '../../parts/fields'
import { plural } from '../../parts/units'
import type { Pattern } from './article'
import type { Act } from './pieceTools'

export type Half = Schemas['WholeOut']

/**
 * The outline itself: its handles, the half turned over on its centre line, its scale, and taking
 * the piece away.
 */
export function OutlinePanel({
  p,
  half,
  onAct,
  onWhole,
  onLeave,
  change,
  base,
  onVariant,
  onRemove,
}: {
  p: Pattern
  half: Half | null
  onAct: (act: Act) => void
  onWhole: () => void
  onLeave: () => void
  change: (alter: (p: Pattern) => Pattern) => void
  /** The piece whose outline this one shares. */
  base: string | null
  onVariant: (name: string) => void
  onRemove: () => void
}) {
  const [variant, setVariant] = useState('')
  const [asking, setAsking] = useState(false)
  const scaled = (bar: number) => {
    const f = 100 / bar
    const by = (v: number) => Math.round(v * f * 1000) / 1000
    const xy = (q: { x: number; y: number }) => ({ x: by(q.x), y: by(q.y) })
    change((q) => ({
      ...q,
      contour: q.contour.map((n) => n.map(by)),
      windows: q.windows.map((w) => w.map((n) => n.map(by))),
      needs: { ...q.needs, hidden: q.needs.hidden.map((h) => h.map((n) => n.map(by))) },
      marks: q.marks.map((m) => ({
        ...m,
        path: m.path.map(xy),
        ...(m.at && { at: xy(m.at) }),
        ...(m.run && { run: { start: xy(m.run.start), end: xy(m.run.end) } }),
      })),
      edge_margins: q.edge_margins.map((e) => ({
        ...e,
        run: { start: xy(e.run.start), end: xy(e.run.end) },
      })),
      ...(q.centre_line && {
        centre_line: { start: xy(q.centre_line.start), end: xy(q.centre_line.end) },
      }),
      seam_lines: q.seam_lines.map((s) => ({ ...s, start: xy(s.start), end: xy(s.end) })),
    }))
  }
  return (
    <div className="grid gap-3">
      {base !== null && (
        <div className="border-l-4 border-brass bg-brass/15 px-3 py-2">
          <p>
            A variant of <b>{base}</b>: outline and margins are drawn there, once for both. Windows,
            marks and needs are its own.
          </p>
          <Button
            className="mt-2"
            onClick={() => {
              change((q) => ({ ...q, variant_of: '' }))
            }}
          >
            Make it a piece of its own
          </Button>
        </div>
      )}
      <p>
        {plural(p.contour.length, 'node')}. Squares are corners, rounds are bends. Drag one, or move
        it by the arrow keys (a tenth with Shift); <b>C</b> makes a corner of a bend and back,{' '}
        <b>D</b> puts one in, <b>Delete</b> takes one out.
      </p>
      <h3 className="border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        A half pattern
      </h3>
      {half ? (
        <>
          {half.says.length === 0 ? (
            <p className="font-semibold text-sound">
              ✓ The fold edge is straight (within {half.bow_mm} mm) and square at both ends.
            </p>
          ) : (
            half.says.map((s) => (
              <p key={s} className="border-l-4 border-unsound bg-unsound/10 px-3 py-2">
                <Said words={s} />
              </p>
            ))
          )}
          <div className="flex gap-2">
            <Button look="brass" onClick={onWhole}>
              Take the whole
            </Button>
            <Button onClick={onLeave}>Leave the half</Button>
          </div>
          <p className="text-sm text-ink-soft">Marks stay where they are on the half.</p>
        </>
      ) : (
        <>
          <p className="text-sm text-ink-soft">
            Mark the centre line, and the half is turned over on it.
          </p>
          <Button
            onClick={() => {
              onAct('centre')
            }}
          >
            Mark the centre line
          </Button>
        </>
      )}
      {base === null && (
        <>
          <h3 className="border-t border-docket-line pt-2 font-stamp text-lg font-bold">
            A variant of it
          </h3>
          <p className="text-sm text-ink-soft">
            The same outline with other windows or marks: corrected here once, counted apart.
          </p>
          <div className="flex flex-wrap items-end gap-2">
            <TextField live label="Name of the variant" value={variant} onChange={setVariant} />
            <Button
              disabled={variant.trim() === ''}
              onClick={() => {
                onVariant(variant.trim())
              }}
            >
              Make it
            </Button>
          </div>
        </>
      )}
      <h3 className="border-t border-docket-line pt-2 font-stamp text-lg font-bold">Its scale</h3>
      <LengthField
        label="A 100 mm bar on the print it came from measures"
        mm={100}
        onChange={scaled}
        hint="The outline and its marks are set right by it."
      />
      <h3 className="border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        Take the piece away
      </h3>
      {asking ? (
        <div className="flex items-center gap-2">
          From this revision? <Button onClick={onRemove}>Yes</Button>
          <Button
            onClick={() => {
              setAsking(false)
            }}
          >
            No
          </Button>
        </div>
      ) : (
        <Button
          onClick={() => {
            setAsking(true)
          }}
        >
          Take {p.name} away
        </Button>
      )}
    </div>
  )
}
