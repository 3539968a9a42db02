import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Said, Trouble } from '../../parts/controls'
import { LengthField } from '../../parts/fields'
import { isLive } from '../../parts/job'
import { plural } from '../../parts/units'
import { useMay } from '../people/me'
import { Answers, SideBySide } from './Answers'
import type { Lay } from './lay'
import { useHead } from './useLay'
import { asksBy, idOf, type Change } from './asking'

const SECONDS = [
  { seconds: 2, name: '2 seconds each' },
  { seconds: 4, name: '4 seconds each' },
  { seconds: 8, name: '8 seconds each' },
  { seconds: 20, name: '20 seconds each' },
  { seconds: 60, name: 'a minute each' },
]
const LOOK_EVERY_MS = 900

/** A lay asked otherwise: questions, their answers side by side, and taking one. */
export function WhatIf({ lay, hide, busy }: { lay: Lay; hide: string; busy: boolean }) {
  return (
    <Dialog.Root>
      <Dialog.Trigger asChild>
        <Button>What if …</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Content
          className="fixed inset-0 z-30 flex flex-col bg-bench"
          aria-describedby={undefined}
        >
          <Asking lay={lay} hide={hide} busy={busy} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function Asking({ lay, hide, busy }: { lay: Lay; hide: string; busy: boolean }) {
  const queries = useQueryClient()
  const path = { lay_id: lay.id }
  const { headNow, scope, onSuccess } = useHead(lay)
  const mayAsk = useMay('ask_what_if')
  const [ticked, setTicked] = useState<Change[]>([])
  const [seconds, setSeconds] = useState(8)
  const [shown, setShown] = useState<number | null>(null)
  const questions = server.useQuery('get', '/api/lays/{lay_id}/questions', { params: { path } })
  const tried = server.useQuery(
    'get',
    '/api/lays/{lay_id}/what-ifs',
    { params: { path } },
    {
      refetchInterval: (query) =>
        isLive(query.state.data?.[0]?.job ?? null) ? LOOK_EVERY_MS : false,
    },
  )
  const newest = tried.data?.[0]
  const live = newest !== undefined && isLive(newest.job)
  const onSettled = () => queries.invalidateQueries(readFrom('/api/lays/{lay_id}/what-ifs'))
  const ask = useMutation({
    mutationFn: (body: { asked: Change[][]; every_rule?: boolean }) =>
      told(
        api.POST('/api/lays/{lay_id}/what-ifs', {
          params: { path },
          body: { seconds, every_rule: false, ...body },
        }),
      ),
    onSuccess: () => {
      setShown(null)
    },
    onSettled,
  })
  const stop = useMutation({
    mutationFn: (job_id: number) =>
      told(api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id } } })),
    onSettled,
  })
  const readAgain = () =>
    Promise.all([
      queries.invalidateQueries(readFrom('/api/lays/{lay_id}')),
      queries.invalidateQueries(readFrom('/api/lays/{lay_id}/questions')),
    ])
  const take = useMutation({
    mutationFn: (number: number) =>
      told(
        api.POST('/api/lays/{lay_id}/what-ifs/{job_id}/{number}', {
          params: { path: { ...path, job_id: newest?.job.id ?? 0, number } },
          body: { base: headNow() },
        }),
      ),
    scope,
    onSuccess,
    onSettled: readAgain,
  })
  const askNow = useMutation({
    mutationFn: (changes: Change[]) =>
      told(
        api.POST('/api/lays/{lay_id}/asked', {
          params: { path },
          body: { base: headNow(), changes },
        }),
      ),
    scope,
    onSuccess: (answer: { head: number }) => {
      onSuccess(answer)
      setTicked([])
    },
    onSettled: readAgain,
  })
  const error = [ask, stop, take, askNow].find((act) => act.error !== null)?.error ?? null
  const toggle = (change: Change) => {
    setTicked(
      ticked.some((c) => idOf(c) === idOf(change))
        ? ticked.filter((c) => idOf(c) !== idOf(change))
        : [...ticked, change],
    )
  }
  const old = newest !== undefined && newest.base !== lay.head
  return (
    <>
      <div className="flex flex-wrap items-center gap-3 bg-bench-deep px-5 py-1.5">
        <Dialog.Title className="font-stamp text-xl font-bold">What if …</Dialog.Title>
        <span className="text-chalk-dim">
          Tried beside the lay, which stays as it is until you take an answer.
        </span>
        <Dialog.Close asChild>
          <Button look="bench" className="ml-auto">
            Close
          </Button>
        </Dialog.Close>
      </div>
      <div className="flex min-h-0 flex-1 flex-col lg:flex-row">
        {mayAsk && (
          <section
            className="docket flex max-h-[45%] w-full shrink-0 flex-col px-4 pt-2 pb-3 lg:max-h-none lg:w-[330px]"
            aria-label="Questions"
          >
            <div className="min-h-0 flex-1 overflow-auto">
              {questions.data && (
                <>
                  <Group
                    title="Ease a rule"
                    {...{ ticked, toggle }}
                    changes={questions.data.eased}
                  />
                  <Group
                    title="Lay it otherwise"
                    {...{ ticked, toggle }}
                    changes={questions.data.other}
                  />
                </>
              )}
            </div>
            <div className="grid grid-cols-2 gap-1.5 border-t border-docket-line pt-2">
              <select
                aria-label="how long to try each"
                className="col-span-2 min-h-11 border border-ink/40 bg-white px-1"
                value={seconds}
                onChange={(e) => {
                  setSeconds(Number(e.target.value))
                }}
              >
                {SECONDS.map((s) => (
                  <option key={s.seconds} value={s.seconds}>
                    {s.name}
                  </option>
                ))}
              </select>
              <Button
                look="brass"
                className="col-span-2"
                disabled={ticked.length === 0 || live || ask.isPending}
                onClick={() => {
                  ask.mutate({ asked: asksBy(ticked, 'each') })
                }}
              >
                {ticked.length > 1 ? `Try each of ${ticked.length}` : 'Try it'}
              </Button>
              <Button
                className="px-2"
                disabled={ticked.length < 2 || live || ask.isPending}
                onClick={() => {
                  ask.mutate({ asked: asksBy(ticked, 'together') })
                }}
              >
                Try together
              </Button>
              <Button
                className="px-2"
                disabled={ticked.length === 0 || busy || askNow.isPending}
                onClick={() => {
                  askNow.mutate(ticked)
                }}
              >
                Ask it so now
              </Button>
              <Button
                className="col-span-2"
                disabled={live || ask.isPending}
                onClick={() => {
                  ask.mutate({ asked: [], every_rule: true })
                }}
              >
                Which one rule costs most?
              </Button>
            </div>
          </section>
        )}
        <div className="flex min-h-0 min-w-0 flex-1 flex-col">
          <Trouble error={error} />
          {newest ? (
            <>
              <Answers
                tried={newest}
                old={old}
                shown={shown}
                onShow={setShown}
                onStop={() => {
                  stop.mutate(newest.job.id)
                }}
                onTake={(n) => {
                  take.mutate(n)
                }}
                mayTake={mayAsk && !busy && !old}
              />
              {shown !== null && newest.answers[shown] && (
                <SideBySide lay={lay} tried={newest} number={shown} hide={hide} />
              )}
            </>
          ) : (
            <p className="m-auto max-w-md px-6 text-center text-chalk-dim">
              Tick what might be otherwise and try it, or have every rule tried in turn: each answer
              says what leather and money it saves.
            </p>
          )}
        </div>
      </div>
    </>
  )
}

