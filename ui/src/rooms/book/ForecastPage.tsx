import * as Plot from '@observablehq/plot'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useCallback } from 'react'
import { Link, useParams } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Figure, Said, Trouble, Waiting } from '../../parts/controls'
import { isLive, useFollowedJob } from '../../parts/job'
import { cssShare, dayOf, plural, useUnits } from '../../parts/units'
import { BookFrame } from './BookFrame'
import { Chart, INK } from './Chart'
import { Sheet, Table } from './Sheet'

type Forecast = Schemas['ForecastOut']
type Part = Schemas['PartAnswer']

/** A forecast as far as it is: the advice, how sure it is, and what it rests on. */
export function ForecastPage() {
  const id = Number(useParams()['job'])
  const queries = useQueryClient()
  const asked = { params: { path: { job_id: id } } }
  const found = server.useQuery('get', '/api/buying/{job_id}', asked)
  const again = () => void queries.invalidateQueries(readFrom('/api/buying/{job_id}'))
  const job = useFollowedJob(found.data?.job, again)
  const stop = useMutation({
    mutationFn: () => told(api.POST('/api/jobs/{job_id}/stop', asked)),
    onSettled: again,
  })
  if (found.isPending)
    return (
      <BookFrame>
        <Waiting what="the forecast" />
      </BookFrame>
    )
  if (found.error)
    return (
      <BookFrame>
        <Trouble error={found.error} />
      </BookFrame>
    )
  const f = found.data
  const live = isLive(job)
  return (
    <BookFrame>
      <div className="mb-3 flex flex-wrap items-baseline gap-x-5">
        <Link to="/book/buying" className="text-chalk-dim hover:text-chalk">
          ← Buying
        </Link>
        <h2 className="font-stamp text-2xl font-bold">{f.title}</h2>
        <span className="text-chalk-dim">
          {f.material}, asked on {dayOf(f.asked_at)}
        </span>
      </div>
      {f.old.length > 0 && (
        <p role="alert" className="docket mb-3 border-l-4 border-unsound px-4 py-2">
          Out of date: {f.old.join('; ')}.{' '}
          <Link className="font-semibold underline" to="/book/buying">
            Ask anew
          </Link>
        </p>
      )}
      <div role="status" className="docket mb-3 flex items-center gap-4 px-4 py-2">
        <span className="whitespace-nowrap">
          {f.worlds} of {f.of} deliveries laid
          {live
            ? f.worlds < ROUGH * f.parts.length
              ? ': a rough answer so far'
              : ', still going on'
            : job?.state === 'stopped'
              ? ', then stopped'
              : ': firm'}
        </span>
        <div className="h-3 flex-1 border border-ink/60">
          <div
            className="h-full bg-brass"
            style={{ width: cssShare(f.worlds / Math.max(1, f.of)) }}
          />
        </div>
        {live && (
          <Button
            look="stop"
            disabled={stop.isPending}
            onClick={() => {
              stop.mutate()
            }}
          >
            Stop, keep what it found
          </Button>
        )}
      </div>
      {f.parts.length === 0 && (
        <p className="text-lg text-chalk-dim">The first delivery is being laid.</p>
      )}
      <div className="grid gap-4 xl:grid-cols-[minmax(0,1fr)_400px]">
        <div className="grid content-start gap-4">
          {f.parts.map((p) => (
            <Advice key={p.name} part={p} margin={f.margin} />
          ))}
        </div>
        <div className="grid content-start gap-4">
          {f.parts.length > 1 && <SideBySide forecast={f} />}
          <Sheet title="What this rests on">
            <ul className="grid gap-1">
              {f.rests.map((r) => (
                <li key={r}>
                  <Said words={r} />
                </li>
              ))}
            </ul>
          </Sheet>
        </div>
      </div>
    </BookFrame>
  )
}

/** Deliveries of each kind of leather until an answer is more than a guess. */
const ROUGH = 20

const inHundred = (share: number) => {
  const of = share * 100
  return of > 99 && of < 100 ? '99' : of.toFixed(0)
}

