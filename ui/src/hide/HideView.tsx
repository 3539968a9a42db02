import { select } from 'd3-selection'
import { zoom, zoomIdentity, type ZoomBehavior, type ZoomTransform } from 'd3-zoom'
import {
  useEffect,
  useMemo,
  useImperativeHandle,
  useRef,
  useState,
  type FocusEvent as ReactFocusEvent,
  type PointerEvent as ReactPointerEvent,
  type ReactNode,
  type Ref,
} from 'react'
import type { Schemas } from '../api/client'
import { useUnits } from '../parts/units'
import { PenMark, useKeyPen } from './keyPen'
import { atPointer, type At, type Told } from './places'

export interface ViewHandle {
  nearer: () => void
  farther: () => void
  whole: () => void
  move: (dx: number, dy: number) => void
  /** What of the drawing is in view: x0, y0, x1, y1 in mm. */
  seen: () => [number, number, number, number]
  /** Take up the chalk that keys draw with. */
  chalk: () => void
}

const STEPS = 8
/** A scale as the nearest of eight steps from one doubling to the next. */
const inSteps = (scale: number) => 2 ** (Math.round(Math.log2(scale) * STEPS) / STEPS)
const TAPE = 26
const PRESS_PX = 7
const REST_MS = 140
const ORIGIN: At = { x: 0, y: 0 }

const told =
  (kind: 'down' | 'move' | 'up', act: Told) => (event: ReactPointerEvent<SVGSVGElement>) => {
    act(kind, atPointer(event.currentTarget, event))
  }
const mayMove = (event: Event, held: boolean) =>
  event.type === 'wheel' ||
  ('touches' in event && (event as TouchEvent).touches.length > 1) ||
  (!held &&
    !(event.target instanceof Element && event.target.closest('[data-grab]')) &&
    !('button' in event && event.button))

/**
 * A hide filling its space, at a scale told by a tape along the backbone and one down the depth.
 * Wheel or pinch to go nearer, drag to move; the handle does the same from keys. `children` draw
 * in mm.
 * Where there is something to draw (`onPointer`), keys draw as the pointer does, once the drawing
 * has the focus.
 */
export function HideView({
  bounds,
  handle,
  label,
  children,
  held = false,
  centred = false,
  zero = ORIGIN,
  onPointer,
}: {
  bounds: Schemas['Bounds']
  handle?: Ref<ViewHandle>
  label: string
  children: (scale: number) => ReactNode
  /**
   * Held still: a drag draws and does not move the view. What carries data-grab is never the view's
   * to drag.
   */
  held?: boolean
  /** In the middle of its room; a hide hangs from its backbone at the top. */
  centred?: boolean
  /** Where the tapes begin, in the drawing's mm. */
  zero?: At
  onPointer?: Told
}) {
  const svg = useRef<SVGSVGElement>(null)
  const behaviour = useRef<ZoomBehavior<SVGSVGElement, unknown> | null>(null)
  const [size, setSize] = useState<{ w: number; h: number } | null>(null)
  const [view, setView] = useState<ZoomTransform>(zoomIdentity)
  const { x0, y0, x1, y1 } = bounds
  const heldNow = useRef(held)
  const pressed = useRef<[number, number]>([0, 0])
  useEffect(() => {
    heldNow.current = held
  }, [held])

  useEffect(() => {
    const own = svg.current
    if (own === null) return
    const watch = new ResizeObserver(() => {
      setSize({ w: own.clientWidth, h: own.clientHeight })
    })
    watch.observe(own)
    behaviour.current = zoom<SVGSVGElement, unknown>()
      .scaleExtent([0.6, 40])
      .filter((event: Event) => mayMove(event, heldNow.current))
      .on('zoom', (event: { transform: ZoomTransform }) => {
        setView(event.transform)
      })
    select(own).call(behaviour.current)
    return () => {
      watch.disconnect()
    }
  }, [])
  const margin = 18
  const base = size
    ? Math.max(
        0.01,
        Math.min(
          (size.w - TAPE - 2 * margin) / (x1 - x0),
          (size.h - TAPE - 2 * margin) / (y1 - y0),
        ),
      )
    : 0.3
  const scale = base * view.k
  const left = size ? TAPE + (size.w - TAPE - (x1 - x0) * base) / 2 : 0
  const top =
    TAPE + (centred && size ? Math.max(margin, (size.h - TAPE - (y1 - y0) * base) / 2) : margin)
  const tx = view.applyX(left) - x0 * scale
  const ty = view.applyY(top) - y0 * scale
  const { pen, take, leave, onKeyDown } = useKeyPen(
    { x: Math.round((x0 + x1) / 2), y: Math.round((y0 + y1) / 2) },
    scale,
    onPointer,
  )
  useImperativeHandle(handle, () => {
    const act =
      (
        change: (
          own: ReturnType<typeof select<SVGSVGElement, unknown>>,
          z: ZoomBehavior<SVGSVGElement, unknown>,
        ) => void,
      ) =>
      () => {
        if (svg.current && behaviour.current)
          change(select<SVGSVGElement, unknown>(svg.current), behaviour.current)
      }
    return {
      nearer: act((own, z) => {
        z.scaleBy(own, 1.4)
      }),
      farther: act((own, z) => {
        z.scaleBy(own, 1 / 1.4)
      }),
      whole: act((own, z) => {
        z.transform(own, zoomIdentity)
      }),
      move: (dx, dy) => {
        act((own, z) => {
          z.translateBy(own, dx, dy)
        })()
      },
      seen: () => [
        (TAPE - tx) / scale,
        (TAPE - ty) / scale,
        ((size?.w ?? 0) - tx) / scale,
        ((size?.h ?? 0) - ty) / scale,
      ],
      chalk: () => {
        svg.current?.focus()
        take()
      },
    }
  })

  const drawn = onPointer && {
    tabIndex: 0,
    onPointerMove: (event: ReactPointerEvent<SVGSVGElement>) => {
      // A stroke ends where it is let go, outside the drawing too; a press stays with what was
      // pressed.
      if (held && event.buttons === 1 && wayFrom(pressed.current, event) >= PRESS_PX)
        event.currentTarget.setPointerCapture(event.pointerId)
      told('move', onPointer)(event)
    },
    onPointerDown: (event: ReactPointerEvent<SVGSVGElement>) => {
      leave()
      pressed.current = [event.clientX, event.clientY]
      told('down', onPointer)(event)
    },
    // Who dragged the view has not pressed a place.
    onPointerUp: (event: ReactPointerEvent<SVGSVGElement>) => {
      if (held || wayFrom(pressed.current, event) < PRESS_PX) told('up', onPointer)(event)
    },
    onPointerCancel: (event: ReactPointerEvent<SVGSVGElement>) => {
      if (held) told('up', onPointer)(event)
    },
    onKeyDown,
    onBlur: leave,
    onFocus: (event: ReactFocusEvent<SVGSVGElement>) => {
      if (event.currentTarget.matches(':focus-visible')) take()
    },
  }
  // What is drawn is built anew only where the scale has changed enough to matter for widths and
  // words.
  const step = useRested(inSteps(scale))
  const inside = useMemo(() => children(step), [children, step])
  return (
    <svg
      ref={svg}
      className="block h-full w-full touch-none select-none"
      role={onPointer ? 'application' : 'img'}
      aria-label={label}
      data-scale={scale}
      shapeRendering={step === inSteps(scale) ? 'auto' : 'optimizeSpeed'}
      {...drawn}
    >
      {size && (
        <>
          <g data-mm transform={`translate(${tx},${ty}) scale(${scale})`}>
            {inside}
          </g>
          <Tape along width={size.w} start={tx + zero.x * scale} scale={scale} last={x1 - zero.x} />
          <Tape width={size.h} start={ty + zero.y * scale} scale={scale} last={y1 - zero.y} />
          <rect width={TAPE} height={TAPE} fill="#c68f2d" />
          {pen && (
            <PenMark
              down={pen.down}
              from={{ x: pen.x - zero.x, y: pen.y - zero.y }}
              x={pen.x * scale + tx}
              y={pen.y * scale + ty}
            />
          )}
        </>
      )}
    </svg>
  )
}

