import type { ReactNode } from 'react'
import { Button, Said, Trouble } from '../../parts/controls'
import type { Lay, Piece } from './lay'
import type { HandOf } from './useHand'

const SMALL = 'min-h-11 px-3'
const NOWHERE = {
  one: 'As it is held there is no place for it on this hide: try the best angle',
  many: 'As they are held there is no place for them together on this hide',
}

/** The piece in the hand: what may be done with it, and why it does not go where it is held. */
export function HandPanel({ held }: { held: HandOf }) {
  const { hand, piece, why } = held
  if (hand === null || piece === undefined) return null
  const several = hand.along.length + 1
  const nowhere = held.ground.length === 0 && !held.pending && !hand.insisting
  return (
    <Card label="In the hand">
      <div className="font-stamp text-lg font-bold">
        {several > 1 ? `${several} pieces in the hand` : `${piece.name} ${hand.copy + 1}`}{' '}
        {several === 1 && (
          <span className="font-normal text-ink-soft">
            {piece.article}, {turnWords(piece, hand.turn, hand.mirrored)}
            {hand.mirrored && ', turned over'}
          </span>
        )}
      </div>
      <div role="status" className="min-h-5 text-sm">
        {held.pending ? (
          'Looking where it can go …'
        ) : nowhere ? (
          <b>
            {held.sentence ? <Said words={held.sentence} /> : NOWHERE[several > 1 ? 'many' : 'one']}
          </b>
        ) : hand.insisting ? (
          'It goes down wherever it is put, and is marked where a rule forbids that'
        ) : (
          'Its dot may be wherever it is lit. Press, or Enter, to put it down'
        )}
      </div>
      {several === 1 &&
        piece.marks
          .filter((m) => m.kind === 'centre line')
          .map((m) => (
            <div key={m.words} className="text-sm text-ink-soft">
              A half pattern, turned over here: <Said words={m.words} />
            </div>
          ))}
      {why && why.because.length > 0 && (
        <div className="mt-1 border-l-4 border-unsound bg-unsound/10 px-2 py-1 text-sm">
          {why.because.map((b) => (
            <div key={b.sentence}>
              Not here: <Said words={b.sentence} />.
            </div>
          ))}
          <b>
            <Said words={why.help} />.
          </b>
        </div>
      )}
      <div className="mt-2 flex flex-wrap gap-1.5">
        {several === 1 && (
          <>
            <Button
              className={SMALL}
              aria-label="Turn left by a degree"
              onClick={() => {
                held.turnBy(-1)
              }}
            >
              ↺ 1°
            </Button>
            <Button
              className={SMALL}
              aria-label="Turn right by a degree"
              onClick={() => {
                held.turnBy(1)
              }}
            >
              ↻ 1°
            </Button>
            {piece.tolerance_deg >= 90 && (
              <Button
                className={SMALL}
                onClick={() => {
                  held.turnBy(90)
                }}
              >
                ↻ 90°
              </Button>
            )}
            <Button
              className={SMALL}
              disabled={held.bestAngle.isPending}
              onClick={() => {
                held.bestAngle.mutate()
              }}
            >
              Best angle here
            </Button>
            {piece.pair && (
              <Button className={SMALL} onClick={held.turnOver}>
                Turn it over
              </Button>
            )}
          </>
        )}
        <Button
          className={SMALL}
          aria-pressed={hand.insisting}
          look={hand.insisting ? 'brass' : 'paper'}
          onClick={(event) => {
            held.insist()
            // Enter puts the piece down next: it must not press this button once more.
            event.currentTarget.blur()
          }}
        >
          Insist
        </Button>
        <Button className={SMALL} onClick={held.letGo}>
          Put it down
        </Button>
        {hand.home && (
          <Button
            className={SMALL}
            onClick={() => {
              held.toTray([
                { piece: hand.piece, copy_number: hand.copy },
                ...hand.along.map((a) => ({
                  piece: a.placement.piece,
                  copy_number: a.placement.copy_number,
                })),
              ])
            }}
          >
            To the tray
          </Button>
        )}
        <Button className={SMALL} onClick={held.leave}>
          Leave it
        </Button>
      </div>
      <Trouble error={held.error} onPaper />
    </Card>
  )
}

