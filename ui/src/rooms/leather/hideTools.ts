import type { Tool as DrawingTool } from '../../hide/drawing'
import type { At, StepName } from './hide'

/**
 * What is in hand while a hide is looked over: which step one is at, which tool, what was begun.
 * States and closed
 * actions, without a screen.
 */

/** Tools of the outline, and the ends of the backbone. */
export type OutlineTool = 'ends' | 'add' | 'off' | 'cut'
/** Whatever the next press or drag on the hide is for. */
export type HideTool = OutlineTool | 'ring' | 'zone' | 'pull' | 'reading' | 'cut here'
export type Tab = 'look' | 'worth' | 'history'

export const RINGED: StepName[] = ['surface', 'feel', 'flesh', 'flex']

export const SHAPES: Record<HideTool, DrawingTool> = {
  ring: { shape: 'ring', apart: 3 },
  zone: { shape: 'ring', apart: 5 },
  add: { shape: 'way', apart: 4, least: 1 },
  off: { shape: 'way', apart: 4, least: 1 },
  cut: { shape: 'way', apart: 4 },
  ends: { shape: 'press' },
  pull: { shape: 'press' },
  reading: { shape: 'press' },
  'cut here': { shape: 'press' },
}

export interface InHand {
  /** The step that was gone to; null: the first that is not done. */
  step: StepName | null
  /** The flaw that is chosen. */
  chosen: string | null
  tool: OutlineTool | null
  /** The tail, once it is pressed and the neck is not. */
  tail: At | null
  /** The tightness that is drawn. */
  zone: number | null
  /** Where along the hide it is cut. */
  cutAt: number | null
  brush: number
  photo: boolean
}

export type HideAct =
  | { type: 'go to'; step: StepName | null }
  | { type: 'choose'; flaw: string | null; step?: StepName }
  | { type: 'take up'; tool: OutlineTool }
  | { type: 'put down' }
  | { type: 'tail'; at: At }
  | { type: 'zone'; tightness: number | null }
  | { type: 'cut at'; mm: number | null }
  | { type: 'brush'; mm: number }
  | { type: 'photo' }
  | { type: 'leave' }

export const EMPTY_HANDED: InHand = {
  step: null,
  chosen: null,
  tool: null,
  tail: null,
  zone: null,
  cutAt: null,
  brush: 40,
  photo: true,
}

export function inHand(was: InHand, act: HideAct): InHand {
  switch (act.type) {
    case 'go to':
      return { ...was, step: act.step, chosen: null, tool: null, tail: null, zone: null }
    case 'choose':
      return { ...was, chosen: act.flaw, step: act.step ?? was.step }
    case 'take up':
      return { ...was, tool: act.tool === was.tool ? null : act.tool, tail: null }
    case 'put down':
      return { ...was, tool: null, tail: null }
    case 'tail':
      return { ...was, tail: act.at }
    case 'zone':
      return { ...was, zone: act.tightness }
    case 'cut at':
      return { ...was, cutAt: act.mm }
    case 'brush':
      return { ...was, brush: act.mm }
    case 'photo':
      return { ...was, photo: !was.photo }
    case 'leave':
      return { ...was, chosen: null, tool: null, tail: null, zone: null, cutAt: null }
  }
}

/** Whether something was begun that leaving would put away. */
export const holds = (hand: InHand) =>
  hand.chosen !== null || hand.tool !== null || hand.zone !== null || hand.cutAt !== null

/** What the next press or drag is for; `ringed`: a ring is drawn and waits to be named. */
export function toolOf(tab: Tab, step: StepName, hand: InHand, ringed: boolean): HideTool | null {
  if (tab === 'history') return hand.cutAt === null ? null : 'cut here'
  if (tab !== 'look') return null
  if (RINGED.includes(step)) return hand.chosen === null && !ringed ? 'ring' : null
  if (step === 'pull') return hand.zone === null ? 'pull' : 'zone'
  if (step === 'thickness') return 'reading'
  return step === 'backbone' ? hand.tool : null
}

/** Whether a tool draws, so that a drag is its own and not the view's. */
export const draws = (tool: HideTool | null) => tool !== null && SHAPES[tool].shape !== 'press'
