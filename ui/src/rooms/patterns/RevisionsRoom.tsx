import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { api, readUnder, server, told, type Schemas } from '../../api/client'
import { HideView } from '../../hide/HideView'
import { boundsOf, pathOf } from '../../hide/paths'
import { Button, Empty, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { dayOf, plural } from '../../parts/units'
import { newestKey, useArticle } from './article'
import { inRows } from './PatternDrawing'

type Change = Schemas['ChangeOut']

/** The revisions of an article: why each was made, and old and new outlines over each other. */
export function RevisionsRoom() {
  const id = Number(useParams().id)
  const hand = useArticle(id)
  const cards = server.useQuery('get', '/api/patterns/{article_id}/revisions', {
    params: { path: { article_id: id } },
  })
  const [at, setAt] = useState<number | null>(null)
  const newest = cards.data?.[0]?.number ?? 1
  const shown = at ?? newest
  const changed = server.useQuery(
    'get',
    '/api/patterns/{article_id}/changes',
    {
      params: { path: { article_id: id }, query: { old: shown - 1, new: shown } },
    },
    { enabled: shown > 1 },
  )
  if (cards.error)
    return (
      <div className="p-8">
        <Trouble error={cards.error} />
      </div>
    )
  if (!cards.data || !hand.view) return <Waiting what="the revisions" />
  const step = (by: number) => {
    setAt(Math.min(newest, Math.max(1, shown + by)))
  }
  const letter = (n: number) => cards.data.find((c) => c.number === n)?.letter ?? ''
  return (
    <div className="beside h-full">
      <div className="flex min-w-0 flex-col">
        <div className="flex items-center gap-4 px-5 py-2">
          <Link to={`/patterns/${id}`} className="text-chalk-dim hover:text-chalk">
            ← {hand.view.article.name}
          </Link>
          <h1 className="font-stamp text-2xl font-bold">
            {shown > 1
              ? `What changed from ${letter(shown - 1)} to ${letter(shown)}`
              : `Revision ${letter(shown)}, the first`}
          </h1>
          <span className="ml-auto">
            <RoomKeys
              room="Revisions"
              keys={[
                {
                  key: 'ArrowDown',
                  shown: '↓',
                  does: 'see the revision before',
                  act: () => {
                    step(-1)
                  },
                },
                {
                  key: 'ArrowUp',
                  shown: '↑',
                  does: 'see the next revision',
                  act: () => {
                    step(1)
                  },
                },
              ]}
            />
          </span>
        </div>
        <div className="min-h-0 flex-1">
          {shown === 1 ? (
            <Empty title="Nothing came before it">
              <p>
                A new revision keeps its reason and a picture of what changed, and every batch keeps
                the revision that it was planned with.
              </p>
            </Empty>
          ) : changed.data?.length === 0 ? (
            <Empty title="Nothing differs yet">
              <p>
                Change a piece of this revision, and its old and new outlines will lie over each
                other here.
              </p>
            </Empty>
          ) : (
            changed.data && <Over changes={changed.data} />
          )}
        </div>
        {changed.data && changed.data.length > 0 && <Differences changes={changed.data} />}
      </div>
      <aside className="docket overflow-auto px-5 py-4">
        <h2 className="font-stamp text-xl font-bold">Revisions</h2>
        {hand.view.batches.length > 0 && (
          <p className="mt-1 text-sm">
            Revision {hand.view.letter} is planned in {hand.view.batches.join(', ')} and is not
            changed any more.
          </p>
        )}
        <Begin id={id} onBegun={setAt} />
        <ul className="mt-4">
          {cards.data.map((c) => (
            <li
              key={c.number}
              className={`border-b border-docket-line ${c.number === shown ? 'bg-brass/25' : ''}`}
            >
              <button
                type="button"
                className="block w-full px-2 py-2 text-left"
                onClick={() => {
                  setAt(c.number)
                }}
                aria-pressed={c.number === shown}
              >
                <span className="flex items-baseline gap-3">
                  <span className="figure text-2xl font-bold">{c.letter}</span>
                  <span className="text-ink-soft">
                    {dayOf(c.created_at)} · {plural(c.pieces, 'pattern')}
                  </span>
                </span>
                <span className="block">{c.reason || 'The first.'}</span>
                {c.batches.length > 0 && (
                  <span className="block text-sm text-ink-soft">
                    planned in {c.batches.join(', ')}
                  </span>
                )}
              </button>
              <Link
                to={`/patterns/${id}${c.number === newest ? '' : `?rev=${c.number}`}`}
                className="block px-2 pb-2 text-sm underline"
              >
                Lay out revision {c.letter}
              </Link>
            </li>
          ))}
        </ul>
      </aside>
    </div>
  )
}

function Begin({ id, onBegun }: { id: number; onBegun: (n: number) => void }) {
  const [reason, setReason] = useState('')
  const queries = useQueryClient()
  const go = useNavigate()
  const begin = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/patterns/{article_id}/revisions', {
          params: { path: { article_id: id } },
          body: { reason },
        }),
      ),
    onSuccess: async (view) => {
      queries.setQueryData(newestKey(id), view)
      await queries.invalidateQueries(readUnder('/api/patterns'))
      onBegun(view.number)
      await go(`/patterns/${id}`)
    },
  })
  return (
    <form
      className="mt-3 grid gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        begin.mutate()
      }}
    >
      <label className="text-sm">
        What did the last one teach?
        <textarea
          className="mt-1 block w-full border border-ink/40 bg-white px-3 py-2"
          rows={2}
          value={reason}
          onChange={(e) => {
            setReason(e.target.value)
          }}
          placeholder="The loop is too tight on its post"
        />
      </label>
      <Trouble error={begin.error} onPaper />
      <Button look="brass" type="submit" disabled={!reason.trim() || begin.isPending}>
        Begin a new revision
      </Button>
    </form>
  )
}