function turnWords(piece: Piece, turn: number, mirrored: boolean) {
  const usual = mirrored ? piece.turn_over_deg : piece.turn_deg
  const whole = ((((turn - usual + 180) % 360) + 360) % 360) - 180
  const off = piece.reversible && Math.abs(whole) > 90 ? whole - Math.sign(whole) * 180 : whole
  const said = `${Math.abs(off).toFixed(Number.isInteger(off) ? 0 : 1)}°`
  if (piece.tolerance_deg >= 180) return `turned ${said}`
  return Math.abs(off) < 0.05
    ? 'with its grain'
    : `${said} off its grain, ${piece.tolerance_deg}° allowed`
}

/** A docket over the lay's own, for as long as something is in the hand or chosen. */
function Card({ label, children }: { label: string; children: ReactNode }) {
  return (
    <section
      className="docket absolute inset-0 z-10 overflow-auto px-5 pt-4 pb-3"
      aria-label={label}
    >
      {children}
    </section>
  )
}

export interface ChosenActs {
  takeUp: () => void
  pin: () => void
  toTray: () => void
  push: (dx: number, dy: number) => void
  swap: () => void
  over: () => void
  copy: (hide: string) => void
  sign: (signed: boolean) => void
  leave: () => void
}

/** What is chosen on the hide, and what may be done with it. */
export function ChosenPanel({
  lay,
  hide,
  keys,
  pieces,
  pins,
  acts,
  busy,
  error,
}: {
  lay: Lay
  hide: string
  keys: string[]
  pieces: Map<string, Piece>
  pins: ReadonlySet<string>
  acts: ChosenActs
  busy: boolean
  error: Error | null
}) {
  const [first = ''] = keys
  const [id = '', copy = '0'] = first.split('#')
  const piece = pieces.get(id)
  if (!piece) return null
  const unfair = lay.state.unfair.find((u) => `${u.piece}#${u.copy_number}` === first)
  const others = lay.hides.filter((h) => h.number !== hide)
  const one = keys.length === 1
  const pinned = keys.every((k) => pins.has(k))
  return (
    <Card label="Chosen">
      <div className="font-stamp text-lg font-bold">
        {one ? `${piece.name} ${Number(copy) + 1}` : `${keys.length} pieces chosen`}{' '}
        {one && <span className="font-normal text-ink-soft">{piece.article}</span>}
      </div>
      {one && (
        <div className="text-sm">
          <Said words={piece.needs.join(' · ')} />
        </div>
      )}
      {unfair && (
        <div className="mt-1 border-l-4 border-unsound bg-unsound/10 px-2 py-1 text-sm">
          {unfair.sentences.map((s) => (
            <div key={s}>
              <Said words={s} />.
            </div>
          ))}
          <Button
            className={`${SMALL} mt-1`}
            onClick={() => {
              acts.sign(unfair.signed_by === '')
            }}
          >
            {unfair.signed_by === ''
              ? 'Sign for it'
              : `Signed by ${unfair.signed_by}: take it back`}
          </Button>
        </div>
      )}
      <div className="mt-2 flex flex-wrap gap-1.5">
        <Button look="brass" className={SMALL} disabled={busy} onClick={acts.takeUp}>
          Take {one ? 'it' : 'them'} up
        </Button>
        <Button className={SMALL} disabled={busy} onClick={acts.pin}>
          {pinned ? 'Take the pin out' : 'Pin'}
        </Button>
        <Button className={SMALL} disabled={busy} onClick={acts.toTray}>
          To the tray
        </Button>
        {one && piece.pair && (
          <Button className={SMALL} disabled={busy} onClick={acts.over}>
            Turn it over
          </Button>
        )}
        {keys.length === 2 && (
          <Button className={SMALL} disabled={busy} onClick={acts.swap}>
            Swap them
          </Button>
        )}
        {WAYS.map(([name, sign, dx, dy]) => (
          <Button
            key={name}
            className="min-h-11 min-w-11 px-2"
            aria-label={`Push toward the ${name}`}
            disabled={busy}
            onClick={() => {
              acts.push(dx, dy)
            }}
          >
            {sign}
          </Button>
        ))}
        {others.map((h) => (
          <Button
            key={h.number}
            className={SMALL}
            disabled={busy}
            onClick={() => {
              acts.copy(h.number)
            }}
          >
            Lay the same on {h.number}
          </Button>
        ))}
        <Button className={SMALL} onClick={acts.leave}>
          Leave {one ? 'it' : 'them'}
        </Button>
      </div>
      <Trouble error={error} onPaper />
    </Card>
  )
}

const WAYS: [string, string, number, number][] = [
  ['left end', '⇤', -1, 0],
  ['right end', '⇥', 1, 0],
  ['backbone', '⤒', 0, -1],
  ['belly', '⤓', 0, 1],
]
