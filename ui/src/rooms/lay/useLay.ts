import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useEffectEvent, useState } from 'react'
import { api, readFrom, server, told } from '../../api/client'
import { isLive, type Job } from '../../parts/job'
import { applied, isRevision, type Delta, type Lay } from './lay'

/** How long the engine lays where nobody says. */
export const USUAL_SECONDS = 30
const asked = (id: number) => ({ params: { path: { lay_id: id } } })

/** A lay, kept up by the stream of what changes of it, by whomever; and its job as it goes on. */
export function useLay(id: number) {
  const queries = useQueryClient()
  const lay = server.useQuery('get', '/api/lays/{lay_id}', asked(id))
  const [job, setJob] = useState<Job | null>(null)
  const again = () => queries.invalidateQueries(readFrom('/api/lays/{lay_id}'))
  const onDelta = useEffectEvent((delta: Delta) => {
    const key = server.queryOptions('get', '/api/lays/{lay_id}', asked(id)).queryKey
    const known = queries.getQueryData<Lay>(key)
    const next = known ? applied(known, delta) : null
    if (next) queries.setQueryData(key, next)
    // A revision has more to it than where its pieces lie: its history, its number, what waits
    // beside it.
    if (next === null || isRevision(delta.seen)) void again()
  })
  const onJob = useEffectEvent((news: Job) => {
    setJob(news)
    if (!isLive(news) && isLive(job)) void again()
  })
  const seen = lay.data?.state.seen
  const known = seen !== undefined
  const first = useEffectEvent(() => seen ?? '')
  // The stream of a lay that nobody lays looks seldom: a job just begun opens it anew.
  const begun = lay.data?.job?.id
  useEffect(() => {
    if (!known) return
    const stream = new EventSource(`/api/lays/${id}/events?seen=${encodeURIComponent(first())}`)
    stream.addEventListener('lay', (event: MessageEvent<string>) => {
      onDelta(JSON.parse(event.data) as Delta)
    })
    stream.addEventListener('job', (event: MessageEvent<string>) => {
      onJob(JSON.parse(event.data) as Job)
    })
    return () => {
      stream.close()
    }
  }, [id, known, begun])
  const newest = lay.data?.job ?? null
  const shown = job !== null && (newest === null || job.id >= newest.id) ? job : newest
  return { lay, job: shown }
}

/**
 * A lay's newest revision as this page knows it, and the turn in which changes are made: one after
 * the other, so that a quick hand never changes what is about to change.
 */
export function useHead(lay: Lay) {
  const queries = useQueryClient()
  const key = server.queryOptions('get', '/api/lays/{lay_id}', asked(lay.id)).queryKey
  const headNow = () => Math.max(lay.head, queries.getQueryData<Lay>(key)?.head ?? 0)
  const onSuccess = (answer: { head: number }) => {
    queries.setQueryData<Lay>(
      key,
      (known) => known && { ...known, head: Math.max(known.head, answer.head) },
    )
  }
  return { headNow, onSuccess, scope: { id: `lay ${lay.id}` } }
}

