import { useRef, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { Button, Empty, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { useArticle, type Drawn } from './article'
import { ArticleDocket } from './ArticleDocket'
import { inRows, PatternDrawing } from './PatternDrawing'

/**
 * One article: all its card templates laid out on the bench at one scale, and what one of it takes.
 */
export function ArticleRoom() {
  const id = Number(useParams().id)
  const [search] = useSearchParams()
  const revision = search.get('rev') === null ? undefined : Number(search.get('rev'))
  const hand = useArticle(id, revision)
  const go = useNavigate()
  const view = useRef<ViewHandle>(null)
  const [at, setAt] = useState<string | null>(null)
  if (hand.error)
    return (
      <div className="p-8">
        <Trouble error={hand.error} />
      </div>
    )
  if (!hand.view) return <Waiting what="the article" />
  const { article, drawn } = hand.view
  const names = new Map(article.pieces.map((p) => [p.slug, p.name]))
  const set = inRows(
    drawn.map((d) => ({ item: d, ...d.bounds })),
    24,
    2.6,
  )
  const piece = (slug: string) =>
    `/patterns/${id}/piece/${slug}${revision === undefined ? '' : `?rev=${revision}`}`
  const step = (by: number) => {
    const order = set.placed.map((p) => p.item.slug)
    const now = order.indexOf(at ?? '')
    setAt(order[(now + by + order.length) % order.length] ?? null)
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-4 px-5 py-2">
        <Link to="/patterns" className="text-chalk-dim hover:text-chalk">
          ← Drawers
        </Link>
        <h1 className="font-stamp text-2xl font-bold">{article.name}</h1>
        <span className="figure text-xl">rev. {hand.view.letter}</span>
        {hand.view.batches.length > 0 && (
          <span className="text-chalk-dim">
            planned in {hand.view.batches.join(', ')}: it stays as it is
          </span>
        )}
        {!hand.view.newest && <span className="text-chalk-dim">an earlier revision</span>}
        <span className="ml-auto flex items-center gap-2">
          {hand.canUndo && hand.open && (
            <Button look="bench" onClick={hand.undo}>
              Undo
            </Button>
          )}
          <RoomKeys
            room={article.name}
            keys={[
              {
                key: 'n',
                does: 'go to the next piece',
                act: () => {
                  step(1)
                },
              },
              {
                key: 'p',
                does: 'go to the piece before',
                act: () => {
                  step(-1)
                },
              },
              {
                key: 'Enter',
                does: 'open the piece',
                act: () => {
                  if (at) void go(piece(at))
                },
              },
              { key: 'u', does: 'undo the last change', act: hand.undo },
              { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
              { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
              { key: '0', does: 'see all pieces', act: () => view.current?.whole() },
            ]}
          />
        </span>
      </div>
      <div className="min-h-0 flex-1">
        {drawn.length === 0 ? (
          <Empty title="No pieces yet">
            <p>
              Bring in the first: by its measures, from a photograph on squared paper, or from a
              drawing.
            </p>
            <div className="mt-5 flex justify-center gap-3">
              <Button
                look="brass"
                className="min-h-14"
                onClick={() => {
                  void go(`/patterns/${id}/add`)
                }}
              >
                Add a piece
              </Button>
            </div>
          </Empty>
        ) : (
          <HideView
            handle={view}
            bounds={{ x0: 0, y0: 0, x1: set.width, y1: set.height }}
            centred
            label={`The pieces of ${article.name} at one scale`}
          >
            {(scale) =>
              set.placed.map(({ item, dx, dy }) => (
                <OnBench
                  key={item.slug}
                  drawn={item}
                  name={names.get(item.slug) ?? item.slug}
                  scale={scale}
                  dx={dx}
                  dy={dy}
                  out={at === item.slug}
                  onPoint={() => {
                    setAt(item.slug)
                  }}
                  onOpen={() => {
                    void go(piece(item.slug))
                  }}
                />
              ))
            }
          </HideView>
        )}
      </div>
      <ArticleDocket id={id} hand={hand} at={at} onPoint={setAt} />
    </div>
  )
}

function OnBench({
  drawn,
  name,
  scale,
  dx,
  dy,
  out,
  onPoint,
  onOpen,
}: {
  drawn: Drawn
  name: string
  scale: number
  dx: number
  dy: number
  out: boolean
  onPoint: () => void
  onOpen: () => void
}) {
  const px = 1 / scale
  const { x0, x1, y1 } = drawn.bounds
  return (
    <g
      transform={`translate(${dx},${dy})`}
      className="cursor-pointer"
      onPointerEnter={onPoint}
      onClick={onOpen}
      data-piece={drawn.slug}
    >
      <PatternDrawing drawn={drawn} name={name} scale={scale} />
      {out && (
        <path
          d={`M${(drawn.cut[0] ?? []).map((p) => `${p[0] ?? 0},${p[1] ?? 0}`).join('L')}Z`}
          fill="none"
          stroke="#d9a441"
          strokeWidth={3 * px}
        />
      )}
      {(x1 - x0) * scale > 70 && (
        <text
          x={(x0 + x1) / 2}
          y={y1 + 13 * px}
          fontSize={12 * px}
          textAnchor="middle"
          fill="#f4f1e8"
          pointerEvents="none"
        >
          {drawn.name_at.r * scale < name.length * 2.4
            ? `${name}, ${drawn.quantity_words}`
            : drawn.quantity_words}
        </text>
      )}
    </g>
  )
}
