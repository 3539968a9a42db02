import { useState, type KeyboardEvent } from 'react'
import { useUnits } from '../parts/units'
import type { At, Told } from './places'

interface Pen extends At {
  down: boolean
}

const WAYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}
const STRIDE_PX = 10

/**
 * Chalk held by keys: what a pointer does on a drawing, arrows, Space and Enter do too.
 * Arrows go by ten points of the screen, with Shift by one; Space puts the chalk down and lifts
 * it, Enter presses once.
 */
export function useKeyPen(middle: At, scale: number, onPointer: Told | undefined) {
  const [pen, setPen] = useState<Pen | null>(null)
  const take = () => {
    if (onPointer) setPen({ ...middle, down: false })
  }
  const leave = () => {
    if (pen?.down) onPointer?.('up', pen)
    setPen(null)
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (!pen || !onPointer || event.ctrlKey || event.metaKey || event.altKey) return
    const way = WAYS[event.key]
    if (way) {
      const step = (event.shiftKey ? 1 : STRIDE_PX) / scale
      const to = {
        x: Math.round((pen.x + way[0] * step) * 100) / 100,
        y: Math.round((pen.y + way[1] * step) * 100) / 100,
        down: pen.down,
      }
      setPen(to)
      if (pen.down) onPointer('move', to)
    } else if (event.key === ' ') {
      onPointer(pen.down ? 'up' : 'down', pen)
      setPen({ ...pen, down: !pen.down })
    } else if (event.key === 'Enter') {
      if (!pen.down) onPointer('down', pen)
      onPointer('up', pen)
      setPen({ ...pen, down: false })
    } else return
    event.preventDefault()
    event.stopPropagation()
  }
  return { pen, take, leave, onKeyDown }
}

/**
 * Where the chalk is on the screen: a cross, filled while it draws, and its place from where the
 * tapes begin, in words.
 */
export function PenMark({ down, from, x, y }: { down: boolean; from: At; x: number; y: number }) {
  const units = useUnits()
  const words = `${units.length(from.x)} along, ${units.length(from.y)} down${down ? ', drawing' : ''}`
  return (
    <g pointerEvents="none" transform={`translate(${x},${y})`}>
      {[
        ['#1a1512', 5],
        ['#ffd76a', 2],
      ].map(([ink, width]) => (
        <path
          key={ink}
          d="M-22,0H-6M6,0H22M0,-22V-6M0,6V22"
          stroke={ink as string}
          strokeWidth={width}
        />
      ))}
      <circle r={5} fill={down ? '#ffd76a' : 'none'} stroke="#ffd76a" strokeWidth={2} />
      <text
        role="status"
        x={14}
        y={-12}
        fontSize={14}
        fontWeight={600}
        fill="#fffdf6"
        stroke="#1a1512"
        strokeWidth={4}
        paintOrder="stroke"
      >
        {words}
      </text>
    </g>
  )
}
