import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, readFrom, server, told } from '../../api/client'
import { Button, Said, Trouble } from '../../parts/controls'
import { isLive } from '../../parts/job'
import { useMay } from '../people/me'

const LOOK_EVERY_MS = 900

/** How many of what found no place have room on these hides at all: proved, where somebody asks. */
export function RoomFor({ layId, busy }: { layId: number; busy: boolean }) {
  const queries = useQueryClient()
  const mayAsk = useMay('prove')
  const params = { path: { lay_id: layId } }
  const proofs = server.useQuery(
    'get',
    '/api/lays/{lay_id}/proofs',
    { params },
    {
      staleTime: 0,
      refetchInterval: (query) => (isLive(query.state.data?.job ?? null) ? LOOK_EVERY_MS : false),
    },
  ).data
  const onSettled = () => queries.invalidateQueries(readFrom('/api/lays/{lay_id}/proofs'))
  const prove = useMutation({
    mutationFn: () => told(api.POST('/api/lays/{lay_id}/proofs', { params })),
    onSettled,
  })
  const stop = useMutation({
    mutationFn: (job_id: number) =>
      told(api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id } } })),
    onSettled,
  })
  if (!proofs) return null
  const job = proofs.job
  const live = job !== null && isLive(job)
  const found = proofs.found.filter((f) => f.words !== '')
  if (!proofs.ask && found.length === 0 && !live) return null
  return (
    <div className="text-sm" role="status" aria-label="Room for it">
      <Trouble error={prove.error ?? stop.error} onPaper />
      {found.map((f) => (
        <p
          key={`${f.of} ${f.name}`}
          className={
            f.most !== null && f.most < f.wanted
              ? 'mb-1 border-l-4 border-brass bg-brass/15 px-2 py-0.5'
              : 'pb-1 text-ink-soft'
          }
        >
          <Said words={f.words} />
        </p>
      ))}
      {job?.state === 'failed' && (
        <p className="text-unsound">
          <Said words={job.error} />
        </p>
      )}
      {live ? (
        <div className="flex items-center gap-2 py-1">
          <span>
            {job.state === 'queued'
              ? 'Waits for a worker'
              : `Proving: ${proofs.proved} of ${proofs.proofs}`}
          </span>
          <Button
            look="stop"
            className="ml-auto px-3"
            disabled={stop.isPending}
            onClick={() => {
              stop.mutate(job.id)
            }}
          >
            Stop
          </Button>
        </div>
      ) : (
        mayAsk &&
        proofs.ask && (
          <Button
            className="mb-1 w-full px-2"
            disabled={busy || prove.isPending}
            onClick={() => {
              prove.mutate()
            }}
          >
            How many could lie at all?
          </Button>
        )
      )}
    </div>
  )
}
