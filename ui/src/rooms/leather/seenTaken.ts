import type { Schemas } from '../../api/client'
import type { Tool as DrawingTool } from '../../hide/drawing'
import type { At } from './hide'
import { pushed } from './push'

/**
 * What of a hide that was seen is taken, as the cutter corrects it: states and closed actions,
 * every one of which can be undone.
 */

export type Seen = Schemas['SeenRecord']
export interface Ring {
  outline: number[][]
  chalk: string
  severity: number
  kind: string
  taken: boolean
  doubted: boolean
}
export interface Taken {
  outline: number[][]
  holes: number[][][]
  rings: Ring[]
  lines: { points: number[][]; means: 'backbone' | 'least stretch' | 'nothing'; kind: string }[]
  ends: { tail?: At; neck?: At }
  flesh: boolean
  keep: boolean
}
export type SeenTool = 'push' | 'add' | 'take off' | 'cut' | 'ring' | 'ends'

export const SHAPES: Record<SeenTool, DrawingTool> = {
  push: { shape: 'way' },
  add: { shape: 'way', apart: 3, least: 1 },
  'take off': { shape: 'way', apart: 3, least: 1 },
  cut: { shape: 'way', apart: 3 },
  ring: { shape: 'ring', apart: 3 },
  ends: { shape: 'press' },
}

/**
 * The corrections of one seen hide; `own` is null while nothing was corrected, `before` what each
 * act can go back to.
 */
export interface Corrections {
  own: Taken | null
  before: (Taken | null)[]
  /** The ring that is chosen. */
  at: number | null
  tool: SeenTool | null
}

export type SeenAct =
  | { type: 'begin push' }
  | { type: 'push'; from: At; to: At }
  | { type: 'mended'; outline: number[][]; holes: number[][][] }
  | { type: 'ring'; outline: number[][] }
  | { type: 'ring is'; at: number; is: Partial<Ring> }
  | { type: 'holes are flaws' }
  | { type: 'ring is a hole'; at: number }
  | { type: 'end'; at: At }
  | { type: 'line means'; at: number; means: Taken['lines'][number]['means'] }
  | { type: 'flesh'; flesh: boolean }
  | { type: 'keep'; keep: boolean }
  | { type: 'as found' }
  | { type: 'undo' }
  | { type: 'choose'; at: number | null }
  | { type: 'step'; by: number }
  | { type: 'tool'; tool: SeenTool | null }

const SURE = 0.15
const MOST_UNDONE = 60
const RING_REACH_MM = 45
const EDGE_REACH_MM = 80

/** What is taken of a hide before anything is corrected: rings whose colour was sure. */
export const asSeen = (seen: Seen): Taken => ({
  outline: seen.outline,
  holes: seen.holes,
  ends: {},
  flesh: false,
  keep: true,
  rings: seen.rings.map((r) => ({
    outline: r.outline,
    chalk: r.chalk,
    severity: r.severity,
    kind: r.kind || 'not named',
    taken: r.severity > 0 && r.sure >= SURE,
    doubted: r.severity === 0 || r.sure < SURE,
  })),
  lines: seen.lines.map((x) => ({
    points: x.points,
    kind: x.kind,
    means: x.kind === 'backbone' ? 'backbone' : x.kind === 'arrow' ? 'least stretch' : 'nothing',
  })),
})

/** The next state of the corrections of a hide that was seen. */
export function corrected(seen: Seen, was: Corrections, act: SeenAct): Corrections {
  const taken = was.own ?? asSeen(seen)
  const set = (to: Partial<Taken>, at = was.at): Corrections => ({
    ...was,
    own: { ...taken, ...to },
    before: [...was.before.slice(-MOST_UNDONE + 1), was.own],
    at,
  })
  switch (act.type) {
    case 'begin push':
      // What is dragged is one act, however many places it goes through.
      return set({})
    case 'push':
      return { ...was, own: { ...taken, ...pushedBy(taken, was.at, act.from, act.to) } }
    case 'mended':
      return set({ outline: act.outline, holes: act.holes })
    case 'ring':
      return was.at === null
        ? set({ rings: [...taken.rings, drawnRing(act.outline)] }, taken.rings.length)
        : set({ rings: withRing(taken.rings, was.at, { outline: act.outline, taken: true }) })
    case 'ring is':
      return set({ rings: withRing(taken.rings, act.at, act.is) })
    case 'holes are flaws':
      return set({
        holes: [],
        rings: [
          ...taken.rings,
          ...taken.holes.map((outline) => ({ ...drawnRing(outline), severity: 0, doubted: true })),
        ],
      })
    case 'ring is a hole': {
      const rings = taken.rings.filter((_, k) => k !== act.at)
      const hole = taken.rings.filter((_, k) => k === act.at).map((r) => r.outline)
      return set({ rings, holes: [...taken.holes, ...hole] }, null)
    }
    case 'end':
      return set({
        ends:
          taken.ends.tail && !taken.ends.neck ? { ...taken.ends, neck: act.at } : { tail: act.at },
      })
    case 'line means':
      return set({
        lines: taken.lines.map((x, k) => (k === act.at ? { ...x, means: act.means } : x)),
      })
    case 'flesh':
      return set({ flesh: act.flesh })
    case 'keep':
      return set({ keep: act.keep })
    case 'as found':
      return { ...set({}, null), own: null }
    case 'undo': {
      const last = was.before.at(-1)
      if (last === undefined) return was
      const rings = (last ?? asSeen(seen)).rings.length
      return {
        ...was,
        own: last,
        before: was.before.slice(0, -1),
        at: was.at !== null && was.at < rings ? was.at : null,
      }
    }
    case 'choose':
      return { ...was, at: act.at }
    case 'step': {
      const n = taken.rings.length
      if (n === 0) return was
      const at = was.at === null ? (act.by > 0 ? 0 : n - 1) : (was.at + act.by + n) % n
      return { ...was, at }
    }
    case 'tool':
      return { ...was, tool: act.tool === was.tool ? null : act.tool }
  }
}

const withRing = (rings: Ring[], at: number, is: Partial<Ring>) =>
  rings.map((r, k) => (k === at ? { ...r, ...is } : r))

const drawnRing = (outline: number[][]): Ring => ({
  outline,
  chalk: '',
  severity: 2,
  kind: 'not named',
  taken: true,
  doubted: false,
})

function pushedBy(taken: Taken, at: number | null, from: At, to: At): Partial<Taken> {
  const ring = at === null ? undefined : taken.rings[at]
  return ring && at !== null
    ? {
        rings: withRing(taken.rings, at, {
          outline: pushed(ring.outline, from, to, RING_REACH_MM),
        }),
      }
    : { outline: pushed(taken.outline, from, to, EDGE_REACH_MM) }
}
