import { useQueryClient } from '@tanstack/react-query'
import { useReducer, useRef } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { server } from '../../api/client'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { useDrawing } from '../../hide/useDrawing'
import { type At as Place } from '../../hide/places'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { useUnits } from '../../parts/units'
import { FlawPanel, type DraftRing } from './FlawPanel'
import { GaugePanel, type DraftReading } from './GaugePanel'
import { HideCanvas } from './HideCanvas'
import { draws, EMPTY_HANDED, holds, inHand, RINGED, SHAPES, toolOf, type Tab } from './hideTools'
import { HistoryPanel } from './HistoryPanel'
import { useBegun, useChange, useHide, type At, type Change } from './hide'
import { OutlinePanel } from './OutlinePanel'
import { PullPanel, type DraftPull } from './PullPanel'
import { NotesOn } from '../book/NotesOn'
import { StepHead, StepNote } from './StepPanel'
import { WorthPanel } from './WorthPanel'

const TABS = [
  ['look', 'Look it over'],
  ['worth', 'Its worth'],
  ['history', 'History'],
] as const

/**
 * The hide that the address names; the room is made anew for each, so that what was begun on one
 * stays with it.
 */
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
  const [hand, act] = useReducer(inHand, EMPTY_HANDED)
  const [ring, setRing] = useBegun<DraftRing>(`ring.${id}`)
  const [pull, setPull] = useBegun<DraftPull>(`pull.${id}`)
  const [reading, setReading] = useBegun<DraftReading>(`reading.${id}`)
  const asked = (search.get('tab') ?? 'look') as Tab
  const woven = hide.data?.rack.kind === 'roll'
  const tab = woven && asked === 'look' ? 'worth' : asked
  const step = hand.step ?? hide.data?.steps.find((s) => !s.done)?.step ?? 'backbone'
  const ringing = tab === 'look' && RINGED.includes(step)
  const mirrored = tab === 'look' && step === 'flesh'
  const tool = toolOf(tab, step, hand, ring !== null)
  /** The flesh side is shown mirrored: what is pressed is turned back to the grain side. */
  const across = hide.data?.bounds.x1 ?? 0
  const onGrain = (p: Place): Place => (mirrored ? { x: across - p.x, y: p.y } : p)
  const finish = (points: Place[]) => {
    const ways = points.map(({ x, y }): At => [x, y])
    const last = ways.at(-1)
    if (tool === null || last === undefined) return
    if (tool === 'ring') setRing({ points: ways, step, closed: true })
    else if (tool === 'pull') setPull({ x: last[0], y: last[1] })
    else if (tool === 'reading') setReading({ x: last[0], y: last[1] })
    else if (tool === 'cut here') act({ type: 'cut at', mm: Math.round(last[0]) })
    else if (tool === 'zone') {
      if (hand.zone !== null)
        change.mutate({ zone: { outline: ways, tightness: hand.zone, stretch_deg: 90 } })
      act({ type: 'zone', tightness: null })
    } else if (tool === 'ends') {
      if (hand.tail === null) act({ type: 'tail', at: last })
      else {
        const [[tail_x, tail_y], [neck_x, neck_y]] = [hand.tail, last]
        change.mutate({ ends: { tail_x, tail_y, neck_x, neck_y } })
        act({ type: 'put down' })
      }
    } else if (tool === 'cut') {
      change.mutate({ cut: { line: ways, words: '', rack_off: false, scrap: [] } })
      act({ type: 'put down' })
    } else change.mutate({ brush: { stroke: ways, width_mm: hand.brush, add: tool === 'add' } })
  }
  const pen = useDrawing(tool === null ? null : SHAPES[tool], finish)
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
  /**
   * A ring is chosen where rings are drawn; elsewhere pressing one leads there, unless the press
   * means something else.
   */
  const choose =
    tab !== 'look' || step === 'pull' || step === 'thickness' || (draws(tool) && !ringing)
      ? undefined
      : (flaw: string) => {
          const there = known.flaws.find((f) => f.id === flaw)?.step ?? 'surface'
          act({ type: 'choose', flaw, ...(!ringing && { step: there }) })
        }
  /**
   * What was begun is cleared at once, so that the next can be begun; it comes back where saving
   * failed.
   */
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
      ...server.queryOptions('get', '/api/leather'),
      staleTime: 'static',
    })
    const other =
      all[(all.findIndex((h) => h.id === id) + by + all.length) % Math.max(1, all.length)]
    if (other) await go(`/leather/${other.id}?tab=${tab}`)
  }
  const next = () => {
    const k = known.steps.findIndex((s) => s.step === step)
    change.mutate({ step: { step, done: true, note: null } })
    act({ type: 'go to', step: known.steps[Math.min(k + 1, known.steps.length - 1)]?.step ?? null })
  }
  const leave = () => {
    if (!ring && !pull && !reading && !holds(hand)) return false
    pen.leave()
    setRing(null)
    setPull(null)
    setReading(null)
    act({ type: 'leave' })
    return true
  }
  return (
    <div className="beside h-full">
      <div className="flex min-h-0 min-w-0 flex-col">
        <div className="flex items-baseline gap-4 px-5 pt-2">
          <Link
            to="/leather"
            className="min-h-9 content-center whitespace-nowrap text-chalk-dim hover:text-chalk"
          >
            ← The rack
          </Link>
          <h1 className="figure text-2xl font-bold whitespace-nowrap">{known.rack.number}</h1>
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
            held={draws(tool)}
            onPointer={(kind, at) => {
              pen.onPointer(kind, onGrain(at))
            }}
            label={`${known.rack.kind} ${known.rack.number}, ${mirrored ? 'flesh side, mirrored' : 'grain side, backbone along the top'}`}
          >
            {(scale) => (
              <HideCanvas
                {...{ known, tab, step, hand, tool, pull, reading, mirrored, scale }}
                ring={ringing ? ring : null}
                points={pen.points}
                onChoose={choose}
              />
            )}
          </HideView>
        </div>
        <div className="flex items-center gap-5 bg-bench-deep px-5 py-1">
          {known.backdrop && (
            <label className="flex min-h-11 items-center gap-2 text-chalk-dim">
              <input
                type="checkbox"
                className="size-5"
                checked={hand.photo}
                onChange={() => {
                  act({ type: 'photo' })
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
                    act({ type: 'photo' })
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
                    if (!leave()) void go('/leather')
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
                  act({ type: 'go to', step: s })
                  change.reset()
                }}
              />
              {step === 'backbone' && (
                <OutlinePanel
                  known={known}
                  tool={hand.tool}
                  ends={hand.tail ? { tail: hand.tail } : {}}
                  brush={hand.brush}
                  onBrush={(mm) => {
                    act({ type: 'brush', mm })
                  }}
                  onTool={(t) => {
                    act({ type: 'take up', tool: t })
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
                  chosen={hand.chosen}
                  onDraft={setRing}
                  onChoose={(flaw) => {
                    act({ type: 'choose', flaw })
                  }}
                  onChange={changeOr}
                />
              )}
              {step === 'pull' && (
                <PullPanel
                  known={known}
                  draft={pull}
                  zone={hand.zone}
                  onZone={(tightness) => {
                    act({ type: 'zone', tightness })
                  }}
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
          {tab === 'history' && <NotesOn subject="hide" of={[id]} title="Notes on this hide" />}
          {tab === 'history' && (
            <HistoryPanel
              id={id}
              known={known}
              cutAt={hand.cutAt}
              onCutAt={(mm) => {
                act({ type: 'cut at', mm })
              }}
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
