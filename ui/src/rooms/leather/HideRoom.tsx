import { useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { api, told } from '../../api/client'
import { HideView, type At as Place, type ViewHandle } from '../../hide/HideView'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { useUnits } from '../../parts/units'
import { FlawPanel, type DraftRing } from './FlawPanel'
import { GaugePanel, type DraftReading } from './GaugePanel'
import { HistoryPanel } from './HistoryPanel'
import { thinned, useBegun, useChange, useHide, type At, type Change, type StepName } from './hide'
import { KnownHide } from './KnownHide'
import { OutlinePanel, type Ends, type Tool } from './OutlinePanel'
import { PullPanel, type DraftPull } from './PullPanel'
import { StepHead, StepNote } from './StepPanel'
import { WorthMarks, WorthPanel } from './WorthPanel'

const TABS = [
  ['look', 'Look it over'],
  ['worth', 'Its worth'],
  ['history', 'History'],
] as const
const RINGED: StepName[] = ['surface', 'feel', 'flesh', 'flex']

/** The hide that the address names; the room is made anew for each, so that what was begun on one stays with it. */
export function HideRoom() {
  const id = Number(useParams().id)
  return <OneHide key={id} id={id} />
}

/** One hide: looked over step by step, what it is worth, what was done with it. */
function OneHide({ id }: { id: number }) {
  const hide = useHide(id)
  const change = useChange(id)
  const go = useNavigate()
  const queries = useQueryClient()
  const units = useUnits()
  const [search, setSearch] = useSearchParams()
  const view = useRef<ViewHandle>(null)
  const [at, setAt] = useState<StepName | null>(null)
  const [photo, setPhoto] = useState(true)
  const [ring, setRing] = useBegun<DraftRing>(`ring.${id}`)
  const [pull, setPull] = useBegun<DraftPull>(`pull.${id}`)
  const [reading, setReading] = useBegun<DraftReading>(`reading.${id}`)
  const [chosen, setChosen] = useState<string | null>(null)
  const [tool, setTool] = useState<Tool | null>(null)
  const [ends, setEnds] = useState<Ends>({})
  const [zone, setZone] = useState<number | null>(null)
  const [cutAt, setCutAt] = useState<number | null>(null)
  const [stroke, setStroke] = useState<At[]>([])
  const [brush, setBrush] = useState(40)
  if (hide.isPending) return <Waiting what="the hide" />
  if (!hide.data)
    return (
      <div className="p-8">
        <Trouble error={hide.error} />
        <Link to="/leather" className="mt-4 inline-block underline">
          Back to the rack
        </Link>
      </div>
    )
  const known = hide.data
  const woven = known.rack.kind === 'roll'
  const asked = search.get('tab') ?? 'look'
  const tab = woven && asked === 'look' ? 'worth' : asked
  const step = at ?? known.steps.find((s) => !s.done)?.step ?? 'backbone'
  const mirrored = tab === 'look' && step === 'flesh'
  const ringing = tab === 'look' && RINGED.includes(step)
  const drawing =
    tab === 'look' &&
    ((ringing && chosen === null && ring?.closed !== true) ||
      (step === 'backbone' && tool !== null && tool !== 'ends') ||
      (step === 'pull' && zone !== null))
  /** The flesh side is shown mirrored: what is pressed is turned back to the grain side. */
  const onGrain = (p: Place): At => [mirrored ? known.bounds.x1 - p.x : p.x, p.y]
  /** A ring is chosen where rings are drawn; elsewhere pressing one leads there, unless the press means something else. */
  const choose =
    tab !== 'look' || step === 'pull' || step === 'thickness' || (drawing && !ringing)
      ? undefined
      : (flaw: string) => {
          setChosen(flaw)
          if (!ringing) setAt(known.flaws.find((f) => f.id === flaw)?.step ?? 'surface')
        }
  const pointer = (kind: 'down' | 'move' | 'up', place: Place) => {
    const p = onGrain(place)
    if (tab === 'history' && cutAt !== null && kind === 'up') setCutAt(Math.round(p[0]))
    if (tab !== 'look') return
    if (ringing && chosen === null && ring?.closed !== true) {
      if (kind === 'down') setRing({ points: [p], step, closed: false })
      else if (ring && kind === 'move')
        setRing({ ...ring, points: thinned([...ring.points, p], 3) })
      else if (ring && kind === 'up')
        setRing(ring.points.length > 5 ? { ...ring, closed: true } : null)
    } else if (step === 'pull' && zone !== null) {
      if (kind === 'down') setStroke([p])
      else if (kind === 'move' && stroke.length) setStroke(thinned([...stroke, p], 5))
      else if (kind === 'up' && stroke.length) {
        if (stroke.length > 5)
          change.mutate({ zone: { outline: stroke, tightness: zone, stretch_deg: 90 } })
        setStroke([])
        setZone(null)
      }
    } else if (step === 'pull' && kind === 'up') setPull({ x: p[0], y: p[1] })
    else if (step === 'thickness' && kind === 'up') setReading({ x: p[0], y: p[1] })
    else if (step === 'backbone' && tool === 'ends' && kind === 'up') {
      const next: Ends = ends.tail === undefined ? { tail: p } : { ...ends, neck: p }
      setEnds(next)
      if (next.tail && next.neck)
        change.mutate(
          {
            ends: {
              tail_x: next.tail[0],
              tail_y: next.tail[1],
              neck_x: next.neck[0],
              neck_y: next.neck[1],
            },
          },
          {
            onSettled: () => {
              setEnds({})
              setTool(null)
            },
          },
        )
    } else if (step === 'backbone' && tool !== null && tool !== 'ends') {
      if (kind === 'down') setStroke([p])
      else if (kind === 'move' && stroke.length) setStroke(thinned([...stroke, p], 4))
      else if (kind === 'up' && stroke.length) {
        change.mutate(
          tool === 'cut'
            ? { cut: { line: stroke, words: '', rack_off: false } }
            : { brush: { stroke, width_mm: brush, add: tool === 'add' } },
        )
        setStroke([])
        if (tool === 'cut') setTool(null)
      }
    }
  }
  /** What was begun is cleared at once, so that the next can be begun; it comes back where saving failed. */
  const changeOr = (c: Change, failed?: () => void) => {
    change.mutate(c, {
      onError: () => {
        failed?.()
      },
    })
  }
  const takeDown = async (by: number) => {
    // The rack as it was last seen: a full one is not fetched anew with every ring that is drawn.
    const all = await queries.query({
      queryKey: ['leather'],
      queryFn: () => told(api.GET('/api/leather')),
      staleTime: 'static',
    })
    const other =
      all[(all.findIndex((h) => h.id === id) + by + all.length) % Math.max(1, all.length)]
    if (other) await go(`/leather/${other.id}?tab=${tab}`)
  }
  const next = () => {
    const k = known.steps.findIndex((s) => s.step === step)
    change.mutate({ step: { step, done: true, note: null } })
    setAt(known.steps[Math.min(k + 1, known.steps.length - 1)]?.step ?? null)
    setChosen(null)
    setTool(null)
  }
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_410px]">
      <div className="flex min-h-0 min-w-0 flex-col">
        <div className="flex items-baseline gap-4 px-5 pt-2">
          <Link to="/leather" className="min-h-9 content-center text-chalk-dim hover:text-chalk">
            ← The rack
          </Link>
          <h1 className="figure text-2xl font-bold">{known.rack.number}</h1>
          <span className="truncate text-chalk-dim">
            {known.rack.kind} of {known.rack.mill}, {known.rack.colour},{' '}
            {units.thickness(known.rack.thickness_mm)} · {units.area(known.rack.area_m2)}
            {known.rack.measured ? '' : ' by the invoice'} · {known.rack.state}
          </span>
        </div>
        <div className="min-h-0 flex-1">
          <HideView
            key={`${known.rack.id} ${known.bounds.x1}`}
            handle={view}
            bounds={known.bounds}
            held={drawing}
            onPointer={pointer}
            label={`${known.rack.kind} ${known.rack.number}, ${mirrored ? 'flesh side, mirrored' : 'grain side, backbone along the top'}`}
          >
            {(scale) => (
              <g {...(mirrored && { transform: `translate(${known.bounds.x1},0) scale(-1,1)` })}>
                <KnownHide
                  known={known}
                  scale={scale}
                  photo={photo && !mirrored}
                  mirrored={mirrored}
                  tests={tab === 'look' && step === 'pull'}
                  contours={tab === 'look' && step === 'thickness'}
                  chosen={chosen}
                  onChoose={choose}
                />
                {tab === 'worth' && <WorthMarks id={id} scale={scale} />}
                {tab === 'history' && cutAt !== null && (
                  <path
                    d={`M${cutAt},${-14 / scale}V${known.bounds.y1 + 14 / scale}`}
                    stroke="#ffd76a"
                    strokeWidth={3 / scale}
                    strokeDasharray={`${10 / scale} ${6 / scale}`}
                    pointerEvents="none"
                  />
                )}
                {ring && ringing && (
                  <path
                    d={`M${ring.points.map((p) => p.join(',')).join('L')}${ring.closed ? 'Z' : ''}`}
                    fill={ring.closed ? '#ffd76a' : 'none'}
                    fillOpacity={0.3}
                    stroke="#ffd76a"
                    strokeWidth={3 / scale}
                    pointerEvents="none"
                  />
                )}
                {stroke.length > 0 && (
                  <path
                    d={`M${stroke.map((p) => p.join(',')).join('L')}`}
                    fill="none"
                    stroke={tool === 'off' ? '#ffb4a6' : '#ffd76a'}
                    strokeOpacity={0.7}
                    strokeWidth={tool === 'cut' || step === 'pull' ? 3 / scale : brush}
                    strokeLinecap="round"
                    strokeLinejoin="round"
                    pointerEvents="none"
                  />
                )}
                {ends.tail && (
                  <circle cx={ends.tail[0]} cy={ends.tail[1]} r={8 / scale} fill="#ffd76a" />
                )}
                {pull && step === 'pull' && (
                  <circle
                    cx={pull.x}
                    cy={pull.y}
                    r={14 / scale}
                    fill="none"
                    stroke="#ffd76a"
                    strokeWidth={3 / scale}
                  />
                )}
                {reading && step === 'thickness' && (
                  <circle
                    cx={reading.x}
                    cy={reading.y}
                    r={10 / scale}
                    fill="none"
                    stroke="#ffd76a"
                    strokeWidth={3 / scale}
                  />
                )}
              </g>
            )}
          </HideView>
        </div>
        <div className="flex items-center gap-5 bg-bench-deep px-5 py-1">
          {known.backdrop && (
            <label className="flex min-h-11 items-center gap-2 text-chalk-dim">
              <input
                type="checkbox"
                className="size-5"
                checked={photo}
                onChange={(e) => {
                  setPhoto(e.target.checked)
                }}
              />{' '}
              its picture
            </label>
          )}
          <span
            className={
              known.enough && known.rack.measured
                ? 'text-chalk-dim'
                : 'font-semibold text-[#ffd9a0]'
            }
          >
            {known.rack.measured ? '' : 'Not measured yet; '}
            {known.looked}
          </span>
          <span className="ml-auto flex items-center gap-2">
            <Button
              look="bench"
              disabled={!known.can_undo || change.isPending}
              onClick={() => {
                change.mutate('undo')
              }}
            >
              Undo
            </Button>
            <RoomKeys
              room="Leather"
              keys={[
                { key: 'n', does: 'this step is done, on to the next', act: next },
                {
                  key: 'u',
                  does: 'undo the newest change',
                  act: () => {
                    if (known.can_undo) change.mutate('undo')
                  },
                },
                {
                  key: 'ArrowRight',
                  shown: '→',
                  does: 'take down the next hide',
                  act: () => {
                    void takeDown(1)
                  },
                },
                {
                  key: 'ArrowLeft',
                  shown: '←',
                  does: 'take down the one before',
                  act: () => {
                    void takeDown(-1)
                  },
                },
                {
                  key: 'p',
                  does: 'show its picture, or hide it',
                  act: () => {
                    setPhoto(!photo)
                  },
                },
                {
                  key: 'd',
                  does: 'draw by keys: arrows move the chalk, Space puts it down and lifts it, Enter presses',
                  act: () => view.current?.chalk(),
                },
                { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
                { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
                { key: '0', does: 'see the whole hide', act: () => view.current?.whole() },
                {
                  key: 'Escape',
                  shown: 'Esc',
                  does: 'leave what was begun, or go back to the rack',
                  act: () => {
                    if (
                      ring ||
                      pull ||
                      reading ||
                      chosen ||
                      tool ||
                      zone !== null ||
                      cutAt !== null
                    ) {
                      setZone(null)
                      setCutAt(null)
                      setRing(null)
                      setPull(null)
                      setReading(null)
                      setChosen(null)
                      setTool(null)
                    } else void go('/leather')
                  },
                },
              ]}
            />
          </span>
        </div>
      </div>
      <section
        className="docket flex min-h-0 flex-col"
        aria-label={`Docket of ${known.rack.number}`}
      >
        <nav className="flex border-b border-docket-line" aria-label="What to do with it">
          {TABS.filter(([name]) => !(woven && name === 'look')).map(([name, words]) => (
            <button
              key={name}
              type="button"
              aria-current={tab === name}
              className={`min-h-12 flex-1 px-2 font-stamp text-[17px] ${tab === name ? 'font-bold shadow-[inset_0_-4px_0_#d9a441]' : 'text-ink-soft hover:text-ink'}`}
              onClick={() => {
                setSearch({ tab: name }, { replace: true })
              }}
            >
              {words}
            </button>
          ))}
        </nav>
        <div className="min-h-0 flex-1 overflow-auto px-5 pt-3 pb-5">
          <Trouble error={hide.error ?? change.error} onPaper />
          {tab === 'look' && (
            <>
              <StepHead
                known={known}
                step={step}
                onStep={(s) => {
                  setAt(s)
                  setChosen(null)
                  setTool(null)
                  setZone(null)
                  change.reset()
                }}
              />
              {step === 'backbone' && (
                <OutlinePanel
                  known={known}
                  tool={tool}
                  ends={ends}
                  brush={brush}
                  onBrush={setBrush}
                  onTool={(t) => {
                    setTool(t === tool ? null : t)
                    setEnds({})
                  }}
                  onChange={(c) => {
                    change.mutate(c)
                  }}
                />
              )}
              {ringing && (
                <FlawPanel
                  known={known}
                  step={step}
                  draft={ring}
                  chosen={chosen}
                  onDraft={setRing}
                  onChoose={setChosen}
                  onChange={changeOr}
                />
              )}
              {step === 'pull' && (
                <PullPanel
                  known={known}
                  draft={pull}
                  zone={zone}
                  onZone={setZone}
                  onDraft={setPull}
                  onChange={changeOr}
                />
              )}
              {step === 'thickness' && (
                <GaugePanel
                  known={known}
                  draft={reading}
                  onDraft={setReading}
                  onChange={changeOr}
                />
              )}
              <StepNote
                key={step}
                known={known}
                step={step}
                busy={change.isPending}
                onChange={(c) => {
                  change.mutate(c)
                }}
                onDone={next}
              />
            </>
          )}
          {tab === 'worth' && <WorthPanel id={id} known={known} />}
          {tab === 'history' && (
            <HistoryPanel
              id={id}
              known={known}
              cutAt={cutAt}
              onCutAt={setCutAt}
              onChange={(c) => {
                change.mutate(c)
              }}
            />
          )}
        </div>
      </section>
    </div>
  )
}
