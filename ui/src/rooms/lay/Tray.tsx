import { PieceCard } from '../../hide/PieceCard'
import { tray } from './hand'
import type { Lay, Piece } from './lay'

/** The pieces that have no place yet: press one, and it is in the hand. */
export function Tray({
  lay,
  taken,
  onTake,
  onPoint,
}: {
  lay: Lay
  taken: string | null
  onTake: (piece: Piece) => void
  onPoint: (piece: string | null) => void
}) {
  const left = tray(lay)
  if (left.length === 0) return null
  return (
    <aside
      className="flex w-[104px] shrink-0 flex-col overflow-y-auto bg-bench-deep px-1.5 pb-2"
      aria-label="Tray"
    >
      <h2 className="py-1.5 text-center font-stamp text-chalk">Tray</h2>
      <ul className="flex flex-col gap-1.5">
        {left.map(({ piece, left: count }) => (
          <li key={piece.id}>
            <button
              type="button"
              aria-label={`Take ${piece.name} of ${piece.article} from the tray, ${count} left`}
              aria-pressed={taken === piece.id}
              className={`block w-full border-2 bg-docket p-1 text-ink ${taken === piece.id ? 'border-brass' : 'border-transparent hover:border-chalk'}`}
              onClick={() => {
                onTake(piece)
              }}
              onPointerEnter={() => {
                onPoint(piece.id)
              }}
              onPointerLeave={() => {
                onPoint(null)
              }}
            >
              <span className="flex items-center justify-between">
                <PieceCard rings={piece.rings} grainDeg={piece.grain_deg} size={46} />
                <span className="figure pr-1 text-2xl font-bold">{count}</span>
              </span>
              <span className="block truncate text-left text-[13px] leading-tight">
                {piece.name}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </aside>
  )
}
