import { Tabs } from 'radix-ui'
import { useMemo, useRef, useState } from 'react'
import { Link, useParams } from 'react-router'
import { HideDrawing } from '../../hide/HideDrawing'
import { KeptLeather } from '../../hide/KeptLeather'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { leatherColour } from '../../hide/paths'
import { Trouble, Waiting, Said } from '../../parts/controls'
import { isLive, type Job } from '../../parts/job'
import { RoomKeys } from '../../parts/keys'
import { plural } from '../../parts/units'
import { useMay } from '../people/me'
import { tray } from './hand'
import { ChosenPanel, HandPanel } from './HandPanel'
import { InHandDrawing } from './InHand'
import { ChosenPieces, HeldPieces, LaidPieces, UnfairPieces } from './LaidPieces'
import { byHide, keyOf, nextOf, type Lay, type Piece } from './lay'
import { LayDocket } from './LayDocket'
import { Tray } from './Tray'
import { useGrip } from './useGrip'
import { inHand, useHand } from './useHand'
import { USUAL_SECONDS, useLay, useLayActs } from './useLay'
import { LitSpot, SpotCard, useSpot, type SpotAt } from './Spot'
import { LitStep, type Step } from './Went'

const NONE: never[] = []

/** A lay: the hide fills the screen, its docket lies along the near edge. */
export function LayRoom({ practised }: { practised?: number }) {
  const asked = Number(useParams()['id'])
  const id = practised ?? asked
  const { lay, job } = useLay(id)
  if (lay.isPending) return <Waiting what="the lay" />
  if (lay.error && !lay.data)
    return (
      <div className="p-8">
        <Trouble error={lay.error} />
      </div>
    )
  return <Bench key={id} lay={lay.data} job={job} practised={practised !== undefined} />
}