/** What may be done with a lay; each reads it anew once it is done. */
export function useLayActs(lay: Lay) {
  const queries = useQueryClient()
  const path = { lay_id: lay.id }
  const key = server.queryOptions('get', '/api/lays/{lay_id}', asked(lay.id)).queryKey
  const { headNow, scope, onSuccess } = useHead(lay)
  const onSettled = () => queries.invalidateQueries(readFrom('/api/lays/{lay_id}'))
  const run = useMutation({
    mutationFn: (what: {
      seconds: number
      only: string | null
      keepAll?: boolean
      pieces?: string[]
      window?: [number, number, number, number] | null
    }) =>
      told(
        api.POST('/api/lays/{lay_id}/run', {
          params: { path },
          body: {
            seconds: what.seconds,
            seed: Date.now() % 100_000,
            hides: what.only === null ? [] : [what.only],
            keep_all: what.keepAll ?? false,
            pieces: what.pieces ?? [],
            window: what.window ?? null,
          },
        }),
      ),
    // The rest of it is as it was: the stream tells what becomes of that.
    onSuccess: (job) => {
      queries.setQueryData<Lay>(key, (known) => known && { ...known, job })
    },
    onError: onSettled,
  })
  const stop = useMutation({
    mutationFn: (job_id: number) =>
      told(api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id } } })),
    onSettled,
  })
  const undo = useMutation({
    mutationFn: () =>
      told(api.POST('/api/lays/{lay_id}/undo', { params: { path }, body: { base: headNow() } })),
    scope,
    onSuccess,
    onSettled,
  })
  const redo = useMutation({
    mutationFn: () =>
      told(api.POST('/api/lays/{lay_id}/redo', { params: { path }, body: { base: headNow() } })),
    scope,
    onSuccess,
    onSettled,
  })
  const goTo = useMutation({
    mutationFn: (number: number) =>
      told(
        api.POST('/api/lays/{lay_id}/go-to', {
          params: { path },
          body: { base: headNow(), number },
        }),
      ),
    scope,
    onSuccess,
    onSettled,
  })
  const name = useMutation({
    mutationFn: (mark: string) =>
      told(
        api.PUT('/api/lays/{lay_id}/revisions/{number}/mark', {
          params: { path: { ...path, number: lay.head } },
          body: { mark },
        }),
      ),
    onSettled,
  })
  const pin = useMutation({
    mutationFn: (pins: Lay['pins'] | Lay['pins'][number]) =>
      told(
        api.POST('/api/lays/{lay_id}/pins', {
          params: { path },
          body: Array.isArray(pins) ? { add: [], drop: pins } : { add: [pins], drop: [] },
        }),
      ),
    scope,
    onSettled,
  })
  /**
   * Brings the lay onto its leather as it is now, then has what was taken up laid around the rest.
   */
  const mend = useMutation({
    mutationFn: async (seconds: number) => {
      const taken = await told(
        api.POST('/api/lays/{lay_id}/leather', { params: { path }, body: { base: headNow() } }),
      )
      if (taken.taken_up > 0) await run.mutateAsync({ seconds, only: null, keepAll: true })
    },
    scope,
    onSettled,
  })
  const ontoBatch = useMutation({
    mutationFn: () =>
      told(api.POST('/api/lays/{lay_id}/batch', { params: { path }, body: { base: headNow() } })),
    scope,
    onSuccess,
    onSettled,
  })
  const takeWaiting = useMutation({
    mutationFn: () =>
      told(api.POST('/api/lays/{lay_id}/waiting', { params: { path }, body: { base: headNow() } })),
    scope,
    onSuccess,
    onSettled,
  })
  const leaveWaiting = useMutation({
    mutationFn: () => told(api.DELETE('/api/lays/{lay_id}/waiting', { params: { path } })),
    onSettled,
  })
  type Ref = Lay['pins'][number]
  const push = useMutation({
    mutationFn: (body: { pieces: Ref[]; dx: number; dy: number }) =>
      told(
        api.POST('/api/lays/{lay_id}/hand/push', {
          params: { path },
          body: { ...body, base: headNow() },
        }),
      ),
    scope,
    onSuccess,
    onSettled,
  })
  const swap = useMutation({
    mutationFn: (body: { first: Ref; second: Ref }) =>
      told(
        api.POST('/api/lays/{lay_id}/hand/swap', {
          params: { path },
          body: { ...body, base: headNow() },
        }),
      ),
    scope,
    onSuccess,
    onSettled,
  })
  const over = useMutation({
    mutationFn: (piece: Ref) =>
      told(
        api.POST('/api/lays/{lay_id}/hand/over', {
          params: { path },
          body: { piece, base: headNow() },
        }),
      ),
    scope,
    onSuccess,
    onSettled,
  })
  const copy = useMutation({
    mutationFn: (body: { pieces: Ref[]; hide: string }) =>
      told(
        api.POST('/api/lays/{lay_id}/hand/copy', {
          params: { path },
          body: { ...body, base: headNow(), dx: 0, dy: 0 },
        }),
      ),
    scope,
    onSuccess,
    onSettled,
  })
  const sign = useMutation({
    mutationFn: (body: { piece: Ref; signed: boolean }) =>
      told(api.PUT('/api/lays/{lay_id}/signed', { params: { path }, body })),
    onSettled,
  })
  const byHand = { push, swap, over, copy, sign }
  const byHandError = Object.values(byHand).find((act) => act.error !== null)?.error ?? null
  const all = { run, stop, undo, redo, goTo, name, pin, mend, ontoBatch, takeWaiting, leaveWaiting }
  const error = Object.values(all).find((act) => act.error !== null)?.error ?? null
  return { ...all, ...byHand, error, byHandError }
}
