import { keepPreviousData, useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { dayOf, plural } from '../../parts/units'
import { Only } from '../people/Only'
import { useWhich } from './book'
import { BookFrame, Choose, LeftOut, NothingYet } from './BookFrame'
import { Sheet, Table } from './Sheet'

type Learned = Schemas['LearnedOut']
const SHOW: Record<Learned['kind'], (v: number) => string> = {
  spares: (v) => `${(v * 100).toFixed(1)} %`,
  pace: (v) => `${v.toFixed(2)} ×`,
  yield: (v) => `${(v * 100).toFixed(0)} %`,
}
const TITLES: Record<Learned['kind'], [string, string, string]> = {
  spares: [
    'Spares',
    'How many of a piece are spoilt, and how many spares to plan for that. Taken, it goes into the article’s newest revision.',
    'piece',
  ],
  pace: [
    'Minutes of cutting',
    'How much longer a cut takes than the plan’s own speeds say. Taken, plans reckon with it.',
    'of',
  ],
  yield: [
    'Yield by leather',
    'Good pieces over leather used, of each kind of leather. Taken, batches say how much leather they will likely use of it.',
    'leather',
  ],
}
const FEW = 12

/** What estimates learn from records, beside what plans reckon with; somebody takes it, or not. */
export function LearnedPage() {
  const [which] = useWhich()
  const found = server.useQuery(
    'get',
    '/api/book/learned',
    { params: { query: which } },
    { placeholderData: keepPreviousData },
  )
  const aside = <Choose told={found.data?.told} />
  if (found.isPending || found.isPlaceholderData)
    return (
      <BookFrame aside={aside}>
        <Waiting what="what the Book taught" />
      </BookFrame>
    )
  if (found.error)
    return (
      <BookFrame aside={aside}>
        <Trouble error={found.error} />
      </BookFrame>
    )
  const { told: holds, figures, history } = found.data
  return (
    <BookFrame aside={aside}>
      <LeftOut told={holds} />
      {figures.length === 0 ? (
        <NothingYet told={holds} />
      ) : (
        <div className="grid max-w-6xl gap-4">
          {(['pace', 'yield', 'spares'] as const).map((kind) => (
            <Kind key={kind} kind={kind} figures={figures.filter((f) => f.kind === kind)} />
          ))}
          {history.length > 0 && (
            <Sheet title="Taken so far">
              <Table
                label="Taken so far"
                head={['what', 'was', 'became', 'from', 'by', 'on']}
                rows={history.map((t, i) => ({
                  key: String(i),
                  cells: [
                    `${TITLES[t.kind as Learned['kind']][0]}: ${t.of}`,
                    t.was === null ? '–' : SHOW[t.kind as Learned['kind']](t.was),
                    SHOW[t.kind as Learned['kind']](t.value),
                    plural(t.n, 'record'),
                    t.by || 'nobody known',
                    dayOf(t.at),
                  ],
                }))}
              />
            </Sheet>
          )}
        </div>
      )}
    </BookFrame>
  )
}

/** How far the belief in a figure reaches beyond what is planned: those that differ most come first. */
const off = (f: Learned) =>
  Math.abs(f.proposed - (f.planned ?? f.value)) + (f.planned === null ? 1 : 0)

function Kind({ kind, figures }: { kind: Learned['kind']; figures: Learned[] }) {
  const [all, setAll] = useState(false)
  const [title, words, name] = TITLES[kind]
  if (figures.length === 0) return null
  const show = SHOW[kind]
  const order = [...figures].sort((a, b) => off(b) - off(a))
  return (
    <Sheet title={title}>
      <p className="mb-2 text-ink-soft">{words}</p>
      <Table
        label={title}
        head={[name, 'from', 'records alone', 'believed', 'likely', 'planned now', 'would be', '']}
        rows={(all ? order : order.slice(0, FEW)).map((f) => ({
          key: f.of,
          cells: [
            <span key="n">
              {f.name}
              {f.taken_at && (
                <span className="block text-[13px] text-ink-soft">
                  taken{f.taken_by && ` by ${f.taken_by}`} on {dayOf(f.taken_at)}
                </span>
              )}
            </span>,
            f.n.toLocaleString(),
            f.bare === null ? '–' : show(f.bare),
            show(f.value),
            f.low === null || f.high === null ? 'not known' : `${show(f.low)} to ${show(f.high)}`,
            f.planned === null ? 'nothing yet' : show(f.planned),
            show(f.proposed),
            <Take key="t" figure={f} />,
          ],
        }))}
      />
      {figures.length > FEW && (
        <button
          type="button"
          className="mt-2 min-h-11 underline"
          onClick={() => {
            setAll(!all)
          }}
        >
          {all ? 'fewer' : `all ${figures.length}`}
        </button>
      )}
    </Sheet>
  )
}

function Take({ figure: f }: { figure: Learned }) {
  const [which] = useWhich()
  const queries = useQueryClient()
  const take = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/book/learned/take', {
          params: { query: which },
          body: { kind: f.kind, of: f.of },
        }),
      ),
    onSettled: () => queries.invalidateQueries(readFrom('/api/book/learned')),
  })
  if (f.planned !== null && Math.abs(f.planned - f.proposed) < 1e-9)
    return <span className="font-text text-[15px] text-ink-soft">as planned</span>
  return (
    <Only may="take_learned">
      <Button
        className="font-text"
        aria-label={`Take ${f.name}`}
        disabled={take.isPending}
        onClick={() => {
          take.mutate()
        }}
      >
        Take it
      </Button>
      <Trouble error={take.error} onPaper />
    </Only>
  )
}
