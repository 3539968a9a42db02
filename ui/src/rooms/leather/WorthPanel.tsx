import { Link } from 'react-router'
import { server } from '../../api/client'
import { Figure, Trouble, Waiting, Said } from '../../parts/controls'
import { cssShare, percent, useUnits } from '../../parts/units'
import type { Known } from './hide'

const useWorth = (id: number) =>
  server.useQuery('get', '/api/leather/hides/{hide_id}/worth', {
    params: { path: { hide_id: id } },
  })

/** The best block and the longest strap, drawn on the hide. */
export function WorthMarks({ id, scale }: { id: number; scale: number }) {
  const worth = useWorth(id)
  const units = useUnits()
  const { block, strap } = worth.data ?? {}
  const words = {
    fontSize: 15 / scale,
    fill: '#fffdf6',
    stroke: '#1a1512',
    strokeWidth: 4 / scale,
    paintOrder: 'stroke',
  } as const
  return (
    <g pointerEvents="none">
      {block && (
        <>
          <rect
            x={block.x}
            y={block.y}
            width={block.length_mm}
            height={block.depth_mm}
            fill="#d9a441"
            fillOpacity={0.22}
            stroke="#ffd76a"
            strokeWidth={3 / scale}
          />
          <text
            x={block.x + block.length_mm / 2}
            y={block.y + block.depth_mm - 12 / scale}
            textAnchor="middle"
            {...words}
          >
            clean block, {units.length(block.length_mm)} × {units.length(block.depth_mm)}
          </text>
        </>
      )}
      {strap && (
        <g transform={`translate(${strap.x},${strap.y}) rotate(${strap.deg})`}>
          <rect
            width={strap.length_mm}
            height={strap.width_mm}
            fill="#f4f1e8"
            fillOpacity={0.3}
            stroke="#fffdf6"
            strokeWidth={2 / scale}
            strokeDasharray={`${12 / scale} ${5 / scale}`}
          />
          <text
            x={strap.length_mm / 2}
            y={strap.width_mm - 6 / scale}
            textAnchor="middle"
            {...words}
          >
            strap, {units.length(strap.length_mm)}
          </text>
        </g>
      )}
    </g>
  )
}

/**
 * What a hide is worth: by tightness, to each article, and which open batch it suits best, with the
 * reason.
 */
export function WorthPanel({ id, known }: { id: number; known: Known }) {
  const worth = useWorth(id)
  const units = useUnits()
  const { rack } = known
  if (worth.isPending) return <Waiting what="what it is worth" />
  if (!worth.data) return <Trouble error={worth.error} onPaper />
  const w = worth.data
  return (
    <div>
      {!(known.enough && rack.measured) && (
        <p className="mb-3 border-l-4 border-brass bg-brass/15 px-3 py-2">
          A guess as yet: {rack.measured ? known.looked : `not measured, ${known.looked}`}.
        </p>
      )}
      <div className="grid grid-cols-2 gap-x-6 gap-y-2">
        <Figure
          label="Usable"
          note={`${percent(w.usable_m2 / rack.area_m2)} of ${units.area(rack.area_m2)}`}
        >
          {units.area(w.usable_m2)}
        </Figure>
        <Figure label="A usable m² costs" note={`bought at ${units.money(rack.cost_per_m2)}`}>
          {w.cost_per_usable_m2 === null ? '–' : units.money(w.cost_per_usable_m2)}
        </Figure>
      </div>
      <h2 className="mt-4 font-stamp text-xl font-bold">Which batch does it suit?</h2>
      {w.batches.length === 0 && <p>No open batch cuts {rack.material}.</p>}
      <ol aria-label="Batches it suits, best first">
        {w.batches.map((b, i) => (
          <li key={b.batch_id} className="border-b border-docket-line py-2">
            <Link
              to={`/batches/${b.batch_id}`}
              className="flex min-h-9 items-baseline gap-3 hover:underline"
            >
              <span className="figure text-lg font-bold whitespace-nowrap">{b.batch}</span>
              <span className="truncate">{b.name}</span>
              {b.chosen && (
                <span className="ml-auto shrink-0 text-sm font-semibold text-sound">
                  kept for it
                </span>
              )}
              {!b.chosen && i === 0 && b.score > 0 && (
                <span className="ml-auto shrink-0 text-sm font-semibold">best</span>
              )}
            </Link>
            <p className="text-sm text-ink-soft">
              <Said words={b.reason} />
            </p>
          </li>
        ))}
      </ol>
      {rack.classes.length > 0 && (
        <h2 className="mt-4 font-stamp text-xl font-bold">By tightness</h2>
      )}
      <table className="mt-1 w-full">
        <tbody>
          {rack.classes.map((c) => (
            <tr key={c.tightness}>
              <th scope="row" className="pr-3 text-left font-normal">
                {c.name}
              </th>
              <td className="w-1/2">
                <div
                  className="h-3 bg-ink/75"
                  style={{ width: cssShare(c.usable_m2 / rack.usable_m2) }}
                />
              </td>
              <td className="figure pl-3 text-right font-bold">{units.area(c.usable_m2)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="mt-4 font-stamp text-xl font-bold">To each article</h2>
      <table className="mt-1 w-full text-sm">
        <thead>
          <tr className="text-left text-ink-soft">
            <th className="font-normal">article</th>
            <th className="text-right font-normal">some piece</th>
            <th className="text-right font-normal">every piece</th>
            <th className="text-right font-normal">m² costs</th>
          </tr>
        </thead>
        <tbody>
          {w.articles.map((a) => (
            <tr key={a.article} className="border-t border-docket-line align-baseline">
              <th scope="row" className="py-1 text-left font-normal">
                {a.name}
                {a.never.length > 0 && (
                  <span className="block text-unsound">no place for {a.never.join(', ')}</span>
                )}
              </th>
              <td className="figure text-right">{units.area(a.any_m2)}</td>
              <td className="figure text-right">{units.area(a.all_m2)}</td>
              <td className="figure text-right">{a.cost === null ? '–' : units.money(a.cost)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {rack.kind !== 'roll' && (
        <p className="mt-3 text-sm text-ink-soft">
          Longest strap of {w.strap ? units.length(w.strap.width_mm) : ''} width:{' '}
          {w.strap ? units.length(w.strap.length_mm) : 'none'}. Largest clean block:{' '}
          {w.block
            ? `${units.length(w.block.length_mm)} × ${units.length(w.block.depth_mm)}`
            : 'none'}
          . Both in tight or firm leather without a blemish.
        </p>
      )}
    </div>
  )
}
