import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState, type ReactNode } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { AcceptRound } from './AcceptRound'
import { FaultRound } from './FaultRound'
import { LayRound } from './LayRound'
import { LookRound } from './LookRound'
import { nameOf } from './PracticeRoom'

export type Round = Schemas['RoundOut']
export type Result = Schemas['ResultOut']
export type Done = Omit<Schemas['DoneIn'], 'spent_s'>

/** One round of practice. */
export function RoundRoom() {
  const id = Number(useParams()['id'])
  const round = server.useQuery(
    'get',
    '/api/practice/rounds/{round_id}',
    { params: { path: { round_id: id } } },
    { staleTime: Infinity },
  )
  if (round.isPending) return <Waiting what="the round" />
  if (round.error)
    return (
      <div className="p-8">
        <Trouble error={round.error} />
      </div>
    )
  const Kind = {
    look: LookRound,
    accept: AcceptRound,
    fault: FaultRound,
    lay: LayRound,
  }[round.data.kind]
  return <Kind key={id} round={round.data} />
}

const TICK_MS = 250

/** How long a round goes on, in seconds, until it is over. */
export function useClock(over: boolean): number {
  const [began] = useState(() => performance.now())
  const [now, setNow] = useState(began)
  useEffect(() => {
    if (over) return
    const timer = setInterval(() => {
      setNow(performance.now())
    }, TICK_MS)
    return () => {
      clearInterval(timer)
    }
  }, [over])
  return (now - began) / 1000
}

/** Ends a round and hears how it came out. */
export function useEnd(round: Round) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (did: Schemas['DoneIn']) =>
      told(
        api.POST('/api/practice/rounds/{round_id}/done', {
          params: { path: { round_id: round.id } },
          body: did,
        }),
      ),
    onSuccess: () => queries.invalidateQueries(readFrom('/api/practice')),
  })
}

/** The next round of the same kind, at a level. */
export function Again({ round }: { round: Round }) {
  const go = useNavigate()
  const record = server.useQuery('get', '/api/practice')
  const open = record.data?.levels[round.kind] ?? round.level
  const begin = useMutation({
    mutationFn: (level: number) =>
      told(api.POST('/api/practice/rounds', { body: { kind: round.kind, level } })),
    onSuccess: (next) => go(`/practice/${next.id}`),
  })
  return (
    <div className="mt-3 flex flex-wrap gap-3">
      <Button
        look="brass"
        className="min-h-14 px-6 text-lg"
        disabled={begin.isPending}
        onClick={() => {
          begin.mutate(Math.max(open, round.level))
        }}
      >
        {open > round.level ? `Level ${open}` : 'Another'}
      </Button>
      <Link
        to="/practice"
        className="inline-flex min-h-14 items-center border border-ink/40 px-5 hover:bg-ink/8"
      >
        To the practice
      </Link>
      <Trouble error={begin.error} onPaper />
    </div>
  )
}

/** The head of a round: what it is, and the clock. */
export function Head({
  round,
  spent,
  children,
}: {
  round: Round
  spent: number
  children?: ReactNode
}) {
  const left = round.seconds - spent
  return (
    <div className="flex min-h-14 items-center gap-5 px-6">
      <Link to="/practice" className="text-chalk-dim hover:text-chalk">
        ← Practice
      </Link>
      <h1 className="font-stamp text-2xl font-bold">
        {nameOf(round.kind)} <span className="text-chalk-dim">level {round.level}</span>
      </h1>
      {round.seconds > 0 && (
        <span
          role="timer"
          aria-label={left >= 0 ? 'time left' : 'over the time'}
          className={`figure text-2xl font-bold ${left < 0 ? 'text-brass' : ''}`}
        >
          {left < 0 ? '+' : ''}
          {clock(Math.abs(left))}
          {left < 0 && <span className="ml-2 font-text text-sm">over the time</span>}
        </span>
      )}
      <span className="ml-auto flex items-center gap-3">{children}</span>
    </div>
  )
}

const SIXTY = 60
const clock = (s: number) =>
  `${Math.floor(s / SIXTY)}:${String(Math.floor(s % SIXTY)).padStart(2, '0')}`

/** A score, large. */
export function Score({ value }: { value: number }) {
  return (
    <p className="font-stamp text-2xl">
      <b className="figure text-6xl" data-score>
        {value.toFixed(0)}
      </b>{' '}
      of 100
    </p>
  )
}
