import type { Schemas } from '../../api/client'
import type { Tick } from './ticks'

/** Presses that this tablet keeps: those to be sent, those that the server would not write down. */
export interface Kept {
  waiting: Tick[]
  refused: Refused[]
}
export interface Refused {
  tick: Tick
  why: string
}

export type Change =
  | { type: 'pressed'; tick: Tick }
  | { type: 'answered'; sent: Tick[]; refused: Schemas['RefusedTick'][] }
  | { type: 'put away'; id: string }

export const NOTHING_KEPT: Kept = { waiting: [], refused: [] }
const MOST_AT_ONCE = 500

/**
 * What is kept after a change. Only an answer takes a press out of what waits: it is on the server
 * then, or refused by name; whatever else goes wrong, it stays and is sent again.
 */
export function keptAfter(kept: Kept, change: Change): Kept {
  switch (change.type) {
    case 'pressed':
      return { ...kept, waiting: [...kept.waiting, change.tick] }
    case 'put away':
      return { ...kept, refused: kept.refused.filter((r) => r.tick.id !== change.id) }
    case 'answered': {
      const gone = new Set(change.sent.map((t) => t.id))
      const why = new Map(change.refused.map((r) => [r.id, r.why]))
      const refused = change.sent.flatMap((tick) => {
        const reason = why.get(tick.id)
        return reason === undefined ? [] : [{ tick, why: reason }]
      })
      return {
        waiting: kept.waiting.filter((t) => !gone.has(t.id)),
        refused: [...kept.refused, ...refused],
      }
    }
  }
}

/** Which of the waiting presses are sent next; `alone`, where one among several cannot be read. */
export const nextBatch = (kept: Kept, alone = false): Tick[] =>
  kept.waiting.slice(0, alone ? 1 : MOST_AT_ONCE)

/** A request that the server cannot read, whoever sends it: asked again, it says the same. */
export const UNREADABLE = 422

export const KEPT_UNDER = 'fairlay:ticks:'

/** How many presses this tablet keeps, of all hides, until they are sent. */
export const keptInAll = (): number =>
  Object.keys(localStorage)
    .filter((name) => name.startsWith(KEPT_UNDER))
    .reduce((sum, name) => sum + readKept(localStorage.getItem(name)).waiting.length, 0)

/** What a tablet kept, from its own storage; what cannot be read is nothing. */
export function readKept(text: string | null): Kept {
  try {
    const found: unknown = JSON.parse(text ?? 'null')
    if (Array.isArray(found)) return { ...NOTHING_KEPT, waiting: found as Tick[] }
    return found === null ? NOTHING_KEPT : { ...NOTHING_KEPT, ...(found as Partial<Kept>) }
  } catch {
    return NOTHING_KEPT
  }
}
