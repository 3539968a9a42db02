import type { Tool } from '../../hide/drawing'
import type { At } from '../../hide/places'
import { blankMark, freshMark, type Mark, type Pattern } from './article'

/** What the next press or drag on a piece is for. */
export type PieceTool = 'hidden' | 'hole' | 'slot' | 'stamp' | 'fold' | 'seam' | 'centre'
export type Act = PieceTool | null

export const SAYS: Record<PieceTool, string> = {
  hidden: 'Draw round the area that will not be seen',
  hole: 'Press where the hole goes',
  slot: 'Press where the slot goes',
  stamp: 'Press where the stamp goes',
  fold: 'Drag along the fold, from edge to edge',
  seam: 'Drag along the seam, from edge to edge',
  centre: 'Drag along the fold edge of the half, from end to end',
}

export const SHAPES: Record<PieceTool, Tool> = {
  hidden: { shape: 'ring', apart: 2, least: 5 },
  hole: { shape: 'press' },
  slot: { shape: 'press' },
  stamp: { shape: 'press' },
  fold: { shape: 'line' },
  seam: { shape: 'line' },
  centre: { shape: 'line' },
}
const LEAST_LINE_MM = 4

/**
 * What comes of something drawn on a piece: a mark, a change of it, or the line that a half is
 * turned over on.
 */
export type Made =
  { mark: Mark } | { alter: (p: Pattern) => Pattern } | { centre: { start: At; end: At } }

/** What a tool made of what was drawn; null for a line too short to be meant. */
export function made(tool: PieceTool, points: At[], p: Pattern): Made | null {
  const [start, end] = [points[0], points.at(-1)]
  if (!start || !end) return null
  switch (tool) {
    case 'hole':
    case 'slot':
    case 'stamp':
      return { mark: { ...blankMark(tool, freshMark(tool, p)), at: end } }
    case 'hidden':
      return {
        alter: (q) => ({
          ...q,
          needs: { ...q.needs, hidden: [...q.needs.hidden, points.map((s) => [s.x, s.y])] },
        }),
      }
  }
  if (Math.hypot(end.x - start.x, end.y - start.y) < LEAST_LINE_MM) return null
  switch (tool) {
    case 'fold':
      return { mark: { ...blankMark('fold', freshMark('fold', p)), path: [start, end] } }
    case 'seam':
      return {
        alter: (q) => ({
          ...q,
          seam_lines: [
            ...q.seam_lines,
            { id: `seam-${q.seam_lines.length + 1}`, start, end, allowance_mm: 8 },
          ],
        }),
      }
    case 'centre':
      return { centre: { start, end } }
  }
}
