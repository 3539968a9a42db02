import { pathOf, type Ring } from '../../hide/paths'
import { GrainArrow } from '../../hide/PieceCard'
import { MarkShape } from '../../hide/MarkShape'
import type { Drawn } from './article'

/**
 * A pattern as a card template: cut edge, finished edge where it differs, hidden areas, marks,
 * grain arrow and name.
 */
export function PatternDrawing({
  drawn,
  name,
  scale,
  chosen = null,
  words = true,
  quiet = false,
}: {
  drawn: Drawn
  name: string
  scale: number
  chosen?: string | null
  words?: boolean
  quiet?: boolean
}) {
  const px = 1 / scale
  const { x, y, r } = drawn.name_at
  const size = Math.min(17 * px, (r * 2.2) / Math.max(4, name.length * 0.56))
  const arrow = drawn.grain_deg !== null && words && r * scale > 12 ? Math.min(r * 1.1, 90 * px) : 0
  const up =
    arrow === 0
      ? 0
      : (Math.abs(Math.sin(((drawn.grain_deg ?? 0) * Math.PI) / 180)) * 0.5 +
          Math.abs(Math.cos(((drawn.grain_deg ?? 0) * Math.PI) / 180)) * 0.14) *
          arrow +
        size * 0.7
  const rough = Math.abs(areaOf(drawn.cut[0] ?? []) - areaOf(drawn.finished)) > 1
  return (
    <g>
      <path
        d={pathOf(drawn.cut)}
        fill="#efe2c4"
        fillRule="evenodd"
        stroke="#3a3128"
        strokeWidth={1.6 * px}
      />
      {drawn.hidden.length > 0 && (
        <path d={pathOf(drawn.hidden)} fill="#3a3128" fillOpacity={0.15} />
      )}
      {rough && (
        <path
          d={pathOf([drawn.finished])}
          fill="none"
          stroke="#3a3128"
          strokeWidth={px}
          strokeDasharray={`${2 * px} ${3 * px}`}
        />
      )}
      {!quiet &&
        drawn.marks.map((m, i) => <MarkShape key={i} mark={m} px={px} chosen={m.id === chosen} />)}
      {words && size / px >= 9 && (
        <text
          x={x}
          y={y - up}
          fontSize={size}
          textAnchor="middle"
          dominantBaseline="central"
          fill="#211c17"
          pointerEvents="none"
        >
          {name}
        </text>
      )}
      {arrow > 0 && (
        <GrainArrow x={x} y={y} deg={drawn.grain_deg ?? 0} length={arrow} width={1.5 * px} />
      )}
    </g>
  )
}

export function areaOf(ring: Ring): number {
  let sum = 0
  ring.forEach((p, i) => {
    const q = ring[(i + 1) % ring.length] ?? p
    sum += (p[0] ?? 0) * (q[1] ?? 0) - (q[0] ?? 0) * (p[1] ?? 0)
  })
  return Math.abs(sum) / 2
}

export interface Placed<T> {
  item: T
  dx: number
  dy: number
}

/**
 * Items set side by side in rows, the way templates are laid out on a bench, so that they are seen
 * as large as can be in a room `aspect` times as wide as high.
 */
export function inRows<T>(
  items: { item: T; x0: number; y0: number; x1: number; y1: number }[],
  apart: number,
  aspect = 1.9,
): { placed: Placed<T>[]; width: number; height: number } {
  const area = items.reduce((sum, i) => sum + (i.x1 - i.x0 + apart) * (i.y1 - i.y0 + apart), 0)
  const widest = Math.max(0, ...items.map((i) => i.x1 - i.x0)) + 2 * apart
  const tries = [1, 1.1, 1.2, 1.35, 1.5, 1.7, 2, 2.4].map((f) =>
    inRoom(items, apart, Math.max(Math.sqrt(area * aspect) * f, widest)),
  )
  return tries.reduce((best, t) =>
    Math.max(t.width, t.height * aspect) < Math.max(best.width, best.height * aspect) - 0.01
      ? t
      : best,
  )
}

function inRoom<T>(
  items: { item: T; x0: number; y0: number; x1: number; y1: number }[],
  apart: number,
  room: number,
): { placed: Placed<T>[]; width: number; height: number } {
  const placed: Placed<T>[] = []
  let x = apart,
    y = apart,
    row = 0,
    width = 0
  for (const i of [...items].sort((a, b) => b.y1 - b.y0 - (a.y1 - a.y0))) {
    if (x > apart && x + i.x1 - i.x0 + apart > room) {
      x = apart
      y += row + apart
      row = 0
    }
    placed.push({ item: i.item, dx: x - i.x0, dy: y - i.y0 })
    x += i.x1 - i.x0 + apart
    row = Math.max(row, i.y1 - i.y0)
    width = Math.max(width, x)
  }
  return { placed, width: width || apart, height: y + row + apart }
}
