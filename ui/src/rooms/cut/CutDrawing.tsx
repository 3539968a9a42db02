import type { Schemas } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { KeptLeather } from '../../hide/KeptLeather'
import { leatherColour, pathOf } from '../../hide/paths'
import { keyOf, type PieceState, type Sheet, type Step } from './ticks'

const FILL: Record<PieceState, string> = {
  'to cut': '#efe2c4',
  done: '#2c3638',
  spoilt: '#a3281a',
  skipped: '#efe2c4',
}

type Backdrop = Schemas['BackdropOut']
const matrixOf = ({ matrix: m }: Backdrop) => `matrix(${m.a} ${m.b} ${m.c} ${m.d} ${m.e} ${m.f})`

/**
 * A hide as it is cut: pieces by their number in the order of the plan, what is out of it dark, the
 * step that is done now in brass, its strokes in order.
 */
export function CutDrawing({
  sheet,
  states,
  now,
  scale,
  numbers,
  blocks = false,
  picture = null,
}: {
  sheet: Sheet
  states: Map<string, PieceState>
  now: Step | null
  scale: number
  numbers: Map<string, number>
  /** Where the hide is broken down first, each block to be cut exactly on the mat. */
  blocks?: boolean
  /** The hide's own picture, to find the pieces by what is seen on it. */
  picture?: Backdrop | null
}) {
  const px = 1 / scale
  const pieces = new Map(sheet.pieces.map((p) => [p.id, p]))
  return (
    <>
      {picture && (
        <image
          href={picture.picture}
          width={picture.width_mm}
          height={picture.height_mm}
          preserveAspectRatio="none"
          transform={matrixOf(picture)}
          pointerEvents="none"
        />
      )}
      <HideDrawing
        hide={sheet.hide}
        colour={picture ? 'transparent' : leatherColour(sheet.hide.colour)}
        scale={scale}
        zones={!picture}
      />
      <KeptLeather hide={sheet.hide} px={px} />
      <g pointerEvents="none">
        {sheet.spoilt.map((ring, i) => (
          <path key={i} d={pathOf([ring])} fill="#2c3638" stroke="#a3281a" strokeWidth={2 * px} />
        ))}
        {sheet.placements.map((p) => {
          const piece = pieces.get(p.piece)
          if (!piece) return null
          const { a, b, c, d, e, f } = p.matrix
          const state = states.get(keyOf(p)) ?? 'to cut'
          const held = now !== null && keyOf(now) === keyOf(p)
          const { x, y, r } = piece.name_at
          const size = Math.max(9 * px, Math.min(30 * px, r * 0.95))
          return (
            <g key={keyOf(p)} data-cut={keyOf(p)} data-state={state}>
              <path
                d={pathOf(piece.rings)}
                transform={`matrix(${a} ${b} ${c} ${d} ${e} ${f})`}
                fill={held ? '#d9a441' : FILL[state]}
                fillOpacity={picture && !held ? 0.45 : 1}
                fillRule="evenodd"
                stroke={state === 'spoilt' ? '#a3281a' : '#3a3128'}
                strokeWidth={held ? 3 : 1.2}
                strokeDasharray={state === 'skipped' ? '6 4' : undefined}
                vectorEffect="non-scaling-stroke"
              />
              <text
                x={a * x + c * y + e}
                y={b * x + d * y + f + size * 0.36}
                fontSize={size}
                fontWeight={700}
                textAnchor="middle"
                fill={state === 'done' ? '#b9c1bf' : '#211c17'}
              >
                {state === 'spoilt' ? '✗' : numbers.get(keyOf(p))}
              </text>
            </g>
          )
        })}
        {blocks &&
          sheet.blocks.map((block, i) => (
            <path
              key={i}
              d={pathOf(block)}
              fill="#1f4f7a"
              fillOpacity={0.12}
              fillRule="evenodd"
              stroke="#f4f1e8"
              strokeWidth={3}
              strokeDasharray="14 6"
              vectorEffect="non-scaling-stroke"
              data-block
            />
          ))}
        {now?.strokes.map((s, i) => (
          <g key={i}>
            <path
              d={`M${s.line.map((q) => `${q[0] ?? 0},${q[1] ?? 0}`).join('L')}`}
              fill="none"
              stroke="#a3281a"
              strokeWidth={4}
              strokeLinecap="round"
              vectorEffect="non-scaling-stroke"
              data-stroke
            />
            {s.short.map((short, k) => {
              const at = k === 0 ? s.line[0] : s.line.at(-1)
              return (
                short &&
                at && (
                  <circle
                    key={k}
                    cx={at[0]}
                    cy={at[1]}
                    r={6 * px}
                    fill="#fff3c4"
                    stroke="#a3281a"
                    strokeWidth={2.5 * px}
                  />
                )
              )
            })}
          </g>
        ))}
      </g>
    </>
  )
}