/**
 * A scale once it rests, so that going nearer builds nothing anew on the way; at once where it is
 * far from what is drawn.
 */
function useRested(scale: number) {
  const [rested, setRested] = useState(scale)
  const far = Math.abs(Math.log2(scale / rested)) > 1
  useEffect(() => {
    if (scale === rested) return
    const timer = setTimeout(
      () => {
        setRested(scale)
      },
      far ? 0 : REST_MS,
    )
    return () => {
      clearTimeout(timer)
    }
  }, [scale, rested, far])
  return rested
}

const wayFrom = (from: [number, number], event: ReactPointerEvent) =>
  Math.hypot(event.clientX - from[0], event.clientY - from[1])

/**
 * A tape measure in the user's units, numbers where there is room for them; it begins at `start` px
 * and ends a little beyond `last` mm.
 */
function Tape({
  along = false,
  width,
  start,
  scale,
  last,
}: {
  along?: boolean
  width: number
  start: number
  scale: number
  last: number
}) {
  const [from, to] = [(TAPE - start) / scale, (width - start) / scale]
  const { system } = useUnits()
  const unit = system === 'metric' ? 1 : 25.4
  const steps = system === 'metric' ? [1, 5, 10, 50, 100, 500] : [0.125, 0.5, 1, 6, 12, 36]
  const tick = steps.find((s) => s * unit * scale >= 7) ?? 500
  const numbered =
    [...steps, 1000, 2000].find(
      (s) => s * unit * scale >= 58 && Math.abs(s / tick - Math.round(s / tick)) < 1e-6,
    ) ?? tick * 10
  const marks: ReactNode[] = []
  for (
    let k = Math.max(0, Math.ceil(from / unit / tick));
    k * tick * unit <= Math.min(to, last + 100);
    k++
  ) {
    const value = k * tick
    const p = value * unit * scale + start
    const big = Math.abs(value / numbered - Math.round(value / numbered)) < 1e-6
    const size = big ? 11 : 5
    marks.push(
      along ? (
        <line key={k} x1={p} x2={p} y1={TAPE - size} y2={TAPE} stroke="#2b1e06" />
      ) : (
        <line key={k} y1={p} y2={p} x1={TAPE - size} x2={TAPE} stroke="#2b1e06" />
      ),
    )
    if (big && p < width - 30) {
      const words = String(Number(value.toFixed(3)))
      marks.push(
        <text
          key={`t${k}`}
          x={along ? p + 3 : 0}
          y={along ? 12 : 0}
          transform={along ? undefined : `translate(12,${p + 3}) rotate(90)`}
          fontSize={12}
          fontWeight={600}
          fill="#211c17"
        >
          {words}
        </text>,
      )
    }
  }
  return (
    <g>
      <rect width={along ? width : TAPE} height={along ? TAPE : width} fill="#dfae4e" />
      {marks}
    </g>
  )
}
