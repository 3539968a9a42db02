import * as Plot from '@observablehq/plot'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useCallback, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Figure, Said, Trouble, Waiting } from '../../parts/controls'
import { FIELD } from '../../parts/fields'
import { isLive, useFollowedJob } from '../../parts/job'
import { cssShare, dayOf, plural, useUnits } from '../../parts/units'
import { Only } from '../people/Only'
import { BookFrame } from './BookFrame'
import { Chart, INK } from './Chart'
import { Sheet, Table } from './Sheet'

type Forecast = Schemas['ForecastOut']
type Part = Schemas['PartAnswer']

/** How many hides to buy: what for, of which leather, how sure. */
export function BuyingPage() {
  const [params] = useSearchParams()
  const batches = server.useQuery('get', '/api/batches')
  const articles = server.useQuery('get', '/api/articles')
  const before = server.useQuery('get', '/api/buying')
  const [what, setWhat] = useState(params.get('batch') ? `b${params.get('batch') ?? ''}` : '')
  const [quantity, setQuantity] = useState(10)
  const [season, setSeason] = useState<Record<number, number>>({})
  const [material, setMaterial] = useState('')
  const [margin, setMargin] = useState(5)
  const [rack, setRack] = useState(false)
  const [chosen, setChosen] = useState<string[]>([])
  const [stated, setStated] = useState<Schemas['StatedIn'] | null>(null)
  const go = useNavigate()
  const open = batches.data?.filter((b) => b.standing === 'open' && b.state !== 'cut') ?? []
  const batch = what.startsWith('b') ? open.find((b) => b.id === Number(what.slice(1))) : undefined
  const article = what.startsWith('a')
    ? articles.data?.find((a) => a.id === Number(what.slice(1)))
    : undefined
  const wanted =
    what === 's'
      ? Object.entries(season)
          .filter(([, n]) => n > 0)
          .map(([a, n]) => ({ article_id: Number(a), quantity: n }))
      : article
        ? [{ article_id: article.id, quantity }]
        : []
  const made = articles.data?.filter((a) => wanted.some((w) => w.article_id === a.id)) ?? []
  const materials = batch
    ? [
        ...new Set(
          batch.lines.flatMap(
            (l) =>
              articles.data?.find((a) => a.name === l.name)?.pieces.map((p) => p.material) ?? [],
          ),
        ),
      ]
    : [...new Set(made.flatMap((a) => a.pieces.map((p) => p.material)))]
  const leather = materials.includes(material) ? material : (materials[0] ?? '')
  const sources = server.useQuery(
    'get',
    '/api/buying/sources',
    { params: { query: { material: leather } } },
    { enabled: leather !== '' },
  )
  const own = chosen.filter((c) => sources.data?.some((s) => s.name === c))
  const begin = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/buying', {
          body: {
            batch_id: batch?.id ?? null,
            lines: wanted,
            material: leather,
            sources: [
              ...own.map((name) => ({ name, price_per_m2: null, stated: null })),
              ...(stated ? [{ name: '', price_per_m2: null, stated }] : []),
            ],
            margin: margin / 100,
            use_rack: rack,
            gap_mm: 0,
          },
        }),
      ),
    onSuccess: (job) => go(`/book/buying/${job.id}`),
  })
  return (
    <BookFrame>
      <div className="grid max-w-6xl gap-4 lg:grid-cols-[minmax(0,1fr)_340px]">
        <Sheet title="How many hides to buy">
          <p className="mb-3 text-ink-soft">
            The order is laid on many made-up hides, flawed as yours are. A rough answer stands here
            within ten seconds; a firm one follows by itself.
          </p>
          <div className="grid gap-3">
            <div className="flex flex-wrap items-center gap-3">
              <label className="flex items-center gap-2 text-lg">
                for
                <select
                  aria-label="what for"
                  className={`${FIELD} text-lg`}
                  value={what}
                  onChange={(e) => {
                    setWhat(e.target.value)
                  }}
                >
                  <option value="">a batch, an article, a season</option>
                  <option value="s">a season: several articles</option>
                  {open.map((b) => (
                    <option key={b.id} value={`b${b.id}`}>
                      batch {b.number} {b.name}
                    </option>
                  ))}
                  {articles.data?.map((a) => (
                    <option key={a.id} value={`a${a.id}`}>
                      {a.name}
                    </option>
                  ))}
                </select>
              </label>
              {article && (
                <label className="flex items-center gap-2 text-lg">
                  how many
                  <input
                    type="number"
                    min={1}
                    max={100000}
                    className={`${FIELD} w-28 text-lg`}
                    value={quantity}
                    onChange={(e) => {
                      setQuantity(Math.max(1, Number(e.target.value)))
                    }}
                  />
                </label>
              )}
              {what === 's' && (
                <div className="grid w-full gap-1.5 sm:grid-cols-2">
                  {articles.data?.map((a) => (
                    <label key={a.id} className="flex items-center justify-between gap-3">
                      {a.name}
                      <input
                        type="number"
                        min={0}
                        max={100000}
                        className={`${FIELD} w-28`}
                        value={season[a.id] ?? 0}
                        onChange={(e) => {
                          setSeason({ ...season, [a.id]: Math.max(0, Number(e.target.value)) })
                        }}
                      />
                    </label>
                  ))}
                </div>
              )}
              {materials.length > 1 && (
                <label className="flex items-center gap-2 text-lg">
                  of
                  <select
                    aria-label="material"
                    className={`${FIELD} text-lg`}
                    value={leather}
                    onChange={(e) => {
                      setMaterial(e.target.value)
                    }}
                  >
                    {materials.map((m) => (
                      <option key={m}>{m}</option>
                    ))}
                  </select>
                </label>
              )}
            </div>
            {leather !== '' && (
              <fieldset>
                <legend className="text-lg">of which leather</legend>
                {sources.data?.length === 0 && (
                  <p className="text-ink-soft">
                    The shop has no records of {leather} yet: say below what it is like.
                  </p>
                )}
                <div className="mt-1 grid gap-1">
                  {sources.data?.map((s) => (
                    <SourceChoice
                      key={s.name}
                      source={s}
                      on={own.includes(s.name)}
                      onChange={(on) => {
                        setChosen(on ? [...own, s.name] : own.filter((c) => c !== s.name))
                      }}
                    />
                  ))}
                  <Stated stated={stated} onChange={setStated} />
                </div>
              </fieldset>
            )}
            <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
              <label className="flex items-center gap-2 text-lg">
                may be short once in
                <select
                  aria-label="may be short"
                  className={`${FIELD} text-lg`}
                  value={margin}
                  onChange={(e) => {
                    setMargin(Number(e.target.value))
                  }}
                >
                  <option value={20}>5 orders</option>
                  <option value={10}>10 orders</option>
                  <option value={5}>20 orders</option>
                  <option value={2}>50 orders</option>
                </select>
              </label>
              <label className="flex min-h-11 items-center gap-2 text-lg">
                <input
                  type="checkbox"
                  className="size-5"
                  checked={rack}
                  onChange={(e) => {
                    setRack(e.target.checked)
                  }}
                />
                use up what is free on the rack first
              </label>
            </div>
            <Only may="begin_forecast">
              <div>
                <Button
                  look="brass"
                  className="min-h-14 px-8 text-lg"
                  disabled={
                    begin.isPending || leather === '' || (own.length === 0 && stated === null)
                  }
                  onClick={() => {
                    begin.mutate()
                  }}
                >
                  Find out
                </Button>
              </div>
            </Only>
            <Trouble error={begin.error} onPaper />
          </div>
        </Sheet>
        <Sheet title="Asked before">
          {before.data?.length === 0 && <p className="text-ink-soft">Nothing yet.</p>}
          <ul className="grid gap-1.5">
            {before.data?.map((f) => (
              <li key={f.job_id}>
                <Link className="underline" to={`/book/buying/${f.job_id}`}>
                  {f.title}
                </Link>
                <span className="block text-[13px] text-ink-soft">
                  {dayOf(f.asked_at)}, {f.state}
                </span>
              </li>
            ))}
          </ul>
        </Sheet>
      </div>
    </BookFrame>
  )
}