function Bench({
  lay,
  job,
  practised,
}: {
  lay: Lay
  job: Job | null
  /** Only practised on: anybody's hands are free, and the engine keeps off. */
  practised: boolean
}) {
  const [shown, setShown] = useState<string | null>(null)
  const [pointed, setPointed] = useState<string | null>(null)
  const [chosen, setChosen] = useState<string[]>([])
  const [lit, setLit] = useState<Step | null>(null)
  const [pressed, setPressed] = useState<SpotAt | null>(null)
  const view = useRef<ViewHandle>(null)
  const board = useRef<HTMLDivElement>(null)
  const acts = useLayActs(lay)
  const live = isLive(job)
  const hide = lay.hides.find((h) => h.number === shown) ?? lay.hides[0]
  const lies = useMemo(() => byHide(lay.state.placements), [lay.state.placements])
  const pieces = useMemo(() => new Map(lay.pieces.map((p) => [p.id, p])), [lay.pieces])
  const pins = useMemo(() => new Set(lay.pins.map(keyOf)), [lay.pins])
  const mayMove = useMay('move_by_hand')
  const mayLay = mayMove || practised
  const here = lies.get(hide?.number ?? '') ?? NONE
  const pointedAt = (mayLay && !live && here.find((p) => keyOf(p) === pointed)) || null
  const held = useHand(lay, hide?.number ?? '', pieces, pointedAt)
  const away = useMemo(() => inHand(held.hand), [held.hand])
  useGrip({
    ref: board,
    held,
    here,
    chosen,
    mayLay: mayLay && !live,
    onChoose: (key, more, at) => {
      // A press on bare leather leaves what is chosen; the next asks what is there.
      setPressed(
        key === null && chosen.length === 0 && at !== null && hide
          ? { ...at, hide: hide.number }
          : null,
      )
      setChosen(
        key === null
          ? []
          : more
            ? chosen.includes(key)
              ? chosen.filter((k) => k !== key)
              : [...chosen, key]
            : [key],
      )
    },
  })
  const spot = useSpot(lay, pressed)
  if (!hide) return null
  const lying = new Map(here.map((p) => [keyOf(p), p]))
  const own = chosen.filter((k) => lying.has(k) && !away.has(k))
  const ownPlacements = own.flatMap((k) => lying.get(k) ?? [])
  const colour = leatherColour(hide.colour)
  const { unfair } = lay.state
  const step = (by: number) => {
    const at = lay.hides.indexOf(hide)
    setShown(lay.hides[(at + by + lay.hides.length) % lay.hides.length]?.number ?? null)
  }
  const refs = (keys: string[]) =>
    keys.map((k) => {
      const [piece = '', copy = '0'] = k.split('#')
      return { piece, copy_number: Number(copy) }
    })
  const target = held.hand === null && own.length === 0 && pointed?.includes('#') ? [pointed] : own
  const askHere = () => {
    if (held.hand !== null) return
    const [x0, y0, x1, y1] = view.current?.seen() ?? [0, 0, 0, 0]
    setChosen([])
    setPressed({ x: (x0 + x1) / 2, y: (y0 + y1) / 2, hide: hide.number })
  }
  const takeUp = () => {
    const [first, ...rest] = target.flatMap((k) => lying.get(k) ?? [])
    if (!first || !mayLay || live) return
    setChosen([])
    held.lift(first, rest)
  }
  const togglePin = () => {
    if (target.length === 0) return
    const pinned = target.every((k) => pins.has(k))
    if (pinned) acts.pin.mutate(refs(target))
    else for (const one of refs(target.filter((k) => !pins.has(k)))) acts.pin.mutate(one)
  }
  const toTray = () => {
    if (held.hand !== null && !held.hand.home) held.leave()
    else if (held.hand?.home) held.toTray(refs([...away]))
    else if (target.length > 0) held.toTray(refs(target))
    setChosen([])
  }
  const fromTray = (piece: Piece) => {
    if (!mayLay || live) return
    setChosen([])
    const { x0, y0, x1, y1 } = hide.bounds
    held.fromTray(piece, { x: (x0 + x1) / 2, y: (y0 + y1) / 2 })
  }
  const nextOfTray = () => {
    const left = tray(lay)
    const at = left.findIndex((t) => t.piece.id === held.hand?.piece && !held.hand.home)
    const next = left[(at + 1) % Math.max(1, left.length)]
    if (next) fromTray(next.piece)
  }
  const nudge = (dx: number, dy: number) => (event: KeyboardEvent) => {
    if (held.hand === null) view.current?.move(-60 * dx, -60 * dy)
    else held.moveBy(...(event.shiftKey ? ([dx * 0.1, dy * 0.1] as const) : ([dx, dy] as const)))
  }
  const leave = () => {
    if (held.hand !== null) held.leave()
    else {
      setChosen([])
      setPressed(null)
    }
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
              key: 'U',
              does: 'redo',
              act: () => {
                if (!live) acts.redo.mutate()
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
                setPointed(nextOf(here, pointed, 1))
              },
            },
            {
              key: 'b',
              does: 'point at the piece before',
              act: () => {
                setPointed(nextOf(here, pointed, -1))
              },
            },
            {
              key: 'p',
              does: 'pin the piece pointed at where it is, or take its pin out',
              act: togglePin,
            },
            { key: 't', does: 'take the next piece from the tray', act: nextOfTray },
            {
              key: 'Enter',
              does: 'take the piece up; put it down',
              act: () => {
                if (held.hand === null) takeUp()
                else held.letGo()
              },
            },
            {
              key: ',',
              does: 'turn left by a degree',
              act: () => {
                held.turnBy(-1)
              },
            },
            {
              key: '.',
              does: 'turn right by a degree',
              act: () => {
                held.turnBy(1)
              },
            },
            {
              key: 'a',
              does: 'best angle here',
              act: () => {
                held.bestAngle.mutate()
              },
            },
            { key: 'm', does: 'turn it over', act: held.turnOver },
            { key: 'i', does: 'insist, or no longer', act: held.insist },
            { key: 'w', does: 'what is this place, in the middle of the view', act: askHere },
            { key: 'Delete', does: 'put it in the tray', act: toTray },
            { key: 'Escape', shown: 'Esc', does: 'leave it where it was', act: leave },
            { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
            { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
            { key: '0', does: 'see the whole hide', act: () => view.current?.whole() },
            {
              key: 'ArrowLeft',
              shown: '←',
              does: 'move along the hide; what is in the hand by 1 mm, with Shift by 0.1',
              act: nudge(-1, 0),
            },
            {
              key: 'ArrowRight',
              shown: '→',
              does: 'move along the hide; what is in the hand too',
              act: nudge(1, 0),
            },
            {
              key: 'ArrowUp',
              shown: '↑',
              does: 'move toward the backbone; what is in the hand too',
              act: nudge(0, -1),
            },
            {
              key: 'ArrowDown',
              shown: '↓',
              does: 'move toward the belly; what is in the hand too',
              act: nudge(0, 1),
            },
          ]}
        />
      </div>
      <div className="flex min-h-0 flex-1">
        <div className="relative min-w-0 flex-1" ref={board}>
          <HideView
            key={hide.number}
            handle={view}
            bounds={hide.bounds}
            held={held.hand !== null}
            label={`${hide.kind} ${hide.number} with ${here.length} pieces laid, backbone along the top, ${hide.left_end} at the left`}
          >
            {(scale) => (
              <>
                <HideDrawing hide={hide} colour={colour} scale={scale} />
                <KeptLeather hide={hide} px={1 / scale} />
                <LaidPieces
                  placements={here}
                  pieces={pieces}
                  scale={scale}
                  pins={pins}
                  away={away}
                  loose={mayLay && !live}
                  onHold={setPointed}
                />
                <UnfairPieces
                  placements={here.filter(
                    (p) => !away.has(keyOf(p)) && unfair.some((u) => keyOf(u) === keyOf(p)),
                  )}
                  pieces={pieces}
                  signed={new Set(unfair.filter((u) => u.signed_by).map(keyOf))}
                />
                <HeldPieces
                  placements={here}
                  pieces={pieces}
                  held={held.hand === null ? pointed : null}
                  px={1 / scale}
                />
                {lit && held.hand === null && <LitStep step={lit} />}
                {pressed?.hide === hide.number && held.hand === null && (
                  <LitSpot at={pressed} found={spot} px={1 / scale} />
                )}
                <ChosenPieces placements={ownPlacements} pieces={pieces} />
                <InHandDrawing held={held} pieces={pieces} scale={scale} />
              </>
            )}
          </HideView>
          {pressed?.hide === hide.number && held.hand === null && own.length === 0 && (
            <SpotCard
              found={spot}
              pieces={pieces}
              onTake={(piece) => {
                if (!mayLay || live) return
                setPressed(null)
                held.fromTray(piece, pressed)
              }}
              onLeave={() => {
                setPressed(null)
              }}
            />
          )}
          {held.hand === null && own.length === 0 && pressed === null && (
            <Pointed
              held={pointed}
              pieces={pieces}
              pinned={pointed !== null && pins.has(pointed)}
            />
          )}
        </div>
        {mayLay && (
          <Tray
            lay={lay}
            taken={held.hand && !held.hand.home ? held.hand.piece : null}
            onTake={fromTray}
            onPoint={setPointed}
          />
        )}
      </div>
      <div className="relative flex max-h-[46%] shrink-0 flex-col">
        <LayDocket
          lay={lay}
          job={job}
          hide={hide.number}
          acts={acts}
          practised={practised}
          inView={() => view.current?.seen() ?? null}
          onPoint={setPointed}
          onLight={setLit}
        />
        <HandPanel held={held} />
        {held.hand === null && mayLay && (
          <ChosenPanel
            lay={lay}
            hide={hide.number}
            keys={own}
            pieces={pieces}
            pins={pins}
            busy={live}
            error={acts.byHandError}
            acts={{
              takeUp,
              pin: togglePin,
              toTray,
              push: (dx, dy) => {
                acts.push.mutate({ pieces: refs(own), dx, dy })
              },
              swap: () => {
                const [first, second] = refs(own)
                if (first && second) acts.swap.mutate({ first, second })
              },
              over: () => {
                const [piece] = refs(own)
                if (piece) acts.over.mutate(piece)
              },
              copy: (to) => {
                acts.copy.mutate({ pieces: refs(own), hide: to })
              },
              sign: (signed) => {
                const [piece] = refs(own)
                if (piece) acts.sign.mutate({ piece, signed })
              },
              leave,
            }}
          />
        )}
      </div>
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
          <div className="text-sm text-ink-soft">
            Drag it, or press it for what can be done; P pins it
          </div>
        ))}
    </div>
  )
}
