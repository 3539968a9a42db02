import { useEffect, useEffectEvent, useRef, type RefObject } from 'react'
import { atPointer, type At } from '../../hide/places'
import { middleOf } from './hand'
import { keyOf, type Placement } from './lay'
import type { HandOf } from './useHand'

const DRAG_PX = 6

/**
 * What a pointer does with pieces on a hide: a press chooses one, a drag takes it up and puts it
 * down where it is let go; one that is in the hand already follows, and a press puts it down.
 */
export function useGrip({
  ref,
  held,
  here,
  chosen,
  mayLay,
  onChoose,
}: {
  ref: RefObject<HTMLDivElement | null>
  held: HandOf
  here: Placement[]
  chosen: string[]
  mayLay: boolean
  onChoose: (key: string | null, more: boolean, at: At | null) => void
}) {
  const pressed = useRef<{ key: string | null; x: number; y: number; more: boolean } | null>(null)
  const grip = useRef<At | null>(null)

  const where = (event: PointerEvent): At | null => {
    const svg = ref.current?.querySelector('svg')
    return svg ? atPointer(svg, event) : null
  }
  /** A carried piece hangs by its middle. */
  const follow = (event: PointerEvent) => {
    const at = where(event)
    const { hand, piece } = held
    if (at === null || hand === null || piece === undefined) return
    const by = grip.current ?? middleOf(piece, hand.turn, hand.mirrored)
    held.moveTo({ x: at.x - by.x, y: at.y - by.y })
  }
  const down = useEffectEvent((event: PointerEvent) => {
    if (event.button || !(event.target instanceof Element) || !event.target.closest('svg')) return
    const key = event.target.closest<SVGElement>('[data-key]')?.dataset['key'] ?? null
    pressed.current = { key, x: event.clientX, y: event.clientY, more: event.shiftKey }
    grip.current = null
    if (held.hand !== null) follow(event)
  })
  const move = useEffectEvent((event: PointerEvent) => {
    const begun = pressed.current
    if (held.hand !== null) {
      const over = event.target instanceof Node && ref.current?.contains(event.target)
      if (begun !== null || (over && event.pointerType === 'mouse')) follow(event)
      return
    }
    if (begun === null || begun.key === null || !mayLay) return
    if (Math.hypot(event.clientX - begun.x, event.clientY - begun.y) < DRAG_PX) return
    const lying = here.find((p) => keyOf(p) === begun.key)
    const at = where(event)
    if (!lying || at === null) return
    grip.current = { x: at.x - lying.matrix.e, y: at.y - lying.matrix.f }
    const others = chosen.includes(begun.key)
      ? here.filter((p) => chosen.includes(keyOf(p)) && keyOf(p) !== begun.key)
      : []
    held.lift(lying, others)
  })
  const up = useEffectEvent((event: PointerEvent) => {
    const begun = pressed.current
    pressed.current = null
    if (begun === null) return
    if (held.hand !== null) {
      held.letGo()
      grip.current = null
    } else if (Math.hypot(event.clientX - begun.x, event.clientY - begun.y) < DRAG_PX)
      onChoose(begun.key, begun.more, where(event))
  })
  const cancel = useEffectEvent(() => {
    pressed.current = null
  })
  useEffect(() => {
    const own = ref.current
    const acts = [
      ['pointermove', move],
      ['pointerup', up],
      ['pointercancel', cancel],
    ] as const
    const listeners = acts.map(([name, act]) => {
      const listen = (event: PointerEvent) => {
        act(event)
      }
      window.addEventListener(name, listen)
      return [name, listen] as const
    })
    const begin = (event: PointerEvent) => {
      down(event)
    }
    own?.addEventListener('pointerdown', begin, { capture: true })
    return () => {
      for (const [name, listen] of listeners) window.removeEventListener(name, listen)
      own?.removeEventListener('pointerdown', begin, { capture: true })
    }
  }, [ref])
}
