import type { At } from '../../hide/places'

/** A node of a contour: x, y, or x, y and its two handles (in, out). */
export type Node = number[]

const n = (node: Node, i: number) => node[i] ?? 0
export const isCurved = (node: Node) => node.length === 6

/** SVG path data of a contour: lines, and curves where handles ask for them. */
export function contourPath(contour: Node[]): string {
  const [first] = contour
  if (!first) return ''
  let d = `M${n(first, 0)},${n(first, 1)}`
  contour.forEach((a, i) => {
    const b = contour[(i + 1) % contour.length] ?? first
    if (isCurved(a) || isCurved(b))
      d += `C${isCurved(a) ? `${n(a, 4)},${n(a, 5)}` : `${n(a, 0)},${n(a, 1)}`} ${isCurved(b) ? `${n(b, 2)},${n(b, 3)}` : `${n(b, 0)},${n(b, 1)}`} ${n(b, 0)},${n(b, 1)}`
    else d += `L${n(b, 0)},${n(b, 1)}`
  })
  return `${d}Z`
}

const round = (v: number) => Math.round(v * 1000) / 1000

/** A node moved with its handles. */
export const movedNode = (node: Node, dx: number, dy: number): Node =>
  node.map((v, i) => round(v + (i % 2 === 0 ? dx : dy)))

/** A handle moved to a place: 1 the one that comes in, 2 the one that goes out. */
export const movedHandle = (node: Node, which: 1 | 2, to: At): Node =>
  node.map((v, i) => (i === which * 2 ? round(to.x) : i === which * 2 + 1 ? round(to.y) : v))

export const withNode = (contour: Node[], i: number, node: Node): Node[] =>
  contour.map((own, k) => (k === i ? node : own))
export const withoutNode = (contour: Node[], i: number): Node[] =>
  contour.length > 3 ? contour.filter((_, k) => k !== i) : contour

/**
 * A corner made of a bend, or a bend of a corner: its handles a third of the way to its neighbours.
 */
export function toggled(contour: Node[], i: number): Node[] {
  const node = contour[i]
  if (!node) return contour
  if (isCurved(node)) return withNode(contour, i, node.slice(0, 2))
  const a = contour[(i - 1 + contour.length) % contour.length] ?? node
  const b = contour[(i + 1) % contour.length] ?? node
  const [tx, ty] = [(n(b, 0) - n(a, 0)) / 6, (n(b, 1) - n(a, 1)) / 6]
  return withNode(contour, i, [
    n(node, 0),
    n(node, 1),
    round(n(node, 0) - tx),
    round(n(node, 1) - ty),
    round(n(node, 0) + tx),
    round(n(node, 1) + ty),
  ])
}

/**
 * A node put in the middle of the span after node i; the outline keeps its shape (de Casteljau).
 */
export function divided(contour: Node[], i: number): Node[] {
  const a = contour[i]
  const b = contour[(i + 1) % contour.length]
  if (!a || !b) return contour
  const at = (p: Node, q: Node): Node => [(n(p, 0) + n(q, 0)) / 2, (n(p, 1) + n(q, 1)) / 2]
  if (!isCurved(a) && !isCurved(b))
    return [...contour.slice(0, i + 1), at(a, b).map(round), ...contour.slice(i + 1)]
  const p0 = a.slice(0, 2),
    p1 = isCurved(a) ? a.slice(4, 6) : p0,
    p3 = b.slice(0, 2),
    p2 = isCurved(b) ? b.slice(2, 4) : p3
  const q0 = at(p0, p1),
    q1 = at(p1, p2),
    q2 = at(p2, p3)
  const r0 = at(q0, q1),
    r1 = at(q1, q2)
  const middle = [...at(r0, r1), ...r0, ...r1].map(round)
  const first = [...p0, ...(isCurved(a) ? a.slice(2, 4) : p0), ...q0].map(round)
  const last = [...p3, ...q2, ...(isCurved(b) ? b.slice(4, 6) : p3)].map(round)
  const out = [...contour]
  out[i] = first
  out[(i + 1) % contour.length] = last
  return [...out.slice(0, i + 1), middle, ...out.slice(i + 1)]
}

/** A window: a rectangle about a middle, its corners as round as the punch that pricks them. */
export function roundedWindow(at: At, length: number, width: number, punch: number): Node[] {
  const r = Math.min(punch / 2, length / 2, width / 2)
  const k = 0.5523 * r
  const [x0, y0, x1, y1] = [
    at.x - length / 2,
    at.y - width / 2,
    at.x + length / 2,
    at.y + width / 2,
  ]
  if (r === 0)
    return [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
    ]
  return [
    [x0 + r, y0, x0 + r - k, y0, x0 + r, y0],
    [x1 - r, y0, x1 - r, y0, x1 - r + k, y0],
    [x1, y0 + r, x1, y0 + r - k, x1, y0 + r],
    [x1, y1 - r, x1, y1 - r, x1, y1 - r + k],
    [x1 - r, y1, x1 - r + k, y1, x1 - r, y1],
    [x0 + r, y1, x0 + r, y1, x0 + r - k, y1],
    [x0, y1 - r, x0, y1 - r + k, x0, y1 - r],
    [x0, y0 + r, x0, y0 + r, x0, y0 + r - k],
  ].map((node) => node.map(round))
}

export function shifted(contour: Node[], dx: number, dy: number): Node[] {
  return contour.map((node) => movedNode(node, dx, dy))
}
