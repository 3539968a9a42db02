import type { Schemas } from '../../api/client'
import { FIELD } from '../../parts/fields'
import { useUnits } from '../../parts/units'
import type { Draft } from './drafts'

export type Found = Schemas['FoundOut']

/** Where a piece lies in its drawing: what is said of it goes with that, however the drawing is read. */
export const placeOf = (p: Found) => `${p.at.x},${p.at.y},${p.length_mm}`

/** One piece of a drawing: whether it is taken, its name, how many are cut, its kind, how large it is. */
export function FoundRow({
  number,
  piece,
  draft,
  taken,
  kinds,
  onTake,
  onChange,
}: {
  number: number
  piece: Found
  draft: Draft
  taken: boolean
  kinds: string[]
  onTake: (taken: boolean) => void
  onChange: (draft: Draft) => void
}) {
  const units = useUnits()
  return (
    <div className="mt-2 grid grid-cols-[24px_1fr_56px_auto] items-center gap-2 border-t border-docket-line pt-2">
      <input
        type="checkbox"
        className="size-5"
        aria-label={`Take ${piece.pattern.name}`}
        checked={taken}
        onChange={(e) => {
          onTake(e.target.checked)
        }}
      />
      <input
        aria-label={`Name of piece ${number}`}
        className={`${FIELD} min-w-0`}
        value={draft.name}
        onChange={(e) => {
          onChange({ ...draft, name: e.target.value })
        }}
      />
      <input
        aria-label={`How many ${piece.pattern.name}`}
        type="number"
        min={0}
        className={`${FIELD} text-right`}
        value={draft.each}
        onChange={(e) => {
          onChange({ ...draft, each: Number(e.target.value) })
        }}
      />
      <label className="flex items-center gap-1 text-sm">
        <input
          type="checkbox"
          className="size-5"
          checked={draft.pair}
          onChange={(e) => {
            const pair = e.target.checked
            onChange({ ...draft, pair, each: pair && draft.each % 2 ? draft.each + 1 : draft.each })
          }}
        />
        pair
      </label>
      <span />
      <select
        aria-label={`Kind of ${piece.pattern.name}`}
        className={`${FIELD} min-w-0`}
        value={draft.kind}
        onChange={(e) => {
          onChange({ ...draft, kind: e.target.value })
        }}
      >
        {kinds.map((kind) => (
          <option key={kind}>{kind}</option>
        ))}
      </select>
      <span className="col-span-2 text-right text-sm whitespace-nowrap text-ink-soft">
        {units.length(piece.length_mm)} × {units.length(piece.width_mm)}
      </span>
    </div>
  )
}
