import { Tabs } from 'radix-ui'
import { useMemo, useRef, useState } from 'react'
import { Link, useParams } from 'react-router'
import { HideDrawing } from '../../hide/HideDrawing'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { leatherColour } from '../../hide/paths'
import { Trouble, Waiting, Said } from '../../parts/controls'
import { isLive, type Job } from '../../parts/job'
import { RoomKeys } from '../../parts/keys'
import { plural } from '../../parts/units'
import { HeldPieces, LaidPieces } from './LaidPieces'
import { byHide, keyOf, nextOf, type Lay, type Piece } from './lay'
import { LayDocket } from './LayDocket'
import { useLay, useLayActs } from './useLay'

const USUAL_SECONDS = 30
const NONE: never[] = []

/** A lay: the hide fills the screen, its docket lies along the near edge. */
export function LayRoom() {
  const id = Number(useParams()['id'])
  const { lay, job } = useLay(id)
  if (lay.isPending) return <Waiting what="the lay" />
  if (lay.error && !lay.data)
    return (
      <div className="p-8">
        <Trouble error={lay.error} />
      </div>
    )
  return <Bench key={id} lay={lay.data} job={job} />
}

function Bench({ lay, job }: { lay: Lay; job: Job | null }) {
  const [shown, setShown] = useState<string | null>(null)
  const [held, setHeld] = useState<string | null>(null)
  const view = useRef<ViewHandle>(null)
  const acts = useLayActs(lay)
  const live = isLive(job)
  const hide = lay.hides.find((h) => h.number === shown) ?? lay.hides[0]
  const lies = useMemo(() => byHide(lay.state.placements), [lay.state.placements])
  const pieces = useMemo(() => new Map(lay.pieces.map((p) => [p.id, p])), [lay.pieces])
  const pins = useMemo(() => new Set(lay.pins.map(keyOf)), [lay.pins])
  const { mutate: pin } = acts.pin
  const togglePin = useMemo(
    () => (key: string) => {
      const [piece = '', copy = '0'] = key.split('#')
      const one = { piece, copy_number: Number(copy) }
      pin(pins.has(key) ? [one] : one)
    },
    [pin, pins],
  )
  if (!hide) return null
  const here = lies.get(hide.number) ?? NONE
  const colour = leatherColour(hide.colour)
  const step = (by: number) => {
    const at = lay.hides.indexOf(hide)
    setShown(lay.hides[(at + by + lay.hides.length) % lay.hides.length]?.number ?? null)
  }
  const layIt = () => {
    if (live && job) acts.stop.mutate(job.id)
    else acts.run.mutate({ seconds: USUAL_SECONDS, only: null })
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex min-h-11 items-center gap-5 bg-bench-deep px-5">
        <Link to={`/batches/${lay.batch_id}`} className="truncate text-chalk-dim hover:text-chalk">
          ← {lay.batch}
        </Link>
        <Tabs.Root
          value={hide.number}
          onValueChange={setShown}
          activationMode="manual"
          className="min-w-0 overflow-x-auto"
        >
          <Tabs.List aria-label="Hides of this lay" className="flex">
            {lay.hides.map((h) => (
              <Tabs.Trigger
                key={h.number}
                value={h.number}
                className="min-h-11 px-4 font-stamp text-lg whitespace-nowrap text-chalk-dim hover:text-chalk data-[state=active]:bg-bench data-[state=active]:font-bold data-[state=active]:text-chalk"
              >
                {h.number}{' '}
                <span className="font-text text-sm font-normal">
                  {plural(lies.get(h.number)?.length ?? 0, 'piece')}
                </span>
              </Tabs.Trigger>
            ))}
          </Tabs.List>
        </Tabs.Root>
        <span className="ml-auto text-sm whitespace-nowrap text-chalk-dim">
          {hide.left_end} left, {hide.right_end} right
        </span>
        <RoomKeys
          room="Lay"
          keys={[
            { key: 'l', does: live ? 'stop, and keep the best' : 'lay it', act: layIt },
            {
              key: 'u',
              does: 'undo',
              act: () => {
                if (!live) acts.undo.mutate()
              },
            },
            {
              key: ']',
              does: 'next hide',
              act: () => {
                step(1)
              },
            },
            {
              key: '[',
              does: 'hide before',
              act: () => {
                step(-1)
              },
            },
            {
              key: 'n',
              does: 'point at the next piece, for its needs',
              act: () => {
                setHeld(nextOf(here, held, 1))
              },
            },
            {
              key: 'b',
              does: 'point at the piece before',
              act: () => {
                setHeld(nextOf(here, held, -1))
              },
            },
            {
              key: 'p',
              does: 'pin the piece pointed at where it is, or take its pin out',
              act: () => {
                if (held?.includes('#')) togglePin(held)
              },
            },
            { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
            { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
            { key: '0', does: 'see the whole hide', act: () => view.current?.whole() },
            {
              key: 'ArrowLeft',
              shown: '←',
              does: 'move along the hide',
              act: () => view.current?.move(60, 0),
            },
            {
              key: 'ArrowRight',
              shown: '→',
              does: 'move along the hide',
              act: () => view.current?.move(-60, 0),
            },
            {
              key: 'ArrowUp',
              shown: '↑',
              does: 'move toward the backbone',
              act: () => view.current?.move(0, 60),
            },
            {
              key: 'ArrowDown',
              shown: '↓',
              does: 'move toward the belly',
              act: () => view.current?.move(0, -60),
            },
          ]}
        />
      </div>
      <div className="relative min-h-0 flex-1">
        <HideView
          key={hide.number}
          handle={view}
          bounds={hide.bounds}
          label={`${hide.kind} ${hide.number} with ${here.length} pieces laid, backbone along the top, ${hide.left_end} at the left`}
        >
          {(scale) => (
            <>
              <HideDrawing hide={hide} colour={colour} scale={scale} />
              <LaidPieces
                placements={here}
                pieces={pieces}
                scale={scale}
                pins={pins}
                onHold={setHeld}
                onPin={togglePin}
              />
              <HeldPieces placements={here} pieces={pieces} held={held} px={1 / scale} />
            </>
          )}
        </HideView>
        <Pointed held={held} pieces={pieces} pinned={held !== null && pins.has(held)} />
      </div>
      <LayDocket lay={lay} job={job} hide={hide.number} acts={acts} onPoint={setHeld} />
    </div>
  )
}

/** What is pointed at: its name, its needs, whether it is pinned. */
function Pointed({
  held,
  pieces,
  pinned,
}: {
  held: string | null
  pieces: Map<string, Piece>
  pinned: boolean
}) {
  const [id, copy] = held?.split('#') ?? []
  const piece = id === undefined ? undefined : pieces.get(id)
  if (!piece) return null
  return (
    <div
      className="docket pointer-events-none absolute right-4 bottom-3 max-w-sm px-4 py-2 shadow-lg"
      role="status"
      aria-label="Piece pointed at"
    >
      <div className="font-stamp text-lg font-bold">
        {piece.name}
        {copy && ` ${Number(copy) + 1}`}{' '}
        <span className="font-normal text-ink-soft">{piece.article}</span>
      </div>
      <div className="text-sm">
        <Said words={piece.needs.join(' · ')} />
      </div>
      {copy !== undefined &&
        (pinned ? (
          <div className="text-sm font-bold">Pinned: the rest is laid around it</div>
        ) : (
          <div className="text-sm text-ink-soft">Press it, or P, to pin it where it is</div>
        ))}
    </div>
  )
}
