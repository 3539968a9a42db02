import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
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
  const found = useWent(lay, hide)
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

/** What a lay's hand is busy with comes first: where the leather went is asked once it rests. */
const REST_MS = 500

function useWent(lay: Lay, hide: string) {
  const [head, setHead] = useState(lay.head)
  useEffect(() => {
    const timer = setTimeout(() => {
      setHead(lay.head)
    }, REST_MS)
    return () => {
      clearTimeout(timer)
    }
  }, [lay.head])
  return useQuery({
    queryKey: ['went', lay.id, head, hide],
    queryFn: ({ signal }) =>
      told(
        api.GET('/api/lays/{lay_id}/went/{hide}', {
          params: { path: { lay_id: lay.id, hide } },
          signal,
        }),
      ),
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  })
}

/** How much of each tightness of a hide lies under pieces. */
export function ByClass({ lay, hide }: { lay: Lay; hide: string }) {
  const found = useWent(lay, hide)
  return (
    <table className="w-full">
      <tbody>
        {found.data?.classes.map((c) => (
          <tr key={c.tightness}>
            <th scope="row" className="pr-2 text-left font-normal whitespace-nowrap">
              {c.name}
            </th>
            <td className="w-full">
              <div className="h-3 border border-ink/60">
                <div
                  className="h-full bg-ink/75"
                  style={{ width: cssShare(c.usable_m2 ? c.placed_m2 / c.usable_m2 : 0) }}
                />
              </div>
            </td>
            <td className="figure pl-2 text-right font-bold whitespace-nowrap">
              {percent(c.usable_m2 ? c.placed_m2 / c.usable_m2 : 0)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
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
