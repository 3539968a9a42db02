import * as Plot from '@observablehq/plot'
import { keepPreviousData } from '@tanstack/react-query'
import { useCallback } from 'react'
import { Link, useParams, useNavigate } from 'react-router'
import { server, type Schemas } from '../../api/client'
import { Said, Trouble, Waiting } from '../../parts/controls'
import { percent, useUnits } from '../../parts/units'
import { fileOf, monthName, ofCents, percentOr, useWhich } from './book'
import { BookFrame, Choose, LeftOut, NothingYet } from './BookFrame'
import { Chart, INK } from './Chart'
import { Sheet, Table } from './Sheet'

const WHATS = [
  'mill',
  'grade',
  'lot',
  'material',
  'batch',
  'hide',
  'month',
  'article',
  'piece',
  'cutter',
] as const
type What = (typeof WHATS)[number]
const MOST_DRAWN = 16

/** Mills, lots, grades, batches, hides; articles, pieces and cutters, side by side. */
export function ByPage() {
  const asked = useParams()['what']
  const what = WHATS.find((w) => w === asked) ?? 'mill'
  const [which] = useWhich()
  const go = useNavigate()
  const found = server.useQuery(
    'get',
    '/api/book/by/{what}',
    { params: { path: { what }, query: which } },
    { placeholderData: keepPreviousData },
  )
  const aside = <Choose told={found.data?.told} />
  const choice = (
    <div className="mb-4 flex flex-wrap gap-2" role="radiogroup" aria-label="Side by side">
      {WHATS.map((w) => (
        <button
          key={w}
          type="button"
          role="radio"
          aria-checked={w === what}
          className={`min-h-11 rounded-sm border px-4 text-lg ${w === what ? 'border-brass bg-brass font-semibold text-ink' : 'border-chalk/40 hover:bg-chalk/10'}`}
          onClick={() => go({ pathname: `/book/by/${w}`, search: location.search })}
        >
          {w}
        </button>
      ))}
    </div>
  )
  if (found.isPending || found.isPlaceholderData)
    return (
      <BookFrame aside={aside}>
        {choice}
        <Waiting what="the Book" />
      </BookFrame>
    )
  if (found.error)
    return (
      <BookFrame aside={aside}>
        {choice}
        <Trouble error={found.error} />
      </BookFrame>
    )
  const { told, groups, pieces, stand_out: news } = found.data
  return (
    <BookFrame aside={aside}>
      {choice}
      <LeftOut told={told} />
      {groups.length + pieces.length === 0 ? (
        <NothingYet told={told} />
      ) : (
        <Sheet
          title={`By ${what}`}
          aside={
            <a className="underline" href={fileOf(`${what}.csv`, which)}>
              as CSV
            </a>
          }
        >
          {news.length > 0 && (
            <ul className="mb-3 grid gap-1">
              {news.map((s) => (
                <li
                  key={s.key}
                  className={`border-l-4 pl-3 ${s.by < 0 ? 'border-unsound' : 'border-sound'}`}
                >
                  <span aria-hidden>{s.by < 0 ? '▼ ' : '▲ '}</span>
                  <Said words={s.words} />
                </li>
              ))}
            </ul>
          )}
          {groups.length > 0 ? (
            <Groups what={what} groups={groups} />
          ) : (
            <Pieces what={what} pieces={pieces} />
          )}
        </Sheet>
      )}
    </BookFrame>
  )
}

const nameOf = (what: What, g: { name: string }) => (what === 'month' ? monthName(g.name) : g.name)