function Group({
  title,
  changes,
  ticked,
  toggle,
}: {
  title: string
  changes: Schemas['AskedOut'][]
  ticked: Change[]
  toggle: (change: Change) => void
}) {
  const [lane, setLane] = useState(120)
  if (changes.length === 0) return null
  const withLane = (c: Schemas['AskedOut']) => (c.kind === 'lane' ? { ...c, to: lane } : c)
  return (
    <fieldset className="pb-2">
      <legend className="font-stamp text-lg font-bold">{title}</legend>
      {changes.map((own) => {
        const change = withLane(own)
        return (
          <label
            key={idOf(own)}
            className="flex min-h-9 items-center gap-2 border-b border-docket-line py-0.5 leading-tight"
          >
            <input
              type="checkbox"
              className="size-5 shrink-0"
              checked={ticked.some((c) => idOf(c) === idOf(change))}
              onChange={() => {
                toggle(change)
              }}
            />
            <span className="min-w-0">
              <Said
                words={own.kind === 'lane' ? own.words.replace(/^\S+ mm/, 'A lane') : own.words}
              />
            </span>
          </label>
        )
      })}
      {changes.some((c) => c.kind === 'lane') && (
        <LengthField label="Width of the lane" mm={lane} onChange={setLane} />
      )}
    </fieldset>
  )
}

/** What is asked otherwise of this lay, and what it is laid for besides its batch. */
export function AskedOtherwise({ lay }: { lay: Lay }) {
  if (lay.changes.length === 0 && lay.with_batches.length === 0) return null
  return (
    <p className="mx-5 mt-2 border-l-4 border-brass-deep px-3 text-sm">
      {lay.with_batches.length > 0 && (
        <>
          Laid together with {lay.with_batches.join(', ')}
          {lay.changes.length > 0 ? '. ' : ''}
        </>
      )}
      {lay.changes.length > 0 && (
        <>
          {plural(lay.changes.length, 'thing')} asked otherwise:{' '}
          <Said words={lay.changes.join('; ')} />
        </>
      )}
    </p>
  )
}
