import { useMutation } from '@tanstack/react-query'
import { Link, useNavigate } from 'react-router'
import { api, server, told, type Schemas } from '../../api/client'
import { Button, Empty, Trouble, Waiting } from '../../parts/controls'
import { cssShare } from '../../parts/units'
import { useMay } from '../people/me'
import { Only } from '../people/Only'
import { Choices } from './Choices'

const WORDS: Record<string, string> = { open: 'being cut', laid: 'laid, to be cut', closed: 'cut' }

/** Hides to be cut, being cut, and cut. */
export function CutList() {
  const found = server.useQuery('get', '/api/cut')
  const go = useNavigate()
  const mayCut = useMay('begin_cut')
  const begin = useMutation({
    mutationFn: (one: Schemas['ToCut']) =>
      told(
        api.POST('/api/lays/{lay_id}/cut', {
          params: { path: { lay_id: one.lay_id } },
          body: { hide: one.hide },
        }),
      ),
    onSuccess: (made) => go(`/cut/${made.id}`),
  })
  if (found.isPending) return <Waiting what="what is to be cut" />
  if (found.error)
    return (
      <div className="p-8">
        <Trouble error={found.error} />
      </div>
    )
  if (found.data.length === 0)
    return (
      <Empty title="Nothing is laid to be cut">
        <p>
          Have a{' '}
          <Link className="underline" to="/batches">
            batch
          </Link>{' '}
          laid first; its hides are cut from here.
        </p>
      </Empty>
    )
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <div className="flex max-w-4xl items-center gap-4">
        <h1 className="font-stamp text-2xl font-bold">Cut</h1>
        <span className="ml-auto">
          <Only may="choose_cut">
            <Choices />
          </Only>
        </span>
      </div>
      <Trouble error={begin.error} />
      <ul className="mt-3 max-w-4xl" aria-label="Hides to cut">
        {found.data.map((one) => (
          <li
            key={`${one.lay_id} ${one.hide}`}
            className={`docket mb-2 grid min-h-16 grid-cols-[110px_1fr_auto] items-center gap-x-5 px-5 py-2 ${one.state === 'closed' ? 'opacity-70' : ''}`}
          >
            <b className="figure text-2xl whitespace-nowrap">{one.hide}</b>
            <span className="min-w-0">
              <span className="block truncate text-lg">{one.batch}</span>
              <span className="block text-ink-soft">
                {one.material} · {WORDS[one.state] ?? one.state}
                {one.sheet !== null && ` · ${one.done} of ${one.pieces} cut`}
                {one.sheet === null && ` · ${one.pieces} pieces`}
              </span>
              {one.state === 'open' && (
                <span className="mt-1 block h-2 max-w-md border border-ink/50">
                  <span
                    className="block h-full bg-sound"
                    style={{ width: cssShare(one.pieces ? one.done / one.pieces : 0) }}
                  />
                </span>
              )}
            </span>
            {one.sheet !== null ? (
              <Button
                look={one.state === 'open' ? 'brass' : 'paper'}
                className="min-h-14 px-6 text-lg"
                onClick={() => go(`/cut/${one.sheet ?? 0}`)}
              >
                {one.state === 'open' ? 'Go on' : 'Look'}
              </Button>
            ) : (
              <Button
                className="min-h-14 px-6 text-lg"
                disabled={!mayCut || begin.isPending}
                onClick={() => {
                  begin.mutate(one)
                }}
              >
                Begin
              </Button>
            )}
          </li>
        ))}
      </ul>
    </div>
  )
}
