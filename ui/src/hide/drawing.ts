import type { At } from './places'

/**
 * Drawing on a hide or a piece, whatever it is drawn with: what a tool makes of presses and drags,
 * as states and
 * closed actions. It knows no screen; a room shows `points` while something is drawn and acts on
 * `done`.
 */

/**
 * How a tool draws: one press; a line from where it began to where it is; a way along; a ring that
 * closes.
 */
export type Shape = 'press' | 'line' | 'way' | 'ring'

export interface Tool {
  shape: Shape
  /** Points nearer to the last than this, in mm, are the tremble of a hand. */
  apart?: number
  /** Fewer points than this are a slip: nothing is made of them. */
  least?: number
}

export interface Drawing {
  tool: Tool | null
  points: At[]
  down: boolean
  /** What was drawn, until it is taken. */
  done: At[] | null
}

export type DrawingAct =
  | { type: 'take up'; tool: Tool | null }
  | { type: 'down' | 'move' | 'up'; at: At }
  | { type: 'leave' }
  | { type: 'taken' }

export const NOTHING_DRAWN: Drawing = { tool: null, points: [], down: false, done: null }
const LEAST: Record<Shape, number> = { press: 1, line: 2, way: 2, ring: 6 }

/** The next state of a drawing. */
export function drawn(was: Drawing, act: DrawingAct): Drawing {
  switch (act.type) {
    case 'take up':
      return sameTool(was.tool, act.tool) ? was : { ...NOTHING_DRAWN, tool: act.tool }
    case 'leave':
      return { ...NOTHING_DRAWN, tool: was.tool }
    case 'taken':
      return { ...was, done: null }
    case 'down':
      return was.tool === null ? was : { ...was, points: [act.at], down: true, done: null }
    case 'move':
      return was.tool === null || !was.down ? was : { ...was, points: along(was, was.tool, act.at) }
    case 'up':
      return was.tool === null ? was : ended(was, was.tool, act.at)
  }
}

function along(was: Drawing, tool: Tool, at: At): At[] {
  const first = was.points[0] ?? at
  if (tool.shape === 'press') return [at]
  if (tool.shape === 'line') return [first, at]
  const last = was.points.at(-1) ?? at
  return Math.hypot(at.x - last.x, at.y - last.y) < (tool.apart ?? 0)
    ? was.points
    : [...was.points, at]
}

function ended(was: Drawing, tool: Tool, at: At): Drawing {
  // A press is where it is let go, even where nothing was put down before: chalk held by keys
  // presses so.
  const points = tool.shape === 'press' ? [at] : was.points
  const enough = points.length >= (tool.least ?? LEAST[tool.shape])
  if (tool.shape !== 'press' && !was.down) return was
  return { ...was, points: [], down: false, done: enough ? points : null }
}

const sameTool = (a: Tool | null, b: Tool | null) =>
  a === b ||
  (a !== null && b !== null && a.shape === b.shape && a.apart === b.apart && a.least === b.least)

/** A drawing as path data: closed where it is a ring. */
export const drawnPath = (points: At[], closed = false) =>
  points.length === 0 ? '' : `M${points.map((p) => `${p.x},${p.y}`).join('L')}${closed ? 'Z' : ''}`
