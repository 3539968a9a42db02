import { cssShare } from './units'
import { isLive, type Job } from './job'

/** A file that is being read: how far it is, and what was found so far. */
export function Reading({ job, what }: { job: Job | null; what: string }) {
  return (
    <div role="status" className="docket px-4 py-3">
      <div>
        {job?.state === 'queued' ? 'Waiting for a worker to read' : 'Reading'} {what}
        {job && isLive(job) && job.said.length > 0 ? `: ${job.said.at(-1) ?? ''}` : ' …'}
      </div>
      <div className="mt-2 h-3 border border-ink/60">
        <div className="h-full bg-brass" style={{ width: cssShare(job?.share ?? 0) }} />
      </div>
    </div>
  )
}
