import { useEffect, useEffectEvent, useReducer } from 'react'
import { drawn, NOTHING_DRAWN, type Tool } from './drawing'
import type { At, Told } from './places'

/**
 * A tool in hand over a drawing: gives what is drawn so far and what to tell the view; `onDone`
 * hears what was drawn.
 */
export function useDrawing(tool: Tool | null, onDone: (points: At[]) => void) {
  const [state, act] = useReducer(drawn, { ...NOTHING_DRAWN, tool })
  const shape = tool?.shape
  const apart = tool?.apart
  const least = tool?.least
  useEffect(() => {
    const own: Tool | null =
      shape === undefined
        ? null
        : {
            shape,
            ...(apart !== undefined && { apart }),
            ...(least !== undefined && { least }),
          }
    act({ type: 'take up', tool: own })
  }, [shape, apart, least])
  const done = useEffectEvent(onDone)
  useEffect(() => {
    if (state.done === null) return
    act({ type: 'taken' })
    done(state.done)
  }, [state.done])
  const onPointer: Told = (kind, at) => {
    act({ type: kind, at })
  }
  return {
    points: state.points,
    onPointer,
    leave: () => {
      act({ type: 'leave' })
    },
  }
}
