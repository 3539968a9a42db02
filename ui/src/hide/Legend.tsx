import { HideDrawing } from './HideDrawing'
import type { HideShape } from './paths'

const box = (x: number, y: number, w: number, h: number) => [
  [x, y],
  [x + w, y],
  [x + w, y + h],
  [x, y + h],
]
const ring = (x: number, y: number, r: number) =>
  Array.from({ length: 16 }, (_, i) => [
    x + r * 1.5 * Math.cos((i * Math.PI) / 8),
    y + r * Math.sin((i * Math.PI) / 8),
  ])
const sample = (zone?: number, flaw?: number): HideShape => ({
  number: '',
  kind: 'offcut',
  rings: [box(0, 0, 44, 22)],
  bounds: { x0: 0, y0: 0, x1: 44, y1: 22 },
  zones:
    zone === undefined
      ? []
      : [{ tightness: zone, name: '', stretch_deg: 90, rings: [box(0, 0, 44, 22)] }],
  flaws:
    flaw === undefined
      ? []
      : [{ kind: '', severity: flaw, severity_name: '', outline: ring(22, 11, 7) }],
})
const ENTRIES: [string, HideShape][] = [
  ['tight', sample(1)],
  ['firm', sample(2)],
  ['loose', sample(3)],
  ['slack', sample(4)],
  ['surface flaw', sample(undefined, 1)],
  ['blemish', sample(undefined, 2)],
  ['unsound', sample(undefined, 3)],
]

/** What the chalk on a hide means: tightness by its lines, flaws by their ring. */
export function Legend({ colour }: { colour: string }) {
  return (
    <ul
      className="flex flex-wrap gap-x-5 gap-y-1 text-sm text-chalk-dim"
      aria-label="What the chalk means"
    >
      {ENTRIES.map(([name, shape]) => (
        <li key={name} className="flex items-center gap-2">
          <svg width={44} height={22} aria-hidden>
            <HideDrawing hide={shape} colour={colour} scale={1} />
          </svg>
          {name}
        </li>
      ))}
    </ul>
  )
}
