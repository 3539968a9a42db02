import { useState, type KeyboardEvent, type PointerEvent } from 'react'
import { atPointer } from '../../hide/places'
import {
  contourPath,
  divided,
  isCurved,
  movedHandle,
  movedNode,
  toggled,
  withNode,
  withoutNode,
  type Node,
} from './contours'

interface Shown {
  contour: Node[]
  scale: number
  onChange: (contour: Node[]) => void
  /** The change is done: a drag let go, a key pressed. */
  onDone?: (contour: Node[]) => void
  /** What is drawn under the handles. */
  fill?: string
}

/**
 * An outline with its handles: drag a node, or move it by arrow keys (Shift: a tenth); Delete takes
 * it out, C makes a corner of a bend and back, D puts a new one after it.
 */
export function Handles({ contour, scale, onChange, onDone, fill = 'none' }: Shown) {
  const [at, setAt] = useState<number | null>(null)
  const px = 1 / scale
  const settle = (next: Node[]) => {
    onChange(next)
    onDone?.(next)
  }
  const pressed = (event: KeyboardEvent, i: number, node: Node) => {
    const by = event.shiftKey ? 0.1 : 1
    const moves: Record<string, [number, number]> = {
      ArrowLeft: [-by, 0],
      ArrowRight: [by, 0],
      ArrowUp: [0, -by],
      ArrowDown: [0, by],
    }
    const move = moves[event.key]
    if (move) settle(withNode(contour, i, movedNode(node, ...move)))
    else if (event.key === 'Delete' || event.key === 'Backspace') settle(withoutNode(contour, i))
    else if (event.key === 'c') settle(toggled(contour, i))
    else if (event.key === 'd') settle(divided(contour, i))
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  const drag = (alter: (x: number, y: number) => Node[]) => {
    let last = contour
    return {
      onPointerDown: (event: PointerEvent<SVGElement>) => {
        event.currentTarget.setPointerCapture(event.pointerId)
      },
      onPointerMove: (event: PointerEvent<SVGElement>) => {
        const svg = event.currentTarget.ownerSVGElement
        if (!event.currentTarget.hasPointerCapture(event.pointerId) || !svg) return
        const { x, y } = atPointer(svg, event)
        last = alter(x, y)
        onChange(last)
      },
      onPointerUp: (event: PointerEvent<SVGElement>) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) onDone?.(last)
      },
    }
  }
  const [hx, hy] = at === null ? [0, 0] : [contour[at]?.[0] ?? 0, contour[at]?.[1] ?? 0]
  const held = at === null ? undefined : contour[at]
  return (
    <g data-grab>
      <path
        d={contourPath(contour)}
        fill={fill}
        stroke="#fff8e4"
        strokeWidth={3.4 * px}
        strokeOpacity={0.85}
        pointerEvents="none"
      />
      <path
        d={contourPath(contour)}
        fill="none"
        stroke="#a3281a"
        strokeWidth={1.6 * px}
        pointerEvents="none"
      />
      {held &&
        isCurved(held) &&
        at !== null &&
        ([1, 2] as const).map((which) => {
          const [x, y] = [held[which * 2] ?? 0, held[which * 2 + 1] ?? 0]
          return (
            <g key={which}>
              <line
                x1={hx}
                y1={hy}
                x2={x}
                y2={y}
                stroke="#211c17"
                strokeWidth={px}
                pointerEvents="none"
              />
              <circle
                cx={x}
                cy={y}
                r={5 * px}
                fill="#fff8e4"
                stroke="#211c17"
                strokeWidth={1.4 * px}
                className="cursor-move"
                {...drag((mx, my) =>
                  withNode(contour, at, movedHandle(held, which, { x: mx, y: my })),
                )}
              />
            </g>
          )
        })}
      {contour.map((node, i) => {
        const [x, y] = [node[0] ?? 0, node[1] ?? 0]
        const r = (i === at ? 6.5 : 4.5) * px
        return (
          <g
            key={i}
            tabIndex={0}
            role="button"
            aria-label={`Node ${i + 1} of ${contour.length}, ${isCurved(node) ? 'bend' : 'corner'}`}
            className="cursor-move outline-none"
            onFocus={() => {
              setAt(i)
            }}
            onKeyDown={(e) => {
              pressed(e, i, node)
            }}
            {...drag((mx, my) => withNode(contour, i, movedNode(node, mx - x, my - y)))}
            onMouseDown={() => {
              setAt(i)
            }}
          >
            <circle cx={x} cy={y} r={12 * px} fill="transparent" />
            {isCurved(node) ? (
              <circle
                cx={x}
                cy={y}
                r={r}
                fill={i === at ? '#d9a441' : '#fff8e4'}
                stroke="#211c17"
                strokeWidth={1.4 * px}
              />
            ) : (
              <rect
                x={x - r}
                y={y - r}
                width={2 * r}
                height={2 * r}
                fill={i === at ? '#d9a441' : '#fff8e4'}
                stroke="#211c17"
                strokeWidth={1.4 * px}
              />
            )}
          </g>
        )
      })}
    </g>
  )
}
