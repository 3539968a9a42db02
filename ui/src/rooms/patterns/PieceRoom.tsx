import { useMutation } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { api, told } from '../../api/client'
import { drawnPath } from '../../hide/drawing'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { useDrawing } from '../../hide/useDrawing'
import { type At } from '../../hide/places'
import { pathOf } from '../../hide/paths'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { useUnits } from '../../parts/units'
import { freshSlug, useArticle, withPiece, type Mark, type Pattern } from './article'
import type { Node } from './contours'
import { CutPanel } from './CutPanel'
import { Handles } from './Handles'
import { MarksPanel } from './MarksPanel'
import { NeedsPanel } from './NeedsPanel'
import { OutlinePanel, type Half } from './OutlinePanel'
import { PatternDrawing } from './PatternDrawing'
import { made, SAYS, SHAPES, type Act } from './pieceTools'

const TABS = [
  ['needs', 'Needs'],
  ['cut', 'Cut'],
  ['marks', 'Marks'],
  ['outline', 'Outline'],
] as const

/** One piece on the bench: its needs, margins, marks and outline, set where they lie. */
export function PieceRoom() {
  const id = Number(useParams().id)
  const slug = useParams().slug ?? ''
  const [search] = useSearchParams()
  const revision = search.get('rev') === null ? undefined : Number(search.get('rev'))
  const hand = useArticle(id, revision)
  const go = useNavigate()
  const units = useUnits()
  const view = useRef<ViewHandle>(null)
  const [tab, setTab] = useState<(typeof TABS)[number][0]>('needs')
  const [act, setAct] = useState<Act>(null)
  const [edge, setEdge] = useState<number | null>(null)
  const [mark, setMark] = useState<string | null>(null)
  const [outline, setOutline] = useState<Node[] | null>(null)
  const [half, setHalf] = useState<Half | null>(null)
  const unfold = useMutation({
    mutationFn: (line: { start: At; end: At; contour: Node[] }) =>
      told(api.POST('/api/ways-in/half', { body: line })),
    onSuccess: (whole) => {
      setHalf(whole)
    },
  })
  const found = hand.view?.article.pieces.find((q) => q.slug === slug)
  const change = (alter: (p: Pattern) => Pattern) => {
    void hand.change(withPiece(slug, alter))
  }
  const addMark = (m: Mark) => {
    change((q) => ({ ...q, marks: [...q.marks, m] }))
    setMark(m.id)
    setTab('marks')
  }
  const pen = useDrawing(act === null ? null : SHAPES[act], (points) => {
    const what = act === null || !found ? null : made(act, points, found)
    if (what === null || !found) return
    if ('mark' in what) addMark(what.mark)
    else if ('alter' in what) change(what.alter)
    else unfold.mutate({ ...what.centre, contour: found.contour })
    setAct(null)
  })
  if (hand.error)
    return (
      <div className="p-8">
        <Trouble error={hand.error} />
      </div>
    )
  if (!hand.view) return <Waiting what="the piece" />
  const p = found
  const drawn = hand.view.drawn.find((d) => d.slug === slug)
  if (!p || !drawn)
    return (
      <div className="p-8">
        <Trouble error={new Error(`There is no piece ${slug} in ${hand.view.article.name}.`)} />
      </div>
    )
  const order = hand.view.article.pieces.map((q) => q.slug)
  const step = (by: number) => {
    setOutline(null)
    setHalf(null)
    setEdge(null)
    void go(
      `/patterns/${id}/piece/${order[(order.indexOf(slug) + by + order.length) % order.length] ?? slug}${revision === undefined ? '' : `?rev=${revision}`}`,
    )
  }
  const shown = half?.outline.contour ?? outline ?? p.contour
  return (
    <div className="beside h-full">
      <div className="flex min-w-0 flex-col">
        <div className="flex items-center gap-4 px-5 py-2">
          <Link
            to={`/patterns/${id}${revision === undefined ? '' : `?rev=${revision}`}`}
            className="text-chalk-dim hover:text-chalk"
          >
            ← {hand.view.article.name}
          </Link>
          <h1 className="truncate font-stamp text-2xl font-bold">{p.name}</h1>
          <span className="figure text-lg whitespace-nowrap">
            rev. {drawn.letter} · {units.length(drawn.length_mm)} × {units.length(drawn.width_mm)} ·{' '}
            {units.area(drawn.area_m2)}
          </span>
          <span className="ml-auto flex items-center gap-2">
            {hand.canUndo && hand.open && (
              <Button look="bench" onClick={hand.undo}>
                Undo
              </Button>
            )}
            <RoomKeys
              room={p.name}
              keys={[
                {
                  key: 'ArrowRight',
                  shown: '→',
                  does: 'the next piece',
                  act: () => {
                    step(1)
                  },
                },
                {
                  key: 'ArrowLeft',
                  shown: '←',
                  does: 'the piece before',
                  act: () => {
                    step(-1)
                  },
                },
                {
                  key: 'e',
                  does: 'take up the next edge',
                  act: () => {
                    setEdge(edge === null ? 0 : edge + 1 < drawn.edges.length ? edge + 1 : null)
                  },
                },
                {
                  key: '[',
                  does: 'turn the grain by a degree',
                  act: () => {
                    change((q) => ({
                      ...q,
                      needs: { ...q.needs, grain_deg: q.needs.grain_deg - 1 },
                    }))
                  },
                },
                {
                  key: ']',
                  does: 'turn it the other way',
                  act: () => {
                    change((q) => ({
                      ...q,
                      needs: { ...q.needs, grain_deg: q.needs.grain_deg + 1 },
                    }))
                  },
                },
                { key: 'u', does: 'undo the last change', act: hand.undo },
                {
                  key: '1',
                  does: 'needs',
                  act: () => {
                    setTab('needs')
                  },
                },
                {
                  key: '2',
                  does: 'cut',
                  act: () => {
                    setTab('cut')
                  },
                },
                {
                  key: '3',
                  does: 'marks',
                  act: () => {
                    setTab('marks')
                  },
                },
                {
                  key: '4',
                  does: 'outline',
                  act: () => {
                    setTab('outline')
                  },
                },
                {
                  key: 'd',
                  does: 'draw by keys: arrows move the chalk, Space puts it down and lifts it, Enter presses',
                  act: () => view.current?.chalk(),
                },
                { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
                { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
                { key: '0', does: 'see the whole piece', act: () => view.current?.whole() },
                {
                  key: 'Escape',
                  shown: 'Esc',
                  does: 'leave what is begun, or the piece',
                  act: () => {
                    if (act) setAct(null)
                    else if (half) setHalf(null)
                    else void go(`/patterns/${id}`)
                  },
                },
              ]}
            />
          </span>
        </div>
        {!hand.open && (
          <p className="docket mx-5 px-4 py-2">
            Revision {hand.view.letter}
            {hand.view.batches.length > 0 &&
              ` is planned in ${hand.view.batches.join(', ')} and`}{' '}
            stays as it is.{' '}
            <Link className="underline" to={`/patterns/${id}/revisions`}>
              Begin a new revision
            </Link>{' '}
            to change it.
          </p>
        )}
        <div className="relative min-h-0 flex-1">
          {act && (
            <p
              role="status"
              className="absolute top-10 left-10 z-10 bg-brass px-4 py-2 font-semibold text-ink"
            >
              {SAYS[act]}
            </p>
          )}
          <HideView
            key={slug}
            handle={view}
            bounds={drawn.bounds}
            centred
            label={`${p.name}, drawn to scale`}
            held={act !== null}
            onPointer={pen.onPointer}
          >
            {(scale) => {
              const px = 1 / scale
              return (
                <>
                  <g opacity={tab === 'outline' ? 0.55 : 1}>
                    <PatternDrawing
                      drawn={drawn}
                      name={p.name}
                      scale={scale}
                      chosen={mark}
                      words={tab !== 'outline'}
                    />
                  </g>
                  {tab !== 'outline' &&
                    drawn.edges.map((e, i) => (
                      <path
                        key={i}
                        d={`M${e.points.map((q) => `${q[0] ?? 0},${q[1] ?? 0}`).join('L')}`}
                        fill="none"
                        stroke={i === edge ? '#d9a441' : 'transparent'}
                        strokeWidth={(i === edge ? 5 : 12) * px}
                        strokeOpacity={i === edge ? 0.9 : 1}
                        className={act ? '' : 'cursor-pointer'}
                        onClick={() => {
                          if (!act) setEdge(i === edge ? null : i)
                        }}
                        data-edge={i}
                      >
                        <title>{`edge ${i + 1}, ${units.length(e.length_mm)}`}</title>
                      </path>
                    ))}
                  {p.seam_lines.map((s) => (
                    <line
                      key={s.id}
                      x1={s.start.x}
                      y1={s.start.y}
                      x2={s.end.x}
                      y2={s.end.y}
                      stroke="#a3281a"
                      strokeWidth={1.6 * px}
                      strokeDasharray={`${10 * px} ${4 * px} ${2 * px} ${4 * px}`}
                    />
                  ))}
                  {tab === 'outline' && hand.open && !half && p.variant_of === '' && (
                    <Handles
                      contour={shown}
                      scale={scale}
                      onChange={setOutline}
                      onDone={(to) => {
                        void hand
                          .change(withPiece(slug, (q) => ({ ...q, contour: to })))
                          .then(() => {
                            setOutline(null)
                          })
                      }}
                    />
                  )}
                  {half && (
                    <path
                      d={pathOf(half.outline.rings)}
                      fill="#efe2c4"
                      fillOpacity={0.75}
                      stroke="#a3281a"
                      strokeWidth={2 * px}
                    />
                  )}
                  {pen.points.length > 1 && (
                    <path
                      d={drawnPath(pen.points, act === 'hidden')}
                      fill={act === 'hidden' ? '#3a3128' : 'none'}
                      fillOpacity={0.2}
                      stroke="#a3281a"
                      strokeWidth={2 * px}
                      pointerEvents="none"
                    />
                  )}
                  {tab === 'needs' && drawn.grain_deg !== null && hand.open && (
                    <GrainHandle
                      p={p}
                      at={drawn.name_at}
                      px={px}
                      onTurn={(grain_deg) => {
                        change((q) => ({ ...q, needs: { ...q.needs, grain_deg } }))
                      }}
                    />
                  )}
                </>
              )
            }}
          </HideView>
        </div>
      </div>
      <aside className="docket flex min-h-0 flex-col" aria-label={`What ${p.name} needs`}>
        <div role="tablist" className="flex border-b border-ink/30">
          {TABS.map(([key, name]) => (
            <button
              key={key}
              type="button"
              role="tab"
              aria-selected={tab === key}
              className={`min-h-12 flex-1 font-stamp text-lg ${tab === key ? 'border-b-4 border-brass-deep font-bold' : 'text-ink-soft'}`}
              onClick={() => {
                setTab(key)
              }}
            >
              {name}
            </button>
          ))}
        </div>
        <fieldset disabled={!hand.open} className="min-h-0 flex-1 overflow-auto px-5 py-3">
          <Trouble error={hand.refused ?? unfold.error} onPaper />
          {tab === 'needs' && (
            <NeedsPanel
              p={p}
              drawn={drawn}
              article={hand.view.article}
              change={change}
              onAct={setAct}
            />
          )}
          {tab === 'cut' && (
            <CutPanel
              p={p}
              drawn={drawn}
              edge={edge}
              onEdge={setEdge}
              change={change}
              onAct={setAct}
            />
          )}
          {tab === 'marks' && (
            <MarksPanel
              p={p}
              drawn={drawn}
              article={hand.view.article}
              edge={edge}
              onEdge={setEdge}
              at={mark}
              onMark={setMark}
              change={change}
              onAct={setAct}
              onAdd={addMark}
            />
          )}
          {tab === 'outline' && (
            <OutlinePanel
              p={p}
              half={half}
              onAct={setAct}
              onWhole={() => {
                if (half) {
                  const whole = half.outline.contour
                  const line = unfold.variables
                  change((q) => ({
                    ...q,
                    contour: whole,
                    centre_line: line ? { start: line.start, end: line.end } : null,
                  }))
                }
                setHalf(null)
              }}
              onLeave={() => {
                setHalf(null)
              }}
              change={change}
              base={hand.view.article.pieces.find((q) => q.slug === p.variant_of)?.name ?? null}
              onVariant={(name) => {
                const own = freshSlug(name, hand.view?.article ?? { pieces: [] })
                void hand
                  .change((a) => ({
                    ...a,
                    pieces: [...a.pieces, { ...p, slug: own, name, variant_of: p.slug }],
                  }))
                  .then((done) => {
                    if (done) void go(`/patterns/${id}/piece/${own}`)
                  })
              }}
              onRemove={() => {
                void hand
                  .change((a) => ({ ...a, pieces: a.pieces.filter((q) => q.slug !== slug) }))
                  .then((done) => {
                    if (done) void go(`/patterns/${id}`)
                  })
              }}
            />
          )}
        </fieldset>
      </aside>
    </div>
  )
}

/** The end of the grain arrow, to be turned by hand. */
function GrainHandle({
  p,
  at,
  px,
  onTurn,
}: {
  p: Pattern
  at: { x: number; y: number; r: number }
  px: number
  onTurn: (deg: number) => void
}) {
  const [held, setHeld] = useState<number | null>(null)
  const deg = held ?? p.needs.grain_deg
  const reach = Math.max(at.r * 0.75, 46 * px)
  const t = (deg * Math.PI) / 180
  const to = (event: React.PointerEvent<SVGCircleElement>) => {
    const svg = event.currentTarget.ownerSVGElement
    const m = svg?.querySelector<SVGGElement>('g[data-mm]')?.getScreenCTM()?.inverse()
    const q = new DOMPoint(event.clientX, event.clientY).matrixTransform(m)
    const found = (Math.atan2(q.y - at.y, q.x - at.x) * 180) / Math.PI
    return Math.round(
      Math.abs(((found % 90) + 90) % 90) < 2 || Math.abs(((found % 90) + 90) % 90) > 88
        ? Math.round(found / 90) * 90
        : found,
    )
  }
  return (
    <g data-grab>
      <line
        x1={at.x}
        y1={at.y}
        x2={at.x + reach * Math.cos(t)}
        y2={at.y + reach * Math.sin(t)}
        stroke="#7a5310"
        strokeWidth={px}
        strokeDasharray={`${3 * px} ${3 * px}`}
        pointerEvents="none"
      />
      <circle
        cx={at.x + reach * Math.cos(t)}
        cy={at.y + reach * Math.sin(t)}
        r={9 * px}
        fill="#d9a441"
        stroke="#211c17"
        strokeWidth={1.4 * px}
        className="cursor-grab"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          setHeld(to(e))
        }}
        onPointerMove={(e) => {
          if (e.currentTarget.hasPointerCapture(e.pointerId)) setHeld(to(e))
        }}
        onPointerUp={(e) => {
          onTurn(to(e))
          setHeld(null)
        }}
      >
        <title>Turn the grain (or the keys [ and ])</title>
      </circle>
    </g>
  )
}
