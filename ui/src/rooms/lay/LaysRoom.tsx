import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, told } from '../../api/client'
import { Empty, Trouble, Waiting } from '../../parts/controls'
import { dayOf } from '../../parts/units'

/** Every lay, newest first; from here one is opened again. */
export function LaysRoom() {
  const lays = useQuery({ queryKey: ['lays'], queryFn: () => told(api.GET('/api/lays')) })
  const batches = useQuery({ queryKey: ['batches'], queryFn: () => told(api.GET('/api/batches')) })
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
            <li key={lay.id} className="docket mb-2">
              <Link
                to={`/lay/${lay.id}`}
                className="grid min-h-14 grid-cols-[1fr_auto_auto_auto] items-center gap-6 px-5 py-2 hover:bg-card"
              >
                <span>
                  <b className="figure text-xl">{batch?.number}</b>{' '}
                  <span className="text-lg">{batch?.name}</span>
                  <span className="block text-ink-soft">
                    {lay.material} on {lay.hides.join(', ')}
                  </span>
                </span>
                <span className="figure text-xl font-bold">
                  {lay.placed} of {lay.wanted}
                </span>
                <span className="text-ink-soft">revision {lay.head}</span>
                <span className="text-ink-soft">{dayOf(lay.created_at)}</span>
              </Link>
            </li>
          )
        })}
      </ul>
    </div>
  )
}
