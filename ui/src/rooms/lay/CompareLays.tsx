import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { server } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { HideView } from '../../hide/HideView'
import { leatherColour, pathOf } from '../../hide/paths'
import { Button } from '../../parts/controls'
import { percent, plural, useUnits } from '../../parts/units'
import { LaidPieces, matrixOf } from './LaidPieces'
import { byHide, differing, keyOf, type Lay } from './lay'

const NONE: never[] = []
/** What lay otherwise is dotted in red chalk, where it lies now in broken green. */
const DIFFER = [
  ['left', '#a3281a'],
  ['down', '#2f6140'],
] as const
const NO_KEYS: ReadonlySet<string> = new Set()
const NOTHING = () => undefined

/** Two revisions of a lay, side by side or over each other, with what they differ in. */
export function CompareLays({ lay, hide }: { lay: Lay; hide: string }) {
  return (
    <Dialog.Root>
      <Dialog.Trigger asChild>
        <Button disabled={lay.head < 2}>Compare</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Content
          className="fixed inset-0 z-30 flex flex-col bg-bench"
          aria-describedby={undefined}
        >
          <Compared lay={lay} hide={hide} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function Compared({ lay, hide: first }: { lay: Lay; hide: string }) {
  const [one, setOne] = useState(Math.max(1, lay.head - 1))
  const [two, setTwo] = useState(lay.head)
  const [over, setOver] = useState(false)
  const [number, setNumber] = useState(first)
  const at = (n: number) => ({ params: { path: { lay_id: lay.id }, query: { at: n } } })
  const a = server.useQuery('get', '/api/lays/{lay_id}', at(one)).data
  const b = server.useQuery('get', '/api/lays/{lay_id}', at(two)).data
  const choice = (value: number, set: (n: number) => void, label: string) => (
    <select
      aria-label={label}
      className="min-h-11 max-w-56 border border-chalk/40 bg-bench-deep px-2"
      value={value}
      onChange={(e) => {
        set(Number(e.target.value))
      }}
    >
      {lay.revisions.map((r) => (
        <option key={r.number} value={r.number}>
          {r.number}
          {r.mark && ` “${r.mark}”`}: {plural(r.placed, 'piece')}
        </option>
      ))}
    </select>
  )
  return (
    <>
      <div className="flex flex-wrap items-center gap-3 bg-bench-deep px-5 py-1.5">
        <Dialog.Title className="font-stamp text-xl font-bold">Compare</Dialog.Title>
        {choice(one, setOne, 'First lay')}
        <span>with</span>
        {choice(two, setTwo, 'Second lay')}
        {lay.hides.length > 1 && (
          <select
            aria-label="Hide"
            className="min-h-11 border border-chalk/40 bg-bench-deep px-2"
            value={number}
            onChange={(e) => {
              setNumber(e.target.value)
            }}
          >
            {lay.hides.map((h) => (
              <option key={h.number}>{h.number}</option>
            ))}
          </select>
        )}
        <Button
          look="bench"
          aria-pressed={over}
          onClick={() => {
            setOver(!over)
          }}
        >
          {over ? 'Side by side' : 'Over each other'}
        </Button>
        <Dialog.Close asChild>
          <Button look="bench" className="ml-auto">
            Close
          </Button>
        </Dialog.Close>
        {a && b && <Difference a={a} b={b} />}
      </div>
      <div className="flex min-h-0 flex-1 flex-col gap-1 lg:flex-row">
        {a && b && !over && (
          <>
            <OneLay lay={a} number={number} words={`Revision ${one}`} />
            <OneLay lay={b} number={number} words={`Revision ${two}`} />
          </>
        )}
        {a && b && over && (
          <OneLay
            lay={a}
            over={b}
            number={number}
            words={`Revision ${one}; what ${two} has otherwise is broken green, where it lay dotted red`}
          />
        )}
      </div>
    </>
  )
}

export function Difference({ a, b }: { a: Lay; b: Lay }) {
  const units = useUnits()
  const [f, g] = [a.state.figures, b.state.figures]
  const { down, up } = differing(a.state.placements, b.state.placements)
  const signed = (n: number, words: string) => `${n > 0 ? '+' : n < 0 ? '−' : '±'}${words}`
  return (
    <p role="status" className="basis-full text-sm">
      {signed(g.placed - f.placed, plural(Math.abs(g.placed - f.placed), 'piece'))},{' '}
      {signed(g.used_m2 - f.used_m2, units.area(Math.abs(g.used_m2 - f.used_m2)))} of leather,{' '}
      {signed(g.cost - f.cost, units.money(Math.abs(g.cost - f.cost)))}, yield{' '}
      {percent(f.yield_of_used, 1)} → {percent(g.yield_of_used, 1)}; {down.length} moved or new,{' '}
      {up.length} taken up
    </p>
  )
}

export function OneLay({
  lay,
  over,
  number,
  words,
}: {
  lay: Lay
  over?: Lay
  number: string
  words: string
}) {
  const hide = lay.hides.find((h) => h.number === number) ?? lay.hides[0]
  if (!hide) return null
  const pieces = new Map(lay.pieces.map((p) => [p.id, p]))
  const here = byHide(lay.state.placements).get(hide.number) ?? NONE
  const there = over ? (byHide(over.state.placements).get(hide.number) ?? NONE) : here
  const { down, left } = differing(here, there)
  return (
    <figure className="flex min-h-0 min-w-0 flex-1 flex-col">
      <figcaption className="px-4 py-1 font-stamp">
        {words}: {plural(here.length, 'piece')} on {hide.number}
      </figcaption>
      <div className="min-h-0 flex-1">
        <HideView bounds={hide.bounds} label={`${words}, hide ${hide.number}`}>
          {(scale) => (
            <>
              <HideDrawing hide={hide} colour={leatherColour(hide.colour)} scale={scale} />
              <LaidPieces
                placements={here}
                pieces={pieces}
                scale={scale}
                pins={NO_KEYS}
                away={NO_KEYS}
                loose={false}
                onHold={NOTHING}
              />
              <g pointerEvents="none">
                {DIFFER.map(([own, colour]) =>
                  (own === 'left' ? left : down).map((p) => (
                    <path
                      key={`${own} ${keyOf(p)}`}
                      d={pathOf(pieces.get(p.piece)?.rings ?? [])}
                      transform={matrixOf(p)}
                      fill={colour}
                      fillOpacity={0.3}
                      stroke={colour}
                      strokeWidth={3}
                      strokeDasharray={own === 'left' ? '3 4' : '10 5'}
                      vectorEffect="non-scaling-stroke"
                    />
                  )),
                )}
              </g>
            </>
          )}
        </HideView>
      </div>
    </figure>
  )
}
