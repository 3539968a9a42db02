import type { At } from './hide'

/** An outline pushed from a place to another: points near by go with it, farther ones less, none beyond `reach`. */
export function pushed(ring: number[][], from: At, to: At, reach: number): number[][] {
  return ring.map((p) => {
    const [x, y] = [p[0] ?? 0, p[1] ?? 0]
    const far = Math.hypot(x - from[0], y - from[1]) / reach
    if (far >= 1) return p
    const share = (1 - far * far) ** 2
    return [Math.round((x + share * (to[0] - from[0])) * 100) / 100, Math.round((y + share * (to[1] - from[1])) * 100) / 100]
  })
}
