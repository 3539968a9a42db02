import { Only } from '../people/Only'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, server, told, type Schemas } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { Legend } from '../../hide/Legend'
import { leatherColour } from '../../hide/paths'
import { Button, Empty, Trouble, Waiting } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { RoomKeys } from '../../parts/keys'
import { plural, useUnits } from '../../parts/units'
import { Filters, fits, NOTHING_ASKED, sorted, type Asked } from './Filters'

type RackHide = Schemas['RackHideOut']
const STATES = ['received', 'looked over', 'kept', 'laid', 'part used', 'used up'] as const

/** What a hide may be called by hand; kept and laid follow from what is done with it. */
const HAND_STATES = STATES.filter((s) => s !== 'kept' && s !== 'laid')

/**
 * The rack: every hide drawn true to shape at one scale; found, counted, marked several at once;
 * pressed, it is taken down.
 */
export function LeatherRoom() {
  const rack = server.useQuery('get', '/api/leather')
  const [asked, setAsked] = useState<Asked>(NOTHING_ASKED)
  const [held, setHeld] = useState<number[]>([])
  const [choosing, setChoosing] = useState(false)
  const units = useUnits()
  const go = useNavigate()
  const shown = useMemo(
    () =>
      sorted(
        (rack.data ?? []).filter((h) => fits(h, asked)),
        asked.order,
      ),
    [rack.data, asked],
  )
  if (rack.isPending) return <Waiting what="the rack" />
  if (rack.error)
    return (
      <div className="p-8">
        <Trouble error={rack.error} />
      </div>
    )
  if (rack.data.length === 0)
    return (
      <Empty title="The rack is empty">
        <p>
          Hides hang here once they are received, each drawn true to shape with its flaws and
          tightness.
        </p>
        <Only may="begin_delivery">
          <Link to="/leather/receive" className={`${likeAButton('brass')} mt-4`}>
            Receive a delivery
          </Link>
        </Only>
      </Empty>
    )
  const longest = Math.max(...rack.data.map((h) => h.shape.bounds.x1))
  const press = (hide: RackHide) => {
    if (choosing)
      setHeld(held.includes(hide.id) ? held.filter((h) => h !== hide.id) : [...held, hide.id])
    else void go(`/leather/${hide.id}`)
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1 px-5 pt-2">
        <h1 className="font-stamp text-2xl font-bold">The rack</h1>
        <span className="figure text-lg">
          {plural(shown.length, 'hide')} ·{' '}
          {units.area(shown.reduce((sum, h) => sum + h.area_m2, 0))} · worth{' '}
          {units.money(shown.reduce((sum, h) => sum + h.worth, 0))}
        </span>
        <span className="ml-auto flex items-center gap-2">
          <Button
            look="bench"
            aria-pressed={choosing}
            onClick={() => {
              setChoosing(!choosing)
              setHeld([])
            }}
          >
            {choosing ? 'Done choosing' : 'Choose several'}
          </Button>
          <Link to="/leather/chalk" className={likeAButton('bench')}>
            Chalk and limits
          </Link>
          <Only may="begin_delivery">
            <Link to="/leather/receive" className={likeAButton('brass')}>
              Receive leather
            </Link>
          </Only>
          <RoomKeys
            room="Leather"
            keys={[
              {
                key: 'Enter',
                does: 'take down the hide in focus (Tab goes from hide to hide)',
                act: () => {
                  if (document.activeElement instanceof HTMLElement) document.activeElement.click()
                },
              },
              {
                key: 'c',
                does: 'choose several, or have done',
                act: () => {
                  setChoosing(!choosing)
                  setHeld([])
                },
              },
              {
                key: 'r',
                does: 'receive leather',
                act: () => {
                  void go('/leather/receive')
                },
              },
            ]}
          />
        </span>
      </div>
      <Filters rack={rack.data} asked={asked} onAsk={setAsked} />
      {choosing && <Bulk held={held} all={shown.map((h) => h.id)} onHold={setHeld} />}
      {shown.length === 0 && (
        <p className="mt-16 text-center text-lg text-chalk-dim">
          No hide on the rack is like that.{' '}
          <button
            type="button"
            className="min-h-11 underline"
            onClick={() => {
              setAsked(NOTHING_ASKED)
            }}
          >
            Show all of them
          </button>
        </p>
      )}
      <ul className="grid min-h-0 flex-1 auto-rows-min grid-cols-[repeat(auto-fill,minmax(280px,1fr))] gap-x-6 gap-y-4 overflow-auto px-5 pt-2 pb-5">
        {shown.map((hide) => (
          <OnTheRack
            key={hide.id}
            hide={hide}
            longest={longest}
            held={held.includes(hide.id)}
            choosing={choosing}
            onPress={() => {
              press(hide)
            }}
          />
        ))}
      </ul>
      <div className="border-t border-bench-line px-5 py-2">
        <Legend colour={leatherColour('russet')} />
      </div>
    </div>
  )
}

