import { useQueries } from '@tanstack/react-query'
import { Link, useSearchParams } from 'react-router'
import { server } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { leatherColour } from '../../hide/paths'
import { Trouble, Waiting } from '../../parts/controls'
import { percent, useUnits } from '../../parts/units'

/** Hides side by side at one scale, with what each is worth. */
export function CompareRoom() {
  const [search] = useSearchParams()
  const ids = (search.get('ids') ?? '').split(',').map(Number).filter(Boolean)
  const units = useUnits()
  const rack = server.useQuery('get', '/api/leather')
  const worths = useQueries({
    queries: ids.map((id) =>
      server.queryOptions('get', '/api/leather/hides/{hide_id}/worth', {
        params: { path: { hide_id: id } },
      }),
    ),
  })
  if (rack.isPending) return <Waiting what="the hides" />
  const own = ids.flatMap((id, i) => {
    const hide = rack.data?.find((h) => h.id === id)
    return hide ? [{ hide, worth: worths[i]?.data }] : []
  })
  if (own.length === 0)
    return (
      <div className="p-8">
        <Trouble error={rack.error ?? new Error('None of these hides is on the rack any more.')} />
        <Link className="mt-3 inline-block underline" to="/leather">
          Back to the rack
        </Link>
      </div>
    )
  const wide = Math.max(...own.map(({ hide }) => hide.shape.bounds.x1))
  const deep = Math.max(...own.map(({ hide }) => hide.shape.bounds.y1))
  const columns = Math.min(own.length, 3)
  const slot = 1180 / columns
  const scale = slot / wide
  const least = Math.min(...own.map(({ worth }) => worth?.cost_per_usable_m2 ?? Infinity))
  const rows: [string, (o: (typeof own)[number]) => string][] = [
    ['area', ({ hide }) => units.area(hide.area_m2)],
    [
      'usable',
      ({ hide }) => `${units.area(hide.usable_m2)}, ${percent(hide.usable_m2 / hide.area_m2)}`,
    ],
    [
      'tight and firm',
      ({ hide }) =>
        units.area(
          hide.classes
            .filter((c) => c.tightness === 1 || c.tightness === 2)
            .reduce((s, c) => s + c.usable_m2, 0),
        ),
    ],
    [
      'a usable m² costs',
      ({ worth }) =>
        worth?.cost_per_usable_m2
          ? `${units.money(worth.cost_per_usable_m2)}${worth.cost_per_usable_m2 === least && own.length > 1 ? ', least' : ''}`
          : '…',
    ],
    [
      'clean block',
      ({ worth }) =>
        worth
          ? worth.block
            ? `${units.length(worth.block.length_mm)} × ${units.length(worth.block.depth_mm)}`
            : 'none'
          : '…',
    ],
    [
      'longest strap',
      ({ worth }) => (worth ? (worth.strap ? units.length(worth.strap.length_mm) : 'none') : '…'),
    ],
    [
      'flaws',
      ({ hide }) =>
        ['surface', 'blemish', 'unsound']
          .map((n, i) => `${hide.flaws_by_severity[i] ?? 0} ${n}`)
          .join(', '),
    ],
    [
      'suits best',
      ({ worth }) => {
        const b = worth?.batches[0]
        return b && b.score > 0 ? `${b.batch}: ${b.reason}` : worth ? 'no open batch' : '…'
      },
    ],
  ]
  return (
    <div className="h-full overflow-auto px-5 pb-6">
      <div className="flex items-baseline gap-4 pt-3">
        <Link to="/leather" className="min-h-9 content-center text-chalk-dim hover:text-chalk">
          ← The rack
        </Link>
        <h1 className="font-stamp text-2xl font-bold">
          {own.map(({ hide }) => hide.number).join(', ')} at one scale
        </h1>
      </div>
      <div
        className="mt-3 grid gap-x-6 gap-y-6"
        style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}
      >
        {own.map((o) => (
          <article key={o.hide.id}>
            <svg width="100%" viewBox={`0 0 ${slot} ${deep * scale + 10}`} aria-hidden>
              <line x1={0} x2={slot} y1={3} y2={3} stroke="#c68f2d" strokeWidth={4} />
              <g transform={`translate(0,6) scale(${scale * 0.985})`}>
                <HideDrawing
                  hide={o.hide.shape}
                  colour={leatherColour(o.hide.colour)}
                  scale={scale}
                />
              </g>
            </svg>
            <div className="docket torn px-4 pt-2 pb-3">
              <h2 className="flex items-baseline gap-3">
                <Link
                  className="figure text-2xl font-bold hover:underline"
                  to={`/leather/${o.hide.id}?tab=worth`}
                >
                  {o.hide.number}
                </Link>
                <span className="truncate text-ink-soft">
                  {o.hide.kind} of {o.hide.mill}, grade {o.hide.grade}
                </span>
              </h2>
              <dl className="grid grid-cols-[130px_1fr] gap-x-3">
                {rows.map(([name, value]) => (
                  <div key={name} className="contents">
                    <dt className="border-t border-docket-line py-1 text-ink-soft">{name}</dt>
                    <dd className="border-t border-docket-line py-1 font-semibold">{value(o)}</dd>
                  </div>
                ))}
              </dl>
              {!(o.hide.measured && o.hide.looked_enough) && (
                <p className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-1">
                  {o.hide.measured ? o.hide.looked : 'not measured yet'}
                </p>
              )}
            </div>
          </article>
        ))}
      </div>
    </div>
  )
}
