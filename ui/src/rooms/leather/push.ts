import type { At } from './hide'

/**
 * An outline pushed from a place to another: points near by go with it, farther ones less, none
 * beyond `reach`.
 */
export function pushed(ring: number[][], from: At, to: At, reach: number): number[][] {
  return ring.map((p) => {
    const [x, y] = [p[0] ?? 0, p[1] ?? 0]
    const far = Math.hypot(x - from[0], y - from[1]) / reach
    if (far >= 1) return p
    const share = (1 - far * far) ** 2
    return [
      Math.round((x + share * (to[0] - from[0])) * 100) / 100,
      Math.round((y + share * (to[1] - from[1])) * 100) / 100,
    ]
  })
}

/**
 * The area in m2 of an outline in mm without its holes, while it is pushed about; the server
 * measures it anew when it is taken.
 */
export const areaOf = (outline: number[][], holes: number[][][]) =>
  (shoelace(outline) - holes.reduce((sum, h) => sum + shoelace(h), 0)) / 1e6

const shoelace = (ring: number[][]) =>
  Math.abs(
    ring.reduce((sum, [x = 0, y = 0], i) => {
      const [u = 0, v = 0] = ring[(i + 1) % ring.length] ?? []
      return sum + x * v - u * y
    }, 0),
  ) / 2