/** Old outlines in broken chalk over the new cards. */
function Over({ changes }: { changes: Change[] }) {
  const set = inRows(
    changes.map((c) => {
      const [x0, y0, x1, y1] = boundsOf([...c.before, ...c.after])
      return { item: c, x0, y0, x1, y1 }
    }),
    40,
    1.5,
  )
  return (
    <HideView
      bounds={{ x0: 0, y0: 0, x1: set.width, y1: set.height + 20 }}
      centred
      label="Old and new outlines over each other"
    >
      {(scale) =>
        set.placed.map(({ item: c, dx, dy }) => {
          const px = 1 / scale
          const [x0, , x1, y1] = boundsOf([...c.before, ...c.after])
          return (
            <g key={c.slug} transform={`translate(${dx},${dy})`} data-change={c.slug}>
              {c.after.length > 0 && (
                <path
                  d={pathOf(c.after)}
                  fill="#efe2c4"
                  fillRule="evenodd"
                  stroke="#211c17"
                  strokeWidth={1.8 * px}
                />
              )}
              {c.before.length > 0 && (
                <path
                  d={pathOf(c.before)}
                  fill={c.after.length ? 'none' : '#f4f1e8'}
                  fillOpacity={0.12}
                  fillRule="evenodd"
                  stroke="#a3281a"
                  strokeWidth={1.8 * px}
                  strokeDasharray={`${7 * px} ${5 * px}`}
                />
              )}
              <text
                x={(x0 + x1) / 2}
                y={y1 + 16 * px}
                fontSize={13 * px}
                textAnchor="middle"
                fill="#f4f1e8"
              >
                {c.name}
                {c.kind === 'changed'
                  ? c.moved_mm > 0.05
                    ? `: edge moved up to ${c.moved_mm} mm`
                    : ': same outline'
                  : `, ${c.kind}`}
              </text>
            </g>
          )
        })
      }
    </HideView>
  )
}

function Differences({ changes }: { changes: Change[] }) {
  return (
    <div className="docket torn max-h-[34%] overflow-auto px-6 pt-3 pb-3">
      <p className="text-sm text-ink-soft">Solid: new. Broken red: as it was.</p>
      <table className="w-full">
        <thead>
          <tr className="text-left text-[13px] text-ink-soft">
            <th className="font-normal">Piece</th>
            <th className="font-normal">What</th>
            <th className="text-right font-normal">was</th>
            <th className="text-right font-normal">is</th>
          </tr>
        </thead>
        <tbody>
          {changes.flatMap((c) =>
            (c.differs.length === 0 ? [{ what: c.kind, before: '', after: '' }] : c.differs).map(
              (d, i) => (
                <tr key={`${c.slug}${i}`} className="border-t border-docket-line">
                  <td>{i === 0 ? c.name : ''}</td>
                  <td>{d.what}</td>
                  <td className="figure text-right">{d.before}</td>
                  <td className="figure text-right font-bold">{d.after}</td>
                </tr>
              ),
            ),
          )}
        </tbody>
      </table>
    </div>
  )
}
