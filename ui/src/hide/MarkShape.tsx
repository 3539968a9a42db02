import type { Schemas } from '../api/client'
import { pathOf } from './paths'

type MarkLine = Schemas['MarkLine']

const DASH: Record<string, number[]> = {
  stitch: [5, 4],
  fold: [14, 5],
  glue: [3, 3],
  skive: [9, 3, 2, 3],
  place: [7, 6],
  'centre line': [16, 4, 2, 4],
}
const INK: Record<string, string> = {
  stitch: '#2f6140',
  hole: '#211c17',
  slot: '#211c17',
  fold: '#1f4f7a',
  glue: '#7a5310',
  skive: '#7a5310',
  place: '#5b5044',
  stamp: '#5b5044',
  'centre line': '#a3281a',
}

/**
 * A mark on a piece: stitches dashed with their holes, holes and slots punched out, folds, bands
 * and what sits on it as broken lines.
 */
export function MarkShape({
  mark,
  px,
  chosen = false,
}: {
  mark: MarkLine
  px: number
  chosen?: boolean
}) {
  const ink = INK[mark.kind] ?? '#211c17'
  if (mark.draws === 'pricks')
    return px < 0.9 ? (
      <path
        d={mark.points.map((p) => `M${p[0] ?? 0},${p[1] ?? 0}h0`).join('')}
        stroke={ink}
        strokeWidth={Math.max(0.7, 2.4 * px)}
        strokeLinecap="round"
        fill="none"
        pointerEvents="none"
      />
    ) : null
  const d =
    mark.draws === 'area'
      ? pathOf([mark.points])
      : `M${mark.points.map((p) => `${p[0] ?? 0},${p[1] ?? 0}`).join('L')}`
  const dash = DASH[mark.kind]?.map((v) => v * px).join(' ')
  return (
    <path
      d={d}
      fill={mark.kind === 'hole' || mark.kind === 'slot' ? '#2c3638' : 'none'}
      stroke={chosen ? '#a3281a' : ink}
      strokeWidth={(chosen ? 2.6 : 1.2) * px}
      {...(dash && { strokeDasharray: dash })}
      strokeOpacity={mark.side === 'flesh' ? 0.6 : 1}
    >
      <title>{`${mark.words}${mark.side === 'flesh' ? ', on the flesh side' : ''}`}</title>
    </path>
  )
}
