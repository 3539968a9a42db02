import { drawnPath } from '../../hide/drawing'
import type { At as Place } from '../../hide/places'
import type { DraftRing } from './FlawPanel'
import type { DraftReading } from './GaugePanel'
import type { HideTool, InHand, Tab } from './hideTools'
import type { Known, StepName } from './hide'
import { KnownHide } from './KnownHide'
import type { DraftPull } from './PullPanel'
import { WorthMarks } from './WorthPanel'

const CHALK = '#ffd76a'

/** A hide with all that is known of it, and what is being drawn on it. */
export function HideCanvas({
  known,
  tab,
  step,
  hand,
  tool,
  points,
  ring,
  pull,
  reading,
  mirrored,
  scale,
  onChoose,
}: {
  known: Known
  tab: Tab
  step: StepName
  hand: InHand
  tool: HideTool | null
  points: Place[]
  ring: DraftRing | null
  pull: DraftPull | null
  reading: DraftReading | null
  mirrored: boolean
  scale: number
  onChoose: ((flaw: string) => void) | undefined
}) {
  const px = 1 / scale
  return (
    <g {...(mirrored && { transform: `translate(${known.bounds.x1},0) scale(-1,1)` })}>
      <KnownHide
        known={known}
        scale={scale}
        photo={hand.photo && !mirrored}
        mirrored={mirrored}
        tests={tab === 'look' && step === 'pull'}
        contours={tab === 'look' && step === 'thickness'}
        chosen={hand.chosen}
        onChoose={onChoose}
      />
      {tab === 'worth' && <WorthMarks id={known.rack.id} scale={scale} />}
      {tab === 'history' && hand.cutAt !== null && (
        <path
          d={`M${hand.cutAt},${-14 * px}V${known.bounds.y1 + 14 * px}`}
          stroke={CHALK}
          strokeWidth={3 * px}
          strokeDasharray={`${10 * px} ${6 * px}`}
          pointerEvents="none"
        />
      )}
      {ring && (
        <path
          d={drawnPath(
            ring.points.map(([x, y]) => ({ x, y })),
            true,
          )}
          fill={CHALK}
          fillOpacity={0.3}
          stroke={CHALK}
          strokeWidth={3 * px}
          pointerEvents="none"
        />
      )}
      {points.length > 0 && (
        <path
          d={drawnPath(points)}
          fill="none"
          stroke={tool === 'off' ? '#ffb4a6' : CHALK}
          strokeOpacity={tool === 'ring' ? 1 : 0.7}
          strokeWidth={tool === 'add' || tool === 'off' ? hand.brush : 3 * px}
          strokeLinecap="round"
          strokeLinejoin="round"
          pointerEvents="none"
        />
      )}
      {hand.tail && <circle cx={hand.tail[0]} cy={hand.tail[1]} r={8 * px} fill={CHALK} />}
      {pull && step === 'pull' && <Spot at={pull} r={14 * px} px={px} />}
      {reading && step === 'thickness' && <Spot at={reading} r={10 * px} px={px} />}
    </g>
  )
}

function Spot({ at, r, px }: { at: Place; r: number; px: number }) {
  return <circle cx={at.x} cy={at.y} r={r} fill="none" stroke={CHALK} strokeWidth={3 * px} />
}
