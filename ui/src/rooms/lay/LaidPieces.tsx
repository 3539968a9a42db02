import { memo } from 'react'
import type { Schemas } from '../../api/client'
import { boundsOf, pathOf } from '../../hide/paths'
import { GrainArrow } from '../../hide/PieceCard'
import { MarkShape } from '../../hide/MarkShape'

type Piece = Schemas['LayPiece']
type Placement = Schemas['LayPlacement']
const READABLE_PX = 11

interface Shown {
  placements: Placement[]
  pieces: Map<string, Piece>
  scale: number
  held: string | null
  onHold: (key: string | null) => void
  pins: ReadonlySet<string>
  onPin: (key: string) => void
}

/** The pieces lying on a hide, as card templates; the one pointed at, or all of its kind, is brought out. Pressing one pins it where it is. */
export const LaidPieces = memo(function LaidPieces({
  placements,
  pieces,
  scale,
  held,
  onHold,
  pins,
  onPin,
}: Shown) {
  return (
    <g
      onPointerLeave={() => {
        onHold(null)
      }}
    >
      {placements.map((p) => {
        const piece = pieces.get(p.piece)
        if (!piece) return null
        const key = `${p.piece}#${p.copy_number}`
        const out = held === key || held === p.piece
        return (
          <Laid
            key={key}
            placement={p}
            piece={piece}
            scale={scale}
            out={out}
            pinned={pins.has(key)}
            onHold={() => {
              onHold(key)
            }}
            onPin={() => {
              onPin(key)
            }}
          />
        )
      })}
    </g>
  )
})

const Laid = memo(
  function Laid({
    placement,
    piece,
    scale,
    out,
    pinned,
    onHold,
    onPin,
  }: {
    placement: Placement
    piece: Piece
    scale: number
    out: boolean
    pinned: boolean
    onHold: () => void
    onPin: () => void
  }) {
    const { a, b, c, d, e, f } = placement.matrix
    const [x0, y0, x1, y1] = boundsOf(piece.rings)
    const { x: mx, y: my } = piece.name_at
    const cx = a * mx + c * my + e
    const cy = b * mx + d * my + f
    const px = 1 / scale
    const long = Math.max(x1 - x0, y1 - y0)
    const wide = Math.min(x1 - x0, y1 - y0, 2.4 * piece.name_at.r)
    const words = piece.name
    // The name runs along the piece's longer side, the right way up.
    let turn =
      (Math.atan2(b, a) * 180) / Math.PI +
      (placement.mirrored ? 180 : 0) +
      (y1 - y0 > (x1 - x0) * 1.15 ? 90 : 0)
    turn = ((((turn + 90) % 180) + 180) % 180) - 90
    // The way its grain axis points on the hide: mirrored first (a becomes 180 - a), then turned.
    const rotation = placement.rotation_deg
    const placed =
      (placement.mirrored ? 180 - (piece.grain_deg ?? 0) : (piece.grain_deg ?? 0)) + rotation
    const size = Math.min(17 * px, wide * 0.42, (long * 0.9) / (words.length * 0.56))
    const named = size / px >= READABLE_PX
    return (
      <g className="piece cursor-pointer" onPointerEnter={onHold} onClick={onPin}>
        <path
          d={pathOf(piece.rings)}
          transform={`matrix(${a} ${b} ${c} ${d} ${e} ${f})`}
          fill={out ? '#fff6dc' : '#efe2c4'}
          fillRule="evenodd"
          stroke={out ? '#7a5310' : '#3a3128'}
          strokeWidth={(out ? 3 : 1.1) * px}
          data-piece={placement.piece}
          data-copy={placement.copy_number}
        >
          <title>{`${piece.name} ${placement.copy_number + 1}, ${piece.article}`}</title>
        </path>
        {piece.marks.length > 0 && scale > 0.45 && (
          <g transform={`matrix(${a} ${b} ${c} ${d} ${e} ${f})`} pointerEvents="none">
            {piece.marks.map((m, i) => (
              <MarkShape key={i} mark={m} px={px} />
            ))}
          </g>
        )}
        {out && (
          <HiddenAreas piece={piece} matrix={`matrix(${a} ${b} ${c} ${d} ${e} ${f})`} px={px} />
        )}
        {piece.grain_deg !== null && long * scale > 60 && wide * scale > 36 && (
          <g transform={`translate(${cx},${cy}) rotate(${turn})`} pointerEvents="none">
            <GrainArrow
              x={0}
              y={named ? size * 0.85 : 0}
              deg={placed - turn}
              length={Math.min(wide * 0.5, 44 * px)}
              width={1.3 * px}
            />
          </g>
        )}
        {named && (
          <text
            x={0}
            y={piece.grain_deg !== null && wide * scale > 36 ? -size * 0.35 : 0}
            transform={`translate(${cx},${cy}) rotate(${turn})`}
            fontSize={size}
            textAnchor="middle"
            dominantBaseline="central"
            fill="#211c17"
            pointerEvents="none"
          >
            {words}
          </text>
        )}
        {pinned && (
          <Tack
            x={cx}
            y={cy}
            px={px}
            room={piece.name_at.r}
            beside={named ? size : 0}
            turn={turn}
          />
        )}
      </g>
    )
  },
  (old, now) =>
    old.placement === now.placement &&
    old.piece === now.piece &&
    old.scale === now.scale &&
    old.out === now.out &&
    old.pinned === now.pinned,
)

/** A brass tack through a pinned piece, above its name. */
function Tack({
  x,
  y,
  px,
  room,
  beside,
  turn,
}: {
  x: number
  y: number
  px: number
  room: number
  beside: number
  turn: number
}) {
  const r = Math.min(8 * px, room * 0.4)
  const up = beside ? Math.max(0, Math.min(beside * 0.9 + r, room - r)) : 0
  return (
    <g
      transform={`translate(${x},${y}) rotate(${turn}) translate(0,${-up}) rotate(${-turn})`}
      pointerEvents="none"
      data-tack
    >
      <circle cx={1.5 * px} cy={2 * px} r={r} fill="#211c17" fillOpacity={0.35} />
      <circle r={r} fill="#c9962f" stroke="#5d430f" strokeWidth={1.4 * px} />
      <circle cx={-r * 0.3} cy={-r * 0.3} r={r * 0.3} fill="#f4dfa6" />
    </g>
  )
}

function HiddenAreas({ piece, matrix, px }: { piece: Piece; matrix: string; px: number }) {
  if (piece.hidden.length === 0) return null
  return (
    <path
      d={pathOf(piece.hidden)}
      transform={matrix}
      fill="#3a3128"
      fillOpacity={0.16}
      stroke="#3a3128"
      strokeWidth={px}
      strokeDasharray={`${4 * px} ${3 * px}`}
      pointerEvents="none"
    />
  )
}