function SourceChoice({
  source: s,
  on,
  onChange,
}: {
  source: Schemas['SourceOut']
  on: boolean
  onChange: (on: boolean) => void
}) {
  const units = useUnits()
  return (
    <label className="flex min-h-11 items-center gap-3 border-b border-docket-line">
      <input
        type="checkbox"
        className="size-5"
        checked={on}
        onChange={(e) => {
          onChange(e.target.checked)
        }}
      />
      <span className="min-w-0 flex-1">
        <span className="text-lg">{s.name}</span>
        <span className="block text-[13px] text-ink-soft">
          {units.area(s.area_m2)} each ·{' '}
          {((s.flaws_per_m2[1] ?? 0) + (s.flaws_per_m2[2] ?? 0)).toFixed(1)} blemishes and unsound
          places a m² · known from {plural(s.n, 'hide')}
        </span>
      </span>
      <span className="figure text-lg">{units.money(s.price_per_m2)} a m²</span>
    </label>
  )
}

function Stated({
  stated,
  onChange,
}: {
  stated: Schemas['StatedIn'] | null
  onChange: (s: Schemas['StatedIn'] | null) => void
}) {
  const set = (more: Partial<Schemas['StatedIn']>) => {
    if (stated) onChange({ ...stated, ...more })
  }
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <label className="flex min-h-11 items-center gap-3 text-lg">
        <input
          type="checkbox"
          className="size-5"
          checked={stated !== null}
          onChange={(e) => {
            onChange(
              e.target.checked
                ? { kind: 'side', area_m2: 2, price_per_m2: 60, quality: 'seconds' }
                : null,
            )
          }}
        />
        leather that you never had:
      </label>
      {stated && (
        <>
          <select
            aria-label="quality"
            className={FIELD}
            value={stated.quality}
            onChange={(e) => {
              set({ quality: e.target.value as Schemas['StatedIn']['quality'] })
            }}
          >
            {['clean', 'middling', 'seconds'].map((q) => (
              <option key={q}>{q}</option>
            ))}
          </select>
          <select
            aria-label="kind of hide"
            className={FIELD}
            value={stated.kind}
            onChange={(e) => {
              set({ kind: e.target.value as Schemas['StatedIn']['kind'] })
            }}
          >
            {['side', 'shoulder', 'bend', 'belly'].map((k) => (
              <option key={k}>{k}</option>
            ))}
          </select>
          <label className="flex items-center gap-1.5">
            <input
              type="number"
              step={0.05}
              min={0.05}
              max={8}
              className={`${FIELD} w-20`}
              value={stated.area_m2}
              onChange={(e) => {
                set({ area_m2: Number(e.target.value) })
              }}
            />
            m² each, at
          </label>
          <label className="flex items-center gap-1.5">
            <input
              type="number"
              step={1}
              min={0}
              aria-label="price of a square metre"
              className={`${FIELD} w-24`}
              value={stated.price_per_m2}
              onChange={(e) => {
                set({ price_per_m2: Number(e.target.value) })
              }}
            />
            a m²
          </label>
        </>
      )}
    </div>
  )
}

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
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the chances are one answer's
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
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the parts are one answer's
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
