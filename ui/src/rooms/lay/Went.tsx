import { useQuery } from '@tanstack/react-query'
import { api, told, type Schemas } from '../../api/client'
import { pathOf } from '../../hide/paths'
import { cssShare, percent, useUnits } from '../../parts/units'
import type { Lay } from './lay'

export type Step = Schemas['WentStep']

/** Where the leather of a hide went, each step with its ground: pointed at, it lights up. */
export function Went({
  lay,
  hide,
  onLight,
}: {
  lay: Lay
  hide: string
  onLight: (step: Step | null) => void
}) {
  const units = useUnits()
  const found = useQuery({
    queryKey: ['went', lay.id, lay.head, hide],
    queryFn: ({ signal }) =>
      told(
        api.GET('/api/lays/{lay_id}/went/{hide}', {
          params: { path: { lay_id: lay.id, hide } },
          signal,
        }),
      ),
    staleTime: Infinity,
  })
  return (
    <div className="min-h-0">
      <div className="text-[13px] text-ink-soft">
        Where the leather of {hide} went
        {found.data && `, ${units.area(found.data.whole_m2)} bought`}
      </div>
      <ul className="max-h-[150px] overflow-auto" aria-label={`Where the leather of ${hide} went`}>
        {largestFirst(found.data?.steps ?? []).map((step, i) => (
          <li key={i}>
            <button
              type="button"
              className="grid min-h-7 w-full grid-cols-[1fr_auto] items-center gap-x-2 text-left text-sm hover:bg-card focus-visible:bg-card"
              title={`${units.area(step.m2)}, ${units.money(step.money)}`}
              onPointerEnter={() => {
                onLight(step)
              }}
              onPointerLeave={() => {
                onLight(null)
              }}
              onFocus={() => {
                onLight(step)
              }}
              onBlur={() => {
                onLight(null)
              }}
            >
              <span className="min-w-0">
                <span className="block truncate">{step.words}</span>
                <span className="block h-1.5 border border-ink/50">
                  <span
                    className={`block h-full ${step.kind === 'pieces' ? 'bg-sound' : step.kind === 'remnant' ? 'bg-brass' : 'bg-ink/70'}`}
                    style={{ width: cssShare(step.share) }}
                  />
                </span>
              </span>
              <span className="figure text-right">
                <b>{percent(step.share, 1)}</b>
                <span className="block text-[12px] text-ink-soft">{units.money(step.money)}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  )
}

/** What is in pieces, then the rest, the largest first. */
const largestFirst = (steps: Step[]) =>
  [...steps].sort(
    (a, b) => Number(b.kind === 'pieces') - Number(a.kind === 'pieces') || b.m2 - a.m2,
  )

/** The ground of a step, lit up on the hide. */
export function LitStep({ step }: { step: Step }) {
  return (
    <path
      d={pathOf(step.rings)}
      fill="#fff3c4"
      fillOpacity={0.62}
      fillRule="evenodd"
      stroke="#211c17"
      strokeWidth={1.5}
      vectorEffect="non-scaling-stroke"
      pointerEvents="none"
      data-step={step.kind}
    />
  )
}