function Advice({ part: p, margin }: { part: Part; margin: number }) {
  const units = useUnits()
  const chances = p.chances.filter((c) => c.hides > 0)
  const draw = useCallback(
    (width: number): Plot.PlotOptions => ({
      marginLeft: Math.min(150, width * 0.22),
      marginRight: 120,
      marginTop: 4,
      marginBottom: 4,
      x: { axis: null, domain: [0, 1] },
      y: { domain: chances.map((c) => plural(c.hides, 'hide')), label: null, tickSize: 0 },
      marks: [
        Plot.barX(chances, {
          x: 'enough',
          y: (c: (typeof chances)[number]) => plural(c.hides, 'hide'),
          fill: (c: (typeof chances)[number]) => (c.hides === p.buy ? INK.brass : INK.card),
          stroke: INK.ink,
          strokeWidth: 1,
          insetTop: 3,
          insetBottom: 3,
        }),
        Plot.ruleX([1 - margin], { stroke: INK.unsound, strokeDasharray: '5 4', strokeWidth: 2 }),
        Plot.text(chances, {
          x: 1,
          y: (c: (typeof chances)[number]) => plural(c.hides, 'hide'),
          text: (c: (typeof chances)[number]) => `${inHundred(c.enough)} in 100`,
          dx: 10,
          textAnchor: 'start',
          fontWeight: 'bold',
        }),
      ],
    }),
    // oxlint-disable-next-line react-hooks/exhaustive-deps -- the chances are one answer's
    [p, margin],
  )
  const next = p.next_hide
  return (
    <Sheet title={p.name}>
      <p className="text-2xl">
        Buy <b className="figure text-4xl">{p.buy}</b> {p.buy === 1 ? 'hide' : 'hides'}, about{' '}
        {units.area(p.buy * p.source.area_m2)} for {units.money(p.cost)}
      </p>
      {p.short > margin && (
        <p className="mt-1 border-l-4 border-brass px-3">
          {plural(p.worlds, 'delivery is', 'deliveries are')} too few to promise that much yet.
        </p>
      )}
      <p className="mt-1">
        Enough in {inHundred(1 - p.short)} of 100 such orders ({inHundred(1 - p.short_high)} to{' '}
        {inHundred(1 - p.short_low)} by what was laid so far:{' '}
        {plural(p.worlds, 'delivery', 'deliveries')}
        {p.patient > 0 && `, ${p.patient} of them patiently`}).
      </p>
      {p.never > 0 && (
        <p className="mt-1 border-l-4 border-unsound bg-unsound/10 px-3 py-1.5">
          In some deliveries {plural(p.never, 'piece')} found no place on any hide: this leather
          does not bear all that the order needs.
        </p>
      )}
      <div className="mt-2 grid items-start gap-x-6 lg:grid-cols-[minmax(0,1fr)_260px]">
        <Chart
          label={`How often so many hides of ${p.name} are enough`}
          height={34 * chances.length + 8}
          draw={draw}
        />
        <Table
          label={`How often so many hides of ${p.name} are enough`}
          head={['hides', 'enough', 'likely']}
          rows={chances.map((c) => ({
            key: String(c.hides),
            strong: c.hides === p.buy,
            cells: [
              c.hides,
              `${inHundred(c.enough)} in 100`,
              `${inHundred(c.low)} to ${inHundred(c.high)}`,
            ],
          }))}
        />
      </div>
      <div className="mt-3 flex flex-wrap gap-x-9 gap-y-2">
        <Figure
          label="leather for one article"
          note={`eight of ten orders: ${units.money(p.each.least)} to ${units.money(p.each.most)}`}
        >
          {units.money(p.each.mean)}
        </Figure>
        <Figure label="hides used up, on average">{p.hides.toFixed(1)}</Figure>
      </div>
      <p className="mt-2 border-t border-docket-line pt-2">
        <b>One hide more</b> costs {units.money(next.cost)}, of which {units.money(next.left)} lies
        on the rack afterwards.{' '}
        {next.worth_if === null
          ? 'It makes being short no rarer.'
          : `It pays where being short costs you more than ${units.money(next.worth_if)}, counting a tenth of what lies on the rack as its cost.`}
      </p>
    </Sheet>
  )
}

/** Whether a leather is the cheaper one for an order, as far as that is sure. */
const beside = (p: Part) => {
  const price = p.source.price_per_m2
  if (price < (p.break_even?.low ?? 0)) return 'is the cheaper'
  if (price > (p.break_even?.high ?? 0)) return 'is the dearer'
  return 'is neither surely the cheaper nor the dearer'
}

/** Kinds of leather beside each other: what an article costs in each, and at what price they are even. */
function SideBySide({ forecast: f }: { forecast: Forecast }) {
  const units = useUnits()
  const parts = f.parts
  const draw = useCallback(
    (width: number): Plot.PlotOptions => {
      const shown = parts.map((p) => ({
        name: p.source.grade
          ? `${p.source.mill || p.source.grade} ${p.source.mill && p.source.grade}`
          : p.name,
        ...p.each,
        low: p.each.low ?? p.each.mean,
        high: p.each.high ?? p.each.mean,
      }))
      return {
        marginLeft: Math.min(120, width * 0.33),
        marginRight: 12,
        marginBottom: 30,
        marginTop: 4,
        x: { label: null, nice: true, ticks: 4, grid: true },
        y: { domain: shown.map((s) => s.name), label: null, tickSize: 0 },
        marks: [
          Plot.ruleY(shown, {
            y: 'name',
            x1: 'least',
            x2: 'most',
            stroke: INK.soft,
            strokeWidth: 1.5,
          }),
          Plot.ruleY(shown, {
            y: 'name',
            x1: 'low',
            x2: 'high',
            stroke: INK.soft,
            strokeOpacity: 0.4,
            strokeWidth: 10,
          }),
          Plot.dot(shown, { y: 'name', x: 'mean', r: 6, fill: INK.leather, stroke: INK.ink }),
        ],
      }
    },
    // oxlint-disable-next-line react-hooks/exhaustive-deps -- the parts are one answer's
    [f],
  )
  return (
    <Sheet title="Side by side">
      <p className="text-ink-soft">What the leather for one article costs in each.</p>
      <Chart
        label="Leather for one article, by kind of leather"
        height={36 * parts.length + 34}
        draw={draw}
      />
      <Table
        label="Leather for one article, by kind of leather"
        head={['', 'buy', 'an article', 'even at']}
        rows={parts.map((p) => ({
          key: p.name,
          cells: [
            p.name,
            p.buy,
            units.money(p.each.mean),
            p.break_even === null ? 'the first' : `${units.money(p.break_even.price_per_m2)} a m²`,
          ],
        }))}
      />
      {parts
        .filter((p) => p.break_even !== null)
        .map((p) => (
          <p key={p.name} className="mt-2">
            {p.name} {beside(p)} for this order at {units.money(p.source.price_per_m2)} a m²; it
            would be even at {units.money(p.break_even?.price_per_m2 ?? 0)} (
            {units.money(p.break_even?.low ?? 0)} to {units.money(p.break_even?.high ?? 0)}).
          </p>
        ))}
    </Sheet>
  )
}
