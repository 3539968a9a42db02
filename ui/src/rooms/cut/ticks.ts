import type { Schemas } from '../../api/client'

/** What is ticked at the bench, and how pieces stand by it; no screen, no server. */

export type Sheet = Schemas['SheetOut']
export type Step = Schemas['CutStep']
export type Tick = Schemas['TickIn']
export type Act = Tick['act']
export type PieceState = Schemas['PieceState']['state']

export const keyOf = (p: { piece: string; copy_number: number }) => `${p.piece}#${p.copy_number}`

const AFTER: Record<Act, PieceState> = {
  done: 'done',
  spoilt: 'spoilt',
  skip: 'skipped',
  back: 'to cut',
}

/** How pieces stand: as the server knows it, and what was pressed here since on top. */
export function standing(known: Schemas['PieceState'][], waiting: Tick[]): Map<string, PieceState> {
  const out = new Map(known.map((s) => [keyOf(s), s.state]))
  for (const tick of waiting) out.set(keyOf(tick), AFTER[tick.act])
  return out
}

/** Which pieces are spoilt. */
export const spoiltIn = (states: Map<string, PieceState>): ReadonlySet<string> =>
  new Set([...states].filter(([, state]) => state === 'spoilt').map(([key]) => key))

/**
 * States beside a plan that is behind the lay: what was spoilt by that plan and is to be cut again
 * has a place that the plan does not know, so it stays spoilt here until the new plan is there.
 */
export const beforeTheNewPlan = (
  states: Map<string, PieceState>,
  spoilt: ReadonlySet<string>,
): Map<string, PieceState> =>
  new Map(
    [...states].map(([key, state]) => [
      key,
      state === 'to cut' && spoilt.has(key) ? 'spoilt' : state,
    ]),
  )

/** The step that is done now: the first that is neither cut nor skipped, then those skipped. */
export function stepNow(steps: Step[], states: Map<string, PieceState>): Step | null {
  const at = (state: PieceState) =>
    steps.find((s) => (states.get(keyOf(s)) ?? 'to cut') === state) ?? null
  return at('to cut') ?? at('skipped')
}

/** A name that no other press has, also where the page is not of a secure origin. */
export function freshId(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16))
  return [...bytes].map((b) => b.toString(16).padStart(2, '0')).join('')
}
