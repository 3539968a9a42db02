/** A place in mm. */
export interface At {
  x: number
  y: number
}

/** What a pointer, or chalk held by keys, does on a drawing. */
export type PenKind = 'down' | 'move' | 'up'
export type Told = (kind: PenKind, at: At) => void

/** Where a pointer is, in the mm of the drawing it is over. */
export function atPointer(svg: SVGSVGElement, event: { clientX: number; clientY: number }): At {
  const to = svg.querySelector<SVGGElement>('g[data-mm]')?.getScreenCTM()?.inverse()
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(to)
  return { x: Math.round(p.x * 100) / 100, y: Math.round(p.y * 100) / 100 }
}
