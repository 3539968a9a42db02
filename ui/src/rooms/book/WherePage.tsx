import * as Plot from '@observablehq/plot'
import { keepPreviousData } from '@tanstack/react-query'
import { useCallback } from 'react'
import { server, type Schemas } from '../../api/client'
import { Figure, Said, Trouble, Waiting } from '../../parts/controls'
import { percent, plural, useUnits } from '../../parts/units'
import { fileOf, monthName, ofCents, percentOr, share, useWhich, type Figures } from './book'
import { BookFrame, Choose, LeftOut, NothingYet } from './BookFrame'
import { Chart, INK } from './Chart'
import { Sheet, Table } from './Sheet'

/** Where leather went: all of it, month by month, and what stands out. */
export function WherePage() {
  const [which] = useWhich()
  const found = server.useQuery(
    'get',
    '/api/book/where',
    { params: { query: which } },
    { placeholderData: keepPreviousData },
  )
  const aside = <Choose told={found.data?.told} />
  const units = useUnits()
  if (found.isPending || found.isPlaceholderData)
    return (
      <BookFrame aside={aside}>
        <Waiting what="the Book" />
      </BookFrame>
    )
  if (found.error)
    return (
      <BookFrame aside={aside}>
        <Trouble error={found.error} />
      </BookFrame>
    )
  const { told, figures: f, months, trend, stand_out: news, reasons } = found.data
  const spoilt = f.parts.find((p) => p.part === 'spoilt')
  return (
    <BookFrame aside={aside}>
      <LeftOut told={told} />
      {f.hides === 0 ? (
        <NothingYet told={told} />
      ) : (
        <div className="grid gap-4 xl:grid-cols-[minmax(0,1fr)_400px]">
          <div className="grid content-start gap-4">
            <Sheet title="Where it went">
              <div className="mb-3 flex flex-wrap gap-x-6 gap-y-2">
                <Figure label="bought" note={plural(f.hides, 'hide')}>
                  {units.area(f.bought_m2)}
                </Figure>
                <Figure
                  label="money"
                  note={
                    f.cost_per_good_m2 !== null && `${units.money(f.cost_per_good_m2)} a good m²`
                  }
                >
                  {units.money(ofCents(f.cents))}
                </Figure>
                <Figure
                  label="yield of what was used"
                  note={
                    <>
                      <YieldRange figures={f} />
                      {f.planned_yield !== null && `; planned ${percentOr(f.planned_yield)}`}
                    </>
                  }
                >
                  {percentOr(f.yields.value)}
                </Figure>
                {f.timed > 0 && (
                  <Figure
                    label="minutes at the bench"
                    note={`planned ${Math.round(f.planned_minutes).toLocaleString()}`}
                  >
                    {Math.round(f.true_minutes).toLocaleString()}
                  </Figure>
                )}
              </div>
              <PartsChart figures={f} />
            </Sheet>
            <Months months={months} trend={trend} />
          </div>
          <div className="grid content-start gap-4">
            <Sheet title="What stands out">
              {news.length === 0 ? (
                <p>
                  Nothing that is more than chance: no mill, lot, grade or hide is unlike its kind.
                </p>
              ) : (
                <ul className="grid gap-2.5">
                  {news.map((s) => (
                    <li
                      key={`${s.what} ${s.key}`}
                      className={`border-l-4 pl-3 ${s.by < 0 ? 'border-unsound' : 'border-sound'}`}
                    >
                      <span className="sr-only">{s.by < 0 ? 'Worse: ' : 'Better: '}</span>
                      <span aria-hidden>{s.by < 0 ? '▼ ' : '▲ '}</span>
                      <Said words={s.words} />
                    </li>
                  ))}
                </ul>
              )}
            </Sheet>
            {reasons.length > 0 && (
              <Sheet
                title="Why pieces were spoilt"
                aside={
                  spoilt && (
                    <span className="text-ink-soft">{units.money(ofCents(spoilt.cents))}</span>
                  )
                }
              >
                <Table
                  label="Why pieces were spoilt"
                  head={['reason', 'pieces']}
                  rows={reasons.slice(0, 8).map((r) => ({
                    key: r.reason,
                    cells: [r.reason, r.pieces],
                  }))}
                />
              </Sheet>
            )}
            <Sheet title="On paper">
              <div className="flex flex-wrap gap-x-5 gap-y-1">
                {(['hide', 'batch', 'mill', 'article', 'piece', 'cutter', 'month'] as const).map(
                  (what) => (
                    <a key={what} className="underline" href={fileOf(`${what}.csv`, which)}>
                      by {what} (CSV)
                    </a>
                  ),
                )}
              </div>
            </Sheet>
          </div>
        </div>
      )}
    </BookFrame>
  )
}

/** A row of the chart is as high as its row of the table. */
const ROW_PX = 34

export function YieldRange({ figures: f }: { figures: Figures }) {
  if (f.yields.low === null || f.yields.high === null) return <>one hide tells no range</>
  return (
    <>
      likely {percent(f.yields.low)} to {percent(f.yields.high)}
    </>
  )
}

