import { useEffect, useRef, useState } from 'react'
import type { Schemas } from '../api/client'

export type Job = Schemas['JobOut']
export const isLive = (job: Job | null | undefined) =>
  job?.state === 'queued' || job?.state === 'running'

/** Follows long work while it runs: the newest the server said of it. `onNews` hears each time something was found, and the end. */
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
    const stream = new EventSource(`/api/jobs/${jobId}/events`)
    stream.addEventListener('job', (event: MessageEvent<string>) => {
      const job = JSON.parse(event.data) as Job
      setHeard(job)
      const news = `${job.history.length} ${job.said.length}`
      if (news !== found || !isLive(job)) {
        found = news
        tell.current(job)
      }
      if (!isLive(job)) stream.close()
    })
    return () => {
      stream.close()
    }
  }, [jobId, live])
  return heard !== null && known && heard.id === known.id && heard.version >= known.version
    ? heard
    : (known ?? null)
}