/** What can be done with several hides at once. */
function Bulk({
  held,
  all,
  onHold,
}: {
  held: number[]
  all: number[]
  onHold: (ids: number[]) => void
}) {
  const queries = useQueryClient()
  const batches = server.useQuery('get', '/api/batches')
  const act = useMutation({
    mutationFn: (to: { state: (typeof STATES)[number] | null; batch_id: number | null }) =>
      told(api.POST('/api/leather/acts', { body: { ids: held, shared: false, ...to } })),
    onSuccess: async () => {
      onHold([])
      await queries.invalidateQueries()
    },
  })
  const none = held.length === 0
  return (
    <div
      className="mx-5 mt-1 flex flex-wrap items-center gap-3 bg-bench-deep px-4 py-2"
      role="group"
      aria-label="With the chosen hides"
    >
      <span className="figure text-lg">
        {none ? 'Press the hides you mean' : `${plural(held.length, 'hide')} chosen`}
      </span>
      <Button
        look="bench"
        onClick={() => {
          onHold(held.length === all.length ? [] : all)
        }}
      >
        {held.length === all.length ? 'None' : 'All shown'}
      </Button>
      <select
        className="min-h-11 rounded-sm border border-bench-line bg-bench px-2"
        aria-label="Mark them as"
        disabled={none}
        value=""
        onChange={(e) => {
          act.mutate({ state: e.target.value as (typeof STATES)[number], batch_id: null })
        }}
      >
        <option value="">Mark them as …</option>
        {HAND_STATES.map((s) => (
          <option key={s}>{s}</option>
        ))}
      </select>
      <select
        className="min-h-11 max-w-60 rounded-sm border border-bench-line bg-bench px-2"
        aria-label="Keep them for a batch"
        disabled={none}
        value=""
        onChange={(e) => {
          act.mutate({ state: null, batch_id: Number(e.target.value) })
        }}
      >
        <option value="">Keep them for …</option>
        {batches.data?.map((b) => (
          <option key={b.id} value={b.id}>
            {b.number} {b.name}
          </option>
        ))}
      </select>
      {!none && (
        <a className={likeAButton('bench')} href={`/api/leather/tags.pdf?ids=${held.join(',')}`}>
          Print tags
        </a>
      )}
      {held.length > 1 && held.length < 7 && (
        <Link className={likeAButton('brass')} to={`/leather/compare?ids=${held.join(',')}`}>
          Compare them
        </Link>
      )}
      <Trouble error={act.error} />
    </div>
  )
}

const SLOT_PX = 290

function OnTheRack({
  hide,
  longest,
  held,
  choosing,
  onPress,
}: {
  hide: RackHide
  longest: number
  held: boolean
  choosing: boolean
  onPress: () => void
}) {
  const units = useUnits()
  const { x0, y0, x1, y1 } = hide.shape.bounds
  const scale = SLOT_PX / longest
  const open = !hide.measured || !hide.looked_enough
  return (
    <li>
      <button
        type="button"
        onClick={onPress}
        aria-pressed={choosing ? held : undefined}
        className={`group block w-full rounded-sm text-left hover:bg-chalk/6 ${held ? 'bg-brass/20 outline-2 outline-brass' : ''}`}
        aria-label={`${hide.number}, ${hide.kind} of ${hide.mill}`}
      >
        <svg
          width="100%"
          height={176}
          viewBox={`0 0 ${SLOT_PX} 176`}
          preserveAspectRatio="xMinYMin meet"
          aria-hidden
        >
          <line x1={0} x2={SLOT_PX} y1={3} y2={3} stroke="#c68f2d" strokeWidth={3} />
          <g
            transform={`translate(0,6) scale(${scale}) translate(${-x0},${-y0})`}
            opacity={hide.measured ? 1 : 0.45}
          >
            <HideDrawing
              hide={hide.shape}
              colour={leatherColour(hide.colour)}
              scale={scale}
              zones={x1 - x0 > 300 && y1 - y0 > 200}
            />
          </g>
        </svg>
        <span className="flex items-baseline gap-3">
          <span className="figure text-xl font-bold whitespace-nowrap">{hide.number}</span>
          <span className="truncate text-chalk-dim">
            {hide.kind}, {hide.colour}
          </span>
          <span className="figure ml-auto text-lg whitespace-nowrap">
            {units.area(hide.area_m2)}
          </span>
        </span>
        <span className="block truncate text-sm text-chalk-dim">
          {units.thickness(hide.thickness_mm)} · {hide.mill}, grade {hide.grade} · {hide.state}
          {hide.kept_for.length > 0 && ` for ${hide.kept_for.join(', ')}`}
        </span>
        {open && (
          <span className="block truncate text-sm font-semibold text-[#ffd9a0]">
            {hide.measured ? hide.looked : `not measured, ${hide.looked}`}
          </span>
        )}
      </button>
    </li>
  )
}
