import type { At } from '../../hide/places'
import type { Schemas } from '../../api/client'
import { counted, keyOf, type Lay, type Piece, type Placement } from './lay'

/** A piece in the hand: how it is held, and where it settles on lit ground; no screen, no server. */

export type Ground = Schemas['GroundOut']['parts']

/** What is in the hand: a piece as it is turned, and others that move along with it. */
export interface InHand {
  piece: string
  copy: number
  turn: number
  mirrored: boolean
  /** Where it lay when it was taken up; null for one from the tray. */
  home: Placement | null
  along: Along[]
  insisting: boolean
}

/** Another piece held along: where its origin lies from the first's, in mm. */
export interface Along extends At {
  placement: Placement
}

export interface Settled extends At {
  fair: boolean
}

export type HandAct =
  | { type: 'take up'; hand: InHand }
  | { type: 'turn'; by: number }
  | { type: 'turn to'; deg: number }
  | { type: 'turn over'; deg: number }
  | { type: 'insist' }
  | { type: 'leave' }

/** The next state of the hand. */
export function handled(was: InHand | null, act: HandAct): InHand | null {
  if (act.type === 'take up') return act.hand
  if (was === null || act.type === 'leave') return null
  switch (act.type) {
    case 'turn':
      return was.along.length > 0 ? was : { ...was, turn: tidy(was.turn + act.by) }
    case 'turn to':
      return was.along.length > 0 ? was : { ...was, turn: tidy(act.deg) }
    case 'turn over':
      return { ...was, mirrored: !was.mirrored, turn: tidy(act.deg) }
    case 'insist':
      return { ...was, insisting: !was.insisting }
  }
}

const tidy = (deg: number) => Math.round((((deg % 360) + 360) % 360) * 1000) / 1000

/** A piece's own matrix: mirrored first, then turned, then moved to its origin. */
export function matrixAt(at: At, turnDeg: number, mirrored: boolean) {
  const turn = (turnDeg * Math.PI) / 180
  const [cos, sin, hand] = [Math.cos(turn), Math.sin(turn), mirrored ? -1 : 1]
  return { a: cos * hand, b: sin * hand, c: -sin, d: cos, e: at.x, f: at.y }
}

/** Where the middle of a held piece is, from its origin. */
export function middleOf(piece: Piece, turnDeg: number, mirrored: boolean): At {
  const m = matrixAt({ x: 0, y: 0 }, turnDeg, mirrored)
  const { x, y } = piece.name_at
  return { x: m.a * x + m.c * y, y: m.b * x + m.d * y }
}

/**
 * Where a held piece settles for a place that is wanted: there, where that is lit; else at the
 * nearest lit place. Near the rim of what is lit it is drawn to the rim, and to its corners, where
 * it meets its neighbours; where it lay is always a place for it.
 */
export function settled(
  ground: Ground,
  wanted: At,
  near: number,
  home: At | null = null,
): Settled | null {
  if (home && far(home, wanted) <= near) return { ...home, fair: true }
  let inside = false
  let rim: At | null = null
  let corner: At | null = null
  for (const ring of ground.flat()) {
    let last = ring[ring.length - 1]
    for (const point of ring) {
      if (!last) break
      const [ax = 0, ay = 0] = last
      const [bx = 0, by = 0] = point
      if (
        ay > wanted.y !== by > wanted.y &&
        wanted.x < ((bx - ax) * (wanted.y - ay)) / (by - ay) + ax
      )
        inside = !inside
      const spot = onSegment(ax, ay, bx, by, wanted)
      if (rim === null || far(spot, wanted) < far(rim, wanted)) rim = spot
      if (corner === null || far({ x: bx, y: by }, wanted) < far(corner, wanted))
        corner = { x: bx, y: by }
      last = point
    }
  }
  if (rim === null || corner === null) return null
  if (far(corner, wanted) <= near * 0.8) return { ...corner, fair: true }
  if (inside && far(rim, wanted) > near) return { ...wanted, fair: true }
  return { ...rim, fair: true }
}

const far = (a: At, b: At) => Math.hypot(a.x - b.x, a.y - b.y)

function onSegment(ax: number, ay: number, bx: number, by: number, p: At): At {
  const [dx, dy] = [bx - ax, by - ay]
  const length = dx * dx + dy * dy
  const t =
    length === 0 ? 0 : Math.max(0, Math.min(1, ((p.x - ax) * dx + (p.y - ay) * dy) / length))
  return { x: ax + t * dx, y: ay + t * dy }
}

/** A copy of a piece that does not lie yet; null where all do. */
export function freeCopy(lay: Lay, piece: Piece): number | null {
  const lies = new Set(lay.state.placements.map(keyOf))
  for (const part of lay.pieces.filter((p) => p.part_of === piece.id))
    for (const p of lay.state.placements)
      if (p.piece === part.id) lies.add(keyOf({ piece: piece.id, copy_number: p.copy_number }))
  for (let copy = 0; copy < piece.quantity; copy++)
    if (!lies.has(keyOf({ piece: piece.id, copy_number: copy }))) return copy
  return null
}

/** Whether the next of a pair to be laid is the mirrored one. */
export function nextIsMirrored(lay: Lay, piece: Piece): boolean {
  if (!piece.pair) return false
  const own = lay.state.placements.filter((p) => p.piece === piece.id)
  const mirrored = own.filter((p) => p.mirrored).length
  return mirrored < own.length - mirrored
}

/** What has no place yet: pieces with how many, the largest first. */
export function tray(lay: Lay): { piece: Piece; left: number }[] {
  return lay.pieces
    .filter((p) => p.part_of === null && p.placed < p.quantity)
    .map((piece) => ({ piece, left: piece.quantity - piece.placed }))
    .sort(
      (a, b) =>
        Number(a.piece.filler) - Number(b.piece.filler) || b.piece.area_m2 - a.piece.area_m2,
    )
}

/** Placements put down where they are from now on. */
export function withPut(lay: Lay, put: Placement[], taken: string[], head: number): Lay {
  const gone = new Set([...taken, ...put.map(keyOf)])
  const placements = [...lay.state.placements.filter((p) => !gone.has(keyOf(p))), ...put]
  const counts = counted(placements)
  const pieces = lay.pieces.map((p) => ({ ...p, placed: counts.get(p.id) ?? 0 }))
  return { ...lay, head, pieces, state: { ...lay.state, placements } }
}
