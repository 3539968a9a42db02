import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Empty, Trouble, Waiting } from '../../parts/controls'
import { dayOf } from '../../parts/units'

/** Every lay, newest first; from here one is opened again. */
export function LaysRoom() {
  const lays = server.useQuery('get', '/api/lays')
  const batches = server.useQuery('get', '/api/batches')
  const queries = useQueryClient()
  /** A lay that is given up holds its hides no longer: the batch may let them go. */
  const giveUp = useMutation({
    mutationFn: (lay: Schemas['LaySummaryOut']) => {
      const asked = { params: { path: { lay_id: lay.id } } }
      return told(
        lay.given_up
          ? api.DELETE('/api/lays/{lay_id}/given-up', asked)
          : api.POST('/api/lays/{lay_id}/given-up', asked),
      )
    },
    onSettled: () => queries.invalidateQueries(readFrom('/api/lays')),
  })
  if (lays.isPending || batches.isPending) return <Waiting what="the lays" />
  if (lays.error)
    return (
      <div className="p-8">
        <Trouble error={lays.error} />
      </div>
    )
  if (lays.data.length === 0)
    return (
      <Empty title="Nothing is laid yet">
        <p>
          Choose leather for a{' '}
          <Link className="underline" to="/batches">
            batch
          </Link>
          , then have it laid.
        </p>
      </Empty>
    )
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <Trouble error={giveUp.error} />
      <h1 className="font-stamp text-2xl font-bold">Lays</h1>
      <p className="text-chalk-dim">
        To lay another, open a{' '}
        <Link className="underline" to="/batches">
          batch
        </Link>{' '}
        and choose its leather.
      </p>
      <ul className="mt-4 max-w-4xl">
        {lays.data.map((lay) => {
          const batch = batches.data?.find((b) => b.id === lay.batch_id)
          return (
            <li key={lay.id} className="docket mb-2 flex items-center">
              <Link
                to={`/lay/${lay.id}`}
                className={`grid min-h-14 min-w-0 flex-1 grid-cols-[1fr_auto] items-center gap-x-6 px-5 py-2 hover:bg-card md:grid-cols-[1fr_auto_auto_auto] ${lay.given_up ? 'opacity-60' : ''}`}
              >
                <span className="min-w-0">
                  <b className="figure text-xl">{batch?.number}</b>{' '}
                  <span className="text-lg">{batch?.name}</span>
                  <span className="block text-ink-soft">
                    {lay.given_up ? 'given up · ' : ''}
                    {lay.material} on {lay.hides.join(', ')}
                  </span>
                </span>
                <span className="figure text-xl font-bold">
                  {lay.placed} of {lay.wanted}
                </span>
                <span className="text-ink-soft">revision {lay.head}</span>
                <span className="text-ink-soft">{dayOf(lay.created_at)}</span>
              </Link>
              <Button
                className="mr-4"
                disabled={giveUp.isPending}
                onClick={() => {
                  giveUp.mutate(lay)
                }}
              >
                {lay.given_up ? 'Take it up again' : 'Give it up'}
              </Button>
            </li>
          )
        })}
      </ul>
    </div>
  )
}
