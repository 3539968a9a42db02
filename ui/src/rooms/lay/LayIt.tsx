import { DropdownMenu } from 'radix-ui'
import { useState } from 'react'
import { Button } from '../../parts/controls'
import { isLive, type Job } from '../../parts/job'
import { cssShare } from '../../parts/units'
import { tray } from './hand'
import type { Lay } from './lay'
import { USUAL_SECONDS, type useLayActs } from './useLay'

const TIMES = [
  { seconds: 10, name: '10 seconds' },
  { seconds: 30, name: 'half a minute' },
  { seconds: 60, name: 'a minute' },
  { seconds: 300, name: '5 minutes' },
]
const ITEM =
  'block min-h-11 px-4 py-2.5 outline-none data-[highlighted]:bg-card data-[disabled]:opacity-50'

interface Shown {
  lay: Lay
  job: Job | null
  hide: string
  acts: ReturnType<typeof useLayActs>
}

/** Have the engine lay: all, a hide, a corner of it, or what is in the tray; and undo. */
export function LayIt({
  lay,
  job,
  hide,
  acts,
  inView,
}: Shown & { inView: () => [number, number, number, number] | null }) {
  const [seconds, setSeconds] = useState(USUAL_SECONDS)
  const [where, setWhere] = useState<'all' | 'here' | 'view'>('all')
  const laid = lay.state.placements.length > 0
  const several = lay.hides.length > 1
  const only = laid && where !== 'all' ? hide : null
  const pinned = lay.pins.length
  if (job && isLive(job)) {
    return (
      <div className="flex flex-col gap-2" role="status">
        <div className="font-stamp text-xl font-bold">
          {job.state === 'queued' ? 'Waiting for a worker' : 'Laying …'}
        </div>
        <div className="h-4 border-2 border-ink">
          <div className="h-full bg-brass" style={{ width: cssShare(job.spent_s / job.seconds) }} />
        </div>
        <div className="text-sm">
          {Math.min(job.seconds, job.spent_s).toFixed(0)} of {job.seconds.toFixed(0)} s,{' '}
          {job.history.length === 0 ? 'nothing better yet' : `${job.history.length} better found`}
        </div>
        <Button
          look="stop"
          onClick={() => {
            acts.stop.mutate(job.id)
          }}
        >
          Stop, keep the best
        </Button>
      </div>
    )
  }
  return (
    <div className="flex flex-col gap-1.5">
      <Button
        look="brass"
        className="min-h-14 text-xl"
        onClick={() => {
          acts.run.mutate({
            seconds,
            only,
            window: only !== null && where === 'view' ? inView() : null,
          })
        }}
      >
        {only === null
          ? laid
            ? 'Lay it better'
            : 'Lay it'
          : where === 'view'
            ? 'Better this corner'
            : `Lay ${only} again`}
      </Button>
      <div className="flex gap-1.5 text-sm">
        <select
          aria-label="for how long"
          className="min-h-11 min-w-0 flex-1 border border-ink/40 bg-white px-1"
          value={seconds}
          onChange={(e) => {
            setSeconds(Number(e.target.value))
          }}
        >
          {TIMES.map((t) => (
            <option key={t.seconds} value={t.seconds}>
              {t.name}
            </option>
          ))}
        </select>
        {laid && (
          <select
            aria-label="on which hides"
            className="min-h-11 min-w-0 flex-1 border border-ink/40 bg-white px-1"
            value={where}
            onChange={(e) => {
              const chosen = e.target.value
              setWhere(chosen === 'here' || chosen === 'view' ? chosen : 'all')
            }}
          >
            <option value="all">{several ? 'every hide' : 'the hide'}</option>
            {several && <option value="here">{hide} alone</option>}
            <option value="view">what is in view</option>
          </select>
        )}
      </div>
      {laid && tray(lay).length > 0 && (
        <AroundIt
          lay={lay}
          onLay={(pieces) => {
            acts.run.mutate({ seconds, only: null, keepAll: true, pieces })
          }}
        />
      )}
      {pinned > 0 ? (
        <Button
          onClick={() => {
            acts.pin.mutate(lay.pins)
          }}
        >
          Take out {pinned === 1 ? 'the pin' : `${pinned} pins`}
        </Button>
      ) : (
        <div className="flex gap-1.5">
          <Button
            className="flex-1 px-2"
            onClick={() => {
              acts.undo.mutate()
            }}
            disabled={lay.head < 2}
          >
            Undo
          </Button>
          <Button
            className="flex-1 px-2"
            onClick={() => {
              acts.redo.mutate()
            }}
            disabled={!mayRedo(lay)}
          >
            Redo
          </Button>
        </div>
      )}
      {job?.state === 'failed' && <p className="text-sm text-unsound">{job.error}</p>}
    </div>
  )
}

/** Lay what is in the tray around what lies: all of it, or the smalls that are ticked. */
function AroundIt({ lay, onLay }: { lay: Lay; onLay: (pieces: string[]) => void }) {
  const [ticked, setTicked] = useState<string[]>([])
  const left = tray(lay).sort((a, b) => a.piece.area_m2 - b.piece.area_m2)
  const chosen = ticked.filter((id) => left.some((t) => t.piece.id === id))
  return (
    <div className="flex gap-1.5">
      <Button
        className="min-w-0 flex-1 px-2"
        onClick={() => {
          onLay(chosen)
        }}
      >
        {chosen.length === 0 ? 'Lay the tray around it' : `Fill gaps with ${chosen.length}`}
      </Button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button className="px-3" aria-label="With which pieces">
            …
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            side="top"
            className="docket z-30 max-h-[60vh] overflow-auto border border-ink/40 shadow-lg"
            sideOffset={4}
          >
            {left.map(({ piece, left: count }) => (
              <DropdownMenu.CheckboxItem
                key={piece.id}
                className={`${ITEM} flex items-center gap-2`}
                checked={chosen.includes(piece.id)}
                onSelect={(e) => {
                  e.preventDefault()
                }}
                onCheckedChange={(on) => {
                  setTicked(on ? [...chosen, piece.id] : chosen.filter((id) => id !== piece.id))
                }}
              >
                <span className="grid size-5 place-items-center border-2 border-ink text-sm font-bold">
                  {chosen.includes(piece.id) ? '✓' : ''}
                </span>
                {count} {piece.name} <span className="text-ink-soft">{piece.article}</span>
              </DropdownMenu.CheckboxItem>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  )
}

/** Whether the newest change is an undo that can be taken back. */
function mayRedo(lay: Lay) {
  const head = lay.revisions.at(-1)
  return head !== undefined && head.stands_for !== null && ['undo', 'redo'].includes(head.source)
}