/** Each part as a bar with its own name: what is lost in ink, what is worth something in leather. */
export function PartsChart({ figures: f }: { figures: Figures }) {
  const units = useUnits()
  const parts = f.parts.filter((p) => p.m2 > 0.5e-4)
  const draw = useCallback(
    (): Plot.PlotOptions => {
      const shown = parts.map((p) => ({ ...p, share: share(p.m2, f.bought_m2) }))
      const most = Math.max(...shown.map((p) => p.share))
      return {
        marginLeft: 226,
        marginRight: 70,
        marginTop: 4,
        marginBottom: 4,
        x: { axis: null, domain: [0, most] },
        y: { domain: shown.map((p) => p.words), label: null, tickSize: 0, padding: 0 },
        marks: [
          Plot.barX(shown, {
            x: 'share',
            y: 'words',
            fill: (p: (typeof shown)[number]) =>
              p.part === 'good' ? INK.leather : p.part === 'kept' ? INK.card : INK.soft,
            stroke: INK.ink,
            strokeWidth: 1,
            insetTop: 3,
            insetBottom: 3,
          }),
          Plot.text(shown, {
            x: 'share',
            y: 'words',
            text: (p: (typeof shown)[number]) =>
              `${(p.share * 100).toFixed(p.share < 0.095 ? 1 : 0)} %`,
            dx: 8,
            textAnchor: 'start',
            fontWeight: 'bold',
            fontSize: 16,
          }),
        ],
      }
    },
    // oxlint-disable-next-line react-hooks/exhaustive-deps -- the figures are one answer's
    [f],
  )
  return (
    <div className="grid items-start gap-x-2 sm:grid-cols-[minmax(0,1fr)_220px]">
      <div className="pt-6">
        <Chart
          label="Where the leather went, as shares of what was bought"
          height={ROW_PX * parts.length + 8}
          draw={draw}
        />
      </div>
      <table className="w-full border-collapse" aria-label="Where the leather went">
        <thead>
          <tr className="h-7 text-right text-[13px] text-ink-soft">
            <th className="sr-only">what became of it</th>
            <th className="font-normal">area</th>
            <th className="font-normal">money</th>
          </tr>
        </thead>
        <tbody className="figure text-right text-[17px] whitespace-nowrap">
          {parts.map((p) => (
            <tr key={p.part} style={{ height: ROW_PX }}>
              <td className="sr-only">{p.words}</td>
              <td>{units.area(p.m2)}</td>
              <td>{units.money(ofCents(p.cents))}</td>
            </tr>
          ))}
          <tr className="border-t-2 border-ink/50 font-bold" style={{ height: ROW_PX }}>
            <td className="sr-only">bought</td>
            <td>{units.area(f.bought_m2)}</td>
            <td>{units.money(ofCents(f.cents))}</td>
          </tr>
        </tbody>
      </table>
    </div>
  )
}

/** Yield month by month, each with its likely range: what is not more than chance is said to be so. */
function Months({ months, trend }: { months: Schemas['MonthOut'][]; trend: Schemas['TrendOut'] }) {
  const units = useUnits()
  const worked = months.filter((m) => m.yields.value !== null)
  const draw = useCallback(
    (width: number): Plot.PlotOptions => {
      const shown = worked.map((m) => ({
        month: m.month,
        value: (m.yields.value ?? 0) * 100,
        low: m.yields.low === null ? null : m.yields.low * 100,
        high: m.yields.high === null ? null : m.yields.high * 100,
        n: m.hides,
      }))
      const every = Math.ceil(months.length / Math.max(3, width / 74))
      return {
        marginLeft: 52,
        marginBottom: 46,
        marginTop: 14,
        x: {
          type: 'point',
          domain: months.map((m) => m.month),
          label: null,
          tickFormat: (m: string) =>
            months.findIndex((x) => x.month === m) % every ? '' : monthName(m),
          tickSize: 0,
        },
        y: { label: null, nice: true, ticks: 4, tickFormat: (v: number) => `${v} %`, grid: true },
        marks: [
          Plot.ruleX(
            shown.filter((s) => s.low !== null),
            {
              x: 'month',
              y1: 'low',
              y2: 'high',
              stroke: INK.soft,
              strokeWidth: 7,
              strokeOpacity: 0.35,
            },
          ),
          Plot.dot(shown, { x: 'month', y: 'value', r: 6, fill: INK.leather, stroke: INK.ink }),
          Plot.text(
            months.filter((m) => m.hides === 0),
            {
              x: 'month',
              text: () => 'no work',
              frameAnchor: 'bottom',
              dy: -6,
              rotate: -90,
              fill: INK.soft,
              textAnchor: 'start',
            },
          ),
        ],
      }
    },
    // oxlint-disable-next-line react-hooks/exhaustive-deps -- the months are one answer's
    [months],
  )
  return (
    <Sheet title="Month by month">
      <p className="mb-1 text-lg">
        <Said words={trend.words.charAt(0).toUpperCase() + trend.words.slice(1)} />.
      </p>
      {worked.length > 1 && (
        <Chart
          label="Yield of each month, with the range in which it likely lies"
          height={210}
          draw={draw}
        />
      )}
      <Table
        label="Month by month"
        className="mt-2 max-h-72"
        head={['month', 'hides', 'bought', 'yield', 'likely', 'money', '']}
        rows={[...months].reverse().map((m) => ({
          key: m.month,
          cells:
            m.hides === 0
              ? [monthName(m.month), '0', 'no hide was closed', '', '', '', '']
              : [
                  monthName(m.month),
                  m.hides,
                  units.area(m.bought_m2),
                  percentOr(m.yields.value),
                  m.yields.low === null || m.yields.high === null
                    ? 'one hide'
                    : `${percent(m.yields.low)} to ${percent(m.yields.high)}`,
                  units.money(ofCents(m.cents)),
                  <a
                    key="p"
                    className="font-text text-[15px] underline"
                    href={`/api/book/month/${m.month}.pdf`}
                  >
                    print
                  </a>,
                ],
        }))}
      />
    </Sheet>
  )
}
