import * as Plot from '@observablehq/plot'
import { useMutation } from '@tanstack/react-query'
import { useCallback } from 'react'
import { useNavigate } from 'react-router'
import { api, server, told, type Schemas } from '../../api/client'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { dayOf } from '../../parts/units'
import { Chart, INK } from '../book/Chart'
import { Sheet, Table } from '../book/Sheet'

type Kind = Schemas['RoundRow']['kind']
export const KINDS: { kind: Kind; name: string; words: string }[] = [
  {
    kind: 'look',
    name: 'Look it over',
    words: 'Find the flaws of a hide by eye, by feel, by pinch and by pull, against the clock.',
  },
  {
    kind: 'accept',
    name: 'Accept or avoid',
    words: 'A piece, and a mark on its leather: would the line that it is for take it?',
  },
  {
    kind: 'lay',
    name: 'Lay it',
    words: 'Lay a set by hand on a made-up side, and see what would have gained most.',
  },
  {
    kind: 'fault',
    name: 'Spot the fault',
    words: 'A lay that looks well, with one thing in it that would spoil the batch.',
  },
]
export const nameOf = (kind: Kind) => KINDS.find((k) => k.kind === kind)?.name ?? kind

/** What can be practised, at which level, and one's own record. */
export function PracticeRoom() {
  const found = server.useQuery('get', '/api/practice')
  const go = useNavigate()
  const begin = useMutation({
    mutationFn: (body: Schemas['BeginRound']) => told(api.POST('/api/practice/rounds', { body })),
    onSuccess: (round) => go(`/practice/${round.id}`),
  })
  if (found.isPending) return <Waiting what="the practice" />
  if (found.error)
    return (
      <div className="p-8">
        <Trouble error={found.error} />
      </div>
    )
  const { levels, record, most_level: most, mastered } = found.data
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <div className="flex items-center">
        <h1 className="font-stamp text-2xl font-bold">Practice</h1>
        <span className="ml-auto">
          <RoomKeys room="Practice" keys={[]} />
        </span>
      </div>
      <Trouble error={begin.error} />
      <div className="mt-3 grid gap-4 md:grid-cols-2 2xl:grid-cols-4">
        {KINDS.map(({ kind, name, words }) => {
          const open = levels[kind] ?? 1
          const best = Math.max(
            0,
            ...record.filter((r) => r.kind === kind && r.level === open).map((r) => r.score),
          )
          return (
            <Sheet key={kind} title={name}>
              <p className="min-h-14 text-lg leading-snug">{words}</p>
              <div className="mt-3 flex gap-2" aria-label={`Levels of ${name}`}>
                {Array.from({ length: most }, (_, i) => i + 1).map((level) => (
                  <Button
                    key={level}
                    look={level === open ? 'brass' : 'paper'}
                    className="figure min-h-14 min-w-14 px-0 text-2xl"
                    disabled={level > open || begin.isPending}
                    aria-label={`${name}, level ${level}${level > open ? ', not open yet' : ''}`}
                    onClick={() => {
                      begin.mutate({ kind, level })
                    }}
                  >
                    {level}
                  </Button>
                ))}
              </div>
              <p className="mt-2 text-ink-soft">
                {best > 0 ? `Best at level ${open}: ${best.toFixed(0)}. ` : ''}
                {open < most
                  ? `${mastered.toFixed(0)} points or more, twice in a row, open level ${open + 1}.`
                  : 'All levels are open.'}
              </p>
            </Sheet>
          )
        })}
      </div>
      <Record record={record} />
    </div>
  )
}

/** One's own rounds over time: the score of each, by what was practised. */
function Record({ record }: { record: Schemas['RoundRow'][] }) {
  const draw = useCallback(
    (width: number): Plot.PlotOptions => {
      const shown = [...record].reverse().map((r, i) => ({
        n: i + 1,
        score: r.score,
        level: String(r.level),
        name: nameOf(r.kind),
      }))
      return {
        marginLeft: Math.min(130, width * 0.2),
        marginRight: 16,
        marginBottom: 34,
        marginTop: 6,
        fy: { domain: KINDS.map((k) => k.name), label: null, axis: 'left' },
        x: { label: 'round after round', ticks: 0, domain: [0, shown.length + 1] },
        y: { domain: [0, 100], ticks: [0, 75, 100], label: null, axis: 'right', grid: true },
        marks: [
          Plot.line(shown, {
            x: 'n',
            y: 'score',
            fy: 'name',
            stroke: INK.soft,
            strokeOpacity: 0.6,
          }),
          Plot.dot(shown, {
            x: 'n',
            y: 'score',
            fy: 'name',
            r: 9,
            fill: INK.card,
            stroke: INK.ink,
          }),
          Plot.text(shown, {
            x: 'n',
            y: 'score',
            fy: 'name',
            text: 'level',
            fontWeight: 'bold',
            fontSize: 13,
          }),
        ],
      }
    },
    [record],
  )
  return (
    <Sheet title="Your record" className="mt-4">
      {record.length === 0 ? (
        <p className="text-ink-soft">No round yet. What you do here is yours alone to see.</p>
      ) : (
        <div className="grid items-start gap-6 lg:grid-cols-[minmax(0,1fr)_380px]">
          <div>
            <p className="text-ink-soft">
              Each dot is a round: how high, its score; in it, its level.
            </p>
            <Chart label="Scores of your rounds, one after another" height={320} draw={draw} />
          </div>
          <Table
            label="Your rounds"
            className="max-h-96"
            head={['', 'level', 'score', 'on']}
            rows={record.slice(0, 30).map((r) => ({
              key: String(r.id),
              cells: [
                nameOf(r.kind),
                r.level,
                r.score.toFixed(0),
                r.ended_at ? dayOf(r.ended_at) : '',
              ],
            }))}
          />
        </div>
      )}
    </Sheet>
  )
}
