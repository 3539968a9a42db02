import { pathOf } from '../../hide/paths'
import type { Piece } from './lay'
import { middleOf } from './hand'
import type { HandOf } from './useHand'

/** What is lit for the piece in the hand, the ground that forbids it, and the piece itself. */
export function InHandDrawing({
  held,
  pieces,
  scale,
}: {
  held: HandOf
  pieces: Map<string, Piece>
  scale: number
}) {
  const { hand, piece } = held
  if (hand === null || piece === undefined) return null
  const { x, y } = middleOf(piece, hand.turn, hand.mirrored)
  const px = 1 / scale
  const alongFrom = (dx: number, dy: number) => inverse(hand.turn, hand.mirrored, dx, dy)
  return (
    <g pointerEvents="none">
      <g transform={`translate(${x},${y})`} data-lit>
        {held.ground.map((rings, i) => (
          <path
            key={i}
            d={pathOf(rings)}
            fill="#ffe08a"
            fillOpacity={0.5}
            fillRule="evenodd"
            stroke="#fff3c4"
            strokeWidth={3}
            strokeLinejoin="round"
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </g>
      {held.why?.because.map((b, i) => (
        <path
          key={i}
          d={pathOf(b.rings)}
          fill="url(#forbidden)"
          fillRule="evenodd"
          stroke="#a3281a"
          strokeWidth={2.5}
          vectorEffect="non-scaling-stroke"
        />
      ))}
      <defs>
        <pattern id="forbidden" width={7 * px} height={7 * px} patternUnits="userSpaceOnUse">
          <path d={`M0,${7 * px}L${7 * px},0`} stroke="#a3281a" strokeWidth={2 * px} />
        </pattern>
      </defs>
      <path
        ref={(own) => {
          held.onGhost(own)
        }}
        d={pathOf(piece.rings)}
        className="ghost"
        vectorEffect="non-scaling-stroke"
      />
      <g
        ref={(own) => {
          held.onDrawn(own, scale)
        }}
        className="in-hand"
        data-in-hand={hand.piece}
      >
        <path
          d={pathOf(piece.rings)}
          fillRule="evenodd"
          strokeWidth={3}
          vectorEffect="non-scaling-stroke"
        />
        {piece.marks
          .filter((m) => m.kind === 'centre line')
          .map((m, i) => (
            <path
              key={i}
              d={`M${m.points.map((p) => `${p[0] ?? 0},${p[1] ?? 0}`).join('L')}`}
              fill="none"
              strokeWidth={2}
              strokeDasharray="14 4 2 4"
              vectorEffect="non-scaling-stroke"
              data-centre-line
            />
          ))}
        {hand.along.map(({ x: dx, y: dy, placement }) => {
          const own = pieces.get(placement.piece)
          const { a, b, c, d } = placement.matrix
          return (
            own && (
              <g key={`${placement.piece}#${placement.copy_number}`} transform={alongFrom(dx, dy)}>
                <path
                  d={pathOf(own.rings)}
                  transform={`matrix(${a} ${b} ${c} ${d} 0 0)`}
                  fillRule="evenodd"
                  strokeWidth={3}
                  vectorEffect="non-scaling-stroke"
                />
              </g>
            )
          )
        })}
        <circle cx={piece.name_at.x} cy={piece.name_at.y} r={5 * px} className="middle" />
      </g>
    </g>
  )
}

/** From the first piece's own frame to the hide's, moved by (dx, dy): what undoes its turn. */
function inverse(turnDeg: number, mirrored: boolean, dx: number, dy: number) {
  const turn = (turnDeg * Math.PI) / 180
  const [cos, sin, hand] = [Math.cos(turn), Math.sin(turn), mirrored ? -1 : 1]
  const [a, b, c, d] = [cos * hand, -sin, sin * hand, cos]
  return `matrix(${a} ${b} ${c} ${d} ${a * dx + c * dy} ${b * dx + d * dy})`
}
