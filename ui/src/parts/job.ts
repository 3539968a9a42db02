import { useEffect, useRef, useState } from 'react'
import { Problem, type Schemas } from '../api/client'

export type Job = Schemas['JobOut']
export const isLive = (job: Job | null | undefined) =>
  job?.state === 'queued' || job?.state === 'running'

/**
 * Hears of a job each time it changed, until it ends; the stream finds the server again by itself.
 * Returns how to stop hearing.
 */
export function hearJob(id: number, onNews: (job: Job) => void): () => void {
  const stream = new EventSource(`/api/jobs/${id}/events`)
  stream.addEventListener('job', (event: MessageEvent<string>) => {
    const job = JSON.parse(event.data) as Job
    if (!isLive(job)) stream.close()
    onNews(job)
  })
  return () => {
    stream.close()
  }
}

/**
 * What a job at a file gave: waits until it ends. `onNews` hears how far it is; an abort stops the
 * waiting, not the job.
 */
export async function afterJob<T>(
  begun: Promise<Job>,
  result: (id: number) => Promise<T>,
  onNews: (job: Job) => void = () => undefined,
  signal?: AbortSignal,
): Promise<T> {
  const first = await begun
  const last = !isLive(first)
    ? first
    : await new Promise<Job>((resolve, reject) => {
        const leave = hearJob(first.id, (job) => {
          onNews(job)
          if (!isLive(job)) resolve(job)
        })
        signal?.addEventListener('abort', () => {
          leave()
          reject(new DOMException('left', 'AbortError'))
        })
      })
  if (last.state === 'failed') throw new Problem(last.error, null, 422)
  if (last.state === 'stopped') throw new Problem('It was stopped; the file is kept.', null, 422)
  return result(last.id)
}

/**
 * Follows long work while it runs: the newest the server said of it. `onNews` hears each time
 * something was found, and the end.
 */
export function useFollowedJob(
  known: Job | null | undefined,
  onNews: (job: Job) => void,
): Job | null {
  const [heard, setHeard] = useState<Job | null>(null)
  const tell = useRef(onNews)
  useEffect(() => {
    tell.current = onNews
  })
  const jobId = known?.id
  const live = isLive(known)
  useEffect(() => {
    if (jobId === undefined || !live) return
    let found = ''
    return hearJob(jobId, (job) => {
      setHeard(job)
      const news = `${job.history.length} ${job.said.length} ${job.said.at(-1) ?? ''}`
      if (news !== found || !isLive(job)) {
        found = news
        tell.current(job)
      }
    })
  }, [jobId, live])
  return heard !== null && known && heard.id === known.id && heard.version >= known.version
    ? heard
    : (known ?? null)
}