function Groups({ what, groups }: { what: What; groups: Schemas['GroupOut'][] }) {
  const units = useUnits()
  const drawn = groups.filter((g) => g.yields.value !== null).slice(0, MOST_DRAWN)
  const draw = useCallback(
    (width: number): Plot.PlotOptions => {
      const shown = drawn.map((g) => ({
        name: nameOf(what, g),
        value: (g.yields.value ?? 0) * 100,
        low: (g.yields.low ?? g.yields.value ?? 0) * 100,
        high: (g.yields.high ?? g.yields.value ?? 0) * 100,
        least: (g.yields.least ?? 0) * 100,
        most: (g.yields.most ?? 0) * 100,
      }))
      return {
        marginLeft: Math.min(240, width * 0.3),
        marginRight: 76,
        marginTop: 4,
        marginBottom: 32,
        x: { label: null, nice: true, ticks: 6, tickFormat: (v: number) => `${v} %`, grid: true },
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
          Plot.dot(shown, { y: 'name', x: 'value', r: 6, fill: INK.leather, stroke: INK.ink }),
          Plot.text(shown, {
            y: 'name',
            text: (s: (typeof shown)[number]) => `${s.value.toFixed(0)} %`,
            frameAnchor: 'right',
            dx: 62,
            fontWeight: 'bold',
            fontSize: 16,
          }),
        ],
      }
    },
    // oxlint-disable-next-line react-hooks/exhaustive-deps -- the groups are one answer's
    [groups, what],
  )
  return (
    <>
      {drawn.length > 1 && (
        <>
          <p className="text-ink-soft">
            Yield of what was used. The dot is the average, the thick bar where it likely lies, the
            thin line what eight of ten hides gave.
          </p>
          <Chart label={`Yield by ${what}`} height={30 * drawn.length + 36} draw={draw} />
        </>
      )}
      <Table
        label={`By ${what}`}
        className="mt-2"
        head={[
          what,
          'hides',
          'bought',
          'yield',
          'likely',
          'planned',
          'spoilt',
          'flaws',
          'money',
          'a good m²',
          'minutes, planned',
        ]}
        rows={groups.map((g) => ({
          key: g.key,
          cells: [
            what === 'batch' ? (
              <Link key="n" className="underline" to={`/book/batch/${g.key}`}>
                {g.name}
              </Link>
            ) : (
              nameOf(what, g)
            ),
            g.hides,
            units.area(g.bought_m2),
            percentOr(g.yields.value),
            g.yields.low === null || g.yields.high === null
              ? '–'
              : `${percent(g.yields.low)} to ${percent(g.yields.high)}`,
            percentOr(g.planned_yield),
            percentOr(partOf(g, 'spoilt'), 1),
            percentOr(partOf(g, 'flaw'), 1),
            units.money(ofCents(g.cents)),
            g.cost_per_good_m2 === null ? '–' : units.money(g.cost_per_good_m2),
            g.timed === 0
              ? '–'
              : `${Math.round(g.true_minutes).toLocaleString()}, ${Math.round(g.planned_minutes).toLocaleString()}`,
          ],
        }))}
      />
    </>
  )
}

const partOf = (g: Schemas['GroupOut'], part: string) => {
  const own = g.parts.find((p) => p.part === part)?.m2 ?? 0
  return g.bought_m2 > 0 ? own / g.bought_m2 : null
}

function Pieces({ what, pieces }: { what: What; pieces: Schemas['PieceGroupOut'][] }) {
  const units = useUnits()
  const drawn = pieces.slice(0, MOST_DRAWN)
  const draw = useCallback(
    (width: number): Plot.PlotOptions => {
      const shown = drawn.map((p) => ({
        name: p.name,
        value: (p.spoil_rate.value ?? 0) * 100,
        low: (p.spoil_rate.low ?? 0) * 100,
        high: (p.spoil_rate.high ?? 0) * 100,
      }))
      return {
        marginLeft: Math.min(240, width * 0.3),
        marginRight: 76,
        marginTop: 4,
        marginBottom: 32,
        x: {
          label: null,
          domain: [0, Math.max(1, ...shown.map((s) => s.high))],
          ticks: 6,
          tickFormat: (v: number) => `${v} %`,
          grid: true,
        },
        y: { domain: shown.map((s) => s.name), label: null, tickSize: 0 },
        marks: [
          Plot.ruleY(shown, {
            y: 'name',
            x1: 'low',
            x2: 'high',
            stroke: INK.soft,
            strokeOpacity: 0.4,
            strokeWidth: 10,
          }),
          Plot.dot(shown, { y: 'name', x: 'value', r: 6, fill: INK.unsound, stroke: INK.ink }),
          Plot.text(shown, {
            y: 'name',
            text: (s: (typeof shown)[number]) => `${s.value.toFixed(1)} %`,
            frameAnchor: 'right',
            dx: 62,
            fontWeight: 'bold',
            fontSize: 16,
          }),
        ],
      }
    },
    // oxlint-disable-next-line react-hooks/exhaustive-deps -- the pieces are one answer's
    [pieces, what],
  )
  return (
    <>
      <p className="text-ink-soft">
        How many in a hundred were spoilt and cut again, and where that figure likely lies: where
        little is known it is drawn toward the shop’s average.
      </p>
      <Chart label={`Spoilt pieces by ${what}`} height={30 * drawn.length + 36} draw={draw} />
      <Table
        label={`By ${what}`}
        className="mt-2"
        head={[
          what,
          'good',
          'spoilt',
          'of a hundred',
          'likely',
          'area',
          'leather',
          'a minute each',
          'pace',
        ]}
        rows={pieces.map((p) => ({
          key: p.key,
          cells: [
            p.name,
            p.done.toLocaleString(),
            p.spoilt.toLocaleString(),
            percentOr(p.spoil_rate.value, 1),
            `${percentOr(p.spoil_rate.low, 1)} to ${percentOr(p.spoil_rate.high, 1)}`,
            units.area(p.m2),
            units.money(ofCents(p.cents)),
            p.minutes_each === null ? '–' : p.minutes_each.toFixed(1),
            p.pace === null ? '–' : p.pace.toFixed(2),
          ],
        }))}
      />
    </>
  )
}
