import * as Plot from '@observablehq/plot'
import { useEffect, useRef, useState } from 'react'

/** The inks of charts: those of paper and of what lies on the bench. */
export const INK = {
  ink: '#211c17',
  soft: '#5b5044',
  line: '#d8cba9',
  card: '#e3cf9f',
  brass: '#c68f2d',
  sound: '#2f6140',
  unsound: '#a3281a',
  leather: '#a86c3e',
} as const

const FONT = "15px 'Public Sans', system-ui, sans-serif"

/**
 * A chart in the paper's own inks, drawn to the width it has. What it shows stands in a table
 * beside it too: the drawing itself is left out for those who hear the page.
 */
export function Chart({
  label,
  height,
  draw,
}: {
  label: string
  height: number
  draw: (width: number) => Plot.PlotOptions
}) {
  const room = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(0)
  useEffect(() => {
    const own = room.current
    if (own === null) return
    const watch = new ResizeObserver(() => {
      setWidth(Math.floor(own.clientWidth))
    })
    watch.observe(own)
    return () => {
      watch.disconnect()
    }
  }, [])
  useEffect(() => {
    const own = room.current
    if (own === null || width < 120) return
    const options = draw(width)
    const drawn = Plot.plot({
      ...options,
      width,
      height,
      ariaLabel: label,
      style: { font: FONT, color: INK.ink, background: 'transparent', overflow: 'visible' },
    })
    own.replaceChildren(drawn)
    return () => {
      own.replaceChildren()
    }
  }, [draw, width, height, label])
  return <div ref={room} role="img" aria-label={label} style={{ minHeight: height }} data-chart />
}
