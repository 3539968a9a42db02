import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Schemas } from '../../api/client'

export type Job = Schemas['JobOut']
export const isLive = (job: Job | null | undefined) => job?.state === 'queued' || job?.state === 'running'

/** Follows a lay's job while it runs: the newest the server said of it, the lay fetched anew with each better one. */
export function useFollowedJob(layId: number, known: Job | null | undefined): Job | null {
  const queries = useQueryClient()
  const [heard, setHeard] = useState<Job | null>(null)
  const jobId = known?.id
  const live = isLive(known)
  useEffect(() => {
    if (jobId === undefined || !live) return
    let found = -1
    const stream = new EventSource(`/api/jobs/${jobId}/events`)
    stream.addEventListener('job', (event: MessageEvent<string>) => {
      const job = JSON.parse(event.data) as Job
      setHeard(job)
      if (job.history.length !== found || !isLive(job)) {
        found = job.history.length
        void queries.invalidateQueries({ queryKey: ['lay', layId] })
      }
      if (!isLive(job)) stream.close()
    })
    return () => { stream.close() }
  }, [jobId, live, layId, queries])
  return heard !== null && known && heard.id === known.id && heard.version >= known.version ? heard : (known ?? null)
}
