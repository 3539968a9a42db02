import type { Schemas } from '../../api/client'

/** A lay as the room shows it, and what becomes of it as news comes in; no screen, no server. */

export type Lay = Schemas['LayOut']
export type LaidState = Schemas['LaidState']
export type Delta = Schemas['LaidDelta']
export type Placement = Schemas['LayPlacement']
export type Piece = Schemas['LayPiece']

/** A piece's copy by one word, as what is pointed at or pinned is named. */
export const keyOf = (p: { piece: string; copy_number: number }) => `${p.piece}#${p.copy_number}`

/**
 * What a difference makes of a lay; null where it is not the next of what is known, and all is to
 * be read again.
 */
export function applied(lay: Lay, delta: Delta): Lay | null {
  if (delta.was !== '' && delta.was !== lay.state.seen) return null
  const lies = new Map(
    delta.was === '' ? [] : lay.state.placements.map((p) => [keyOf(p), p] as const),
  )
  for (const p of delta.up) lies.delete(keyOf(p))
  for (const p of delta.down) lies.set(keyOf(p), p)
  const { unplaced, figures, per_hide, seen, unfair } = delta
  const placements = [...lies.values()]
  const count = counted(placements)
  const missing = new Map(unplaced.map((u) => [u.piece, u.count]))
  const inParts = new Set(lay.pieces.map((p) => p.part_of))
  // What may be made in parts lies where its parts do: how many are missing tells.
  const placed = (p: Piece) =>
    inParts.has(p.id) ? p.quantity - (missing.get(p.id) ?? 0) : (count.get(p.id) ?? 0)
  const pieces = lay.pieces.map((p) => ({ ...p, placed: placed(p) }))
  return { ...lay, pieces, state: { seen, placements, unplaced, figures, per_hide, unfair } }
}

/** How many lie of each piece. */
export function counted(placements: Placement[]): Map<string, number> {
  const counts = new Map<string, number>()
  for (const p of placements) counts.set(p.piece, (counts.get(p.piece) ?? 0) + 1)
  return counts
}

/** Whether a state is a revision of the lay, and not what a search has found so far. */
export const isRevision = (seen: string) => seen.startsWith('r')

/** Placements by hide. */
export function byHide(placements: Placement[]): Map<string, Placement[]> {
  const out = new Map<string, Placement[]>()
  for (const p of placements) out.set(p.hide, [...(out.get(p.hide) ?? []), p])
  return out
}

/** The next of what lies on a hide to be pointed at, from what is; null where nothing lies. */
export function nextOf(here: Placement[], held: string | null, by: number): string | null {
  const keys = here.map(keyOf)
  const at = held === null ? -1 : keys.indexOf(held)
  const first = by > 0 ? 0 : keys.length - 1
  return keys[at < 0 ? first : (at + by + keys.length) % keys.length] ?? null
}

/**
 * What makes one lay another: put `down` (new, or lying otherwise), taken `up`; and where those lay
 * before that lie otherwise or no longer (`left`).
 */
export function differing(before: Placement[], after: Placement[]) {
  const now = new Map(after.map((p) => [keyOf(p), p]))
  const then = new Map(before.map((p) => [keyOf(p), p]))
  const same = (p: Placement, q: Placement | undefined) => JSON.stringify(p) === JSON.stringify(q)
  return {
    down: after.filter((p) => !same(p, then.get(keyOf(p)))),
    up: before.filter((p) => !now.has(keyOf(p))),
    left: before.filter((p) => !same(p, now.get(keyOf(p)))),
  }
}
