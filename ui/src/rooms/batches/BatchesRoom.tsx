import { Link } from 'react-router'
import { server, type Schemas } from '../../api/client'
import { Empty, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { dayOf, plural, useUnits } from '../../parts/units'
import { Only } from '../people/Only'
import { NewBatch } from './NewBatch'

const NEXT: Record<string, string> = {
  planned: 'Choose its leather',
  'leather chosen': 'Lay it',
  laid: 'Look at the lay',
  cut: 'Cut and done',
}

/** What is ordered, soonest due first, each with its next step. */
export function BatchesRoom() {
  const batches = server.useQuery('get', '/api/batches')
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <div className="flex items-center gap-6">
        <h1 className="font-stamp text-2xl font-bold">Batches</h1>
        <Only may="add_batch">
          <NewBatch />
        </Only>
        <span className="ml-auto">
          <RoomKeys room="Batches" keys={[]} />
        </span>
      </div>
      {batches.isPending && <Waiting what="the batches" />}
      <Trouble error={batches.error} />
      {batches.data?.length === 0 && (
        <Empty title="Nothing is ordered yet">
          <p>
            A batch says which articles are made and how many of each; Fair Lay then says what
            leather they need.
          </p>
        </Empty>
      )}
      <div className="flex gap-5 overflow-x-auto">
        {byDay(batches.data ?? []).map(([when, own]) => (
          <section key={when} aria-label={when} className="max-w-[440px] min-w-[300px] flex-1">
            <h2 className="mt-4 font-stamp text-xl text-chalk-dim">
              {when} <span className="figure text-base">{own.length}</span>
            </h2>
            <Cards batches={own} />
          </section>
        ))}
      </div>
    </div>
  )
}

type Summary = Schemas['BatchSummary']

const DAY_MS = 86_400_000
const WHEN: [string, number][] = [
  ['Past its day', 0],
  ['Within a week', 7],
  ['Within three weeks', 21],
  ['Later', Infinity],
]

/** Batches by when they are due, those that rest last. */
function byDay(batches: Summary[]): [string, Summary[]][] {
  const groups = new Map<string, Summary[]>(
    [...WHEN.map(([w]) => w), 'No day set', 'Resting'].map((w) => [w, []]),
  )
  for (const batch of batches) {
    const days =
      batch.due_on === null ? null : (new Date(batch.due_on).getTime() - Date.now()) / DAY_MS + 1
    const when =
      batch.standing !== 'open'
        ? 'Resting'
        : days === null
          ? 'No day set'
          : (WHEN.find(([, most]) => days < most)?.[0] ?? 'Later')
    groups.get(when)?.push(batch)
  }
  return [...groups].filter(([, own]) => own.length > 0)
}

function Cards({ batches }: { batches: Summary[] }) {
  const units = useUnits()
  return (
    <ul className="mt-2 grid gap-4">
      {batches.map((batch) => (
        <li key={batch.id}>
          <Link
            to={`/batches/${batch.id}`}
            className="docket torn block h-full px-5 pb-4 shadow-md hover:-translate-y-0.5"
          >
            <span className="flex items-baseline gap-3 pt-2">
              <span className="figure text-3xl font-bold">{batch.number}</span>
              <span className="ml-auto border-2 border-ink/60 px-2 font-stamp font-bold tracking-wide uppercase">
                {batch.standing === 'open' ? batch.state : batch.standing}
              </span>
            </span>
            <span className="block text-lg">{batch.name}</span>
            <span className="block text-ink-soft">
              {batch.due_on ? `due ${dayOf(batch.due_on)}` : 'no day set'}
            </span>
            <span className="my-3 block border-y border-docket-line py-2">
              {batch.lines.map((line) => (
                <span key={line.article} className="flex gap-3 text-lg">
                  <span className="figure w-10 text-right font-bold">{line.quantity}</span>
                  {line.name}{' '}
                  <span className="self-center text-sm text-ink-soft">rev. {line.revision}</span>
                </span>
              ))}
            </span>
            <span className="flex gap-2 whitespace-nowrap text-ink-soft">
              {plural(batch.pieces, 'piece')}, {units.area(batch.area_m2)}
              <span className="ml-auto font-semibold text-ink">{NEXT[batch.state]} →</span>
            </span>
          </Link>
        </li>
      ))}
    </ul>
  )
}
