import { memo } from 'react'
import { GrainArrow } from '../../hide/PieceCard'
import { MarkShape } from '../../hide/MarkShape'
import { boundsOf, pathOf } from '../../hide/paths'
import { keyOf, type Piece, type Placement } from './lay'

const READABLE_PX = 11
const MARKS_FROM = 0.45

interface Shown {
  placements: Placement[]
  pieces: Map<string, Piece>
  /** In steps: what is drawn is built anew only where it changes. */
  scale: number
  pins: ReadonlySet<string>
  /** In the hand: not drawn where they lay. */
  away: ReadonlySet<string>
  /** Whether they are taken up by a drag; else a drag moves the view. */
  loose: boolean
  onHold: (key: string | null) => void
}

/**
 * The pieces lying on a hide, as card templates: each kind of piece is drawn once and used where
 * it lies. Who is
 * pointed at is told by the one group that holds them; nothing here is built anew for it.
 */
export const LaidPieces = memo(function LaidPieces({
  placements,
  pieces,
  scale,
  pins,
  away,
  loose,
  onHold,
}: Shown) {
  const kinds = [...new Set(placements.map((p) => p.piece))].flatMap((id) => {
    const piece = pieces.get(id)
    return piece ? [piece] : []
  })
  const keyAt = (event: { target: EventTarget }) =>
    event.target instanceof Element
      ? (event.target.closest<SVGElement>('[data-key]')?.dataset['key'] ?? null)
      : null
  return (
    <g
      onPointerOver={(event) => {
        onHold(keyAt(event))
      }}
      onPointerLeave={() => {
        onHold(null)
      }}
      data-grab={loose || undefined}
    >
      <defs>
        {kinds.map((piece) => (
          <g key={piece.id} id={cardId(piece.id)}>
            <path
              d={pathOf(piece.rings)}
              fill="#efe2c4"
              fillRule="evenodd"
              stroke="#3a3128"
              strokeWidth={1.1}
              vectorEffect="non-scaling-stroke"
            />
            {scale > MARKS_FROM &&
              piece.marks.map((m, i) => <MarkShape key={i} mark={m} px={1 / scale} />)}
          </g>
        ))}
      </defs>
      {placements.map((p) => {
        const piece = pieces.get(p.piece)
        return (
          piece &&
          !away.has(keyOf(p)) && (
            <Laid
              key={keyOf(p)}
              placement={p}
              piece={piece}
              scale={scale}
              pinned={pins.has(keyOf(p))}
            />
          )
        )
      })}
    </g>
  )
})

export const cardId = (piece: string) => `card-${piece.replace(/[^A-Za-z0-9_-]/g, '_')}`

export const matrixOf = ({ matrix: { a, b, c, d, e, f } }: Placement) =>
  `matrix(${a} ${b} ${c} ${d} ${e} ${f})`

const Laid = memo(function Laid({
  placement,
  piece,
  scale,
  pinned,
}: {
  placement: Placement
  piece: Piece
  scale: number
  pinned: boolean
}) {
  const { a, b, c, d, e, f } = placement.matrix
  const [x0, y0, x1, y1] = boundsOf(piece.rings)
  const { x: mx, y: my } = piece.name_at
  const cx = a * mx + c * my + e
  const cy = b * mx + d * my + f
  const px = 1 / scale
  const long = Math.max(x1 - x0, y1 - y0)
  const wide = Math.min(x1 - x0, y1 - y0, 2.4 * piece.name_at.r)
  // The name runs along the piece's longer side, the right way up.
  let turn =
    (Math.atan2(b, a) * 180) / Math.PI +
    (placement.mirrored ? 180 : 0) +
    (y1 - y0 > (x1 - x0) * 1.15 ? 90 : 0)
  turn = ((((turn + 90) % 180) + 180) % 180) - 90
  // The way its grain axis points on the hide: mirrored first (a becomes 180 - a), then turned.
  const axis = piece.grain_deg ?? 0
  const placed = (placement.mirrored ? 180 - axis : axis) + placement.rotation_deg
  const size = Math.min(17 * px, wide * 0.42, (long * 0.9) / (piece.name.length * 0.56))
  const named = size / px >= READABLE_PX
  const grained = piece.grain_deg !== null && wide * scale > 36
  return (
    <g className="piece cursor-pointer" data-key={keyOf(placement)}>
      <use
        href={`#${cardId(piece.id)}`}
        transform={matrixOf(placement)}
        data-piece={placement.piece}
        data-copy={placement.copy_number}
      >
        <title>{`${piece.name} ${placement.copy_number + 1}, ${piece.article}`}</title>
      </use>
      {grained && long * scale > 60 && (
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
          y={grained ? -size * 0.35 : 0}
          transform={`translate(${cx},${cy}) rotate(${turn})`}
          fontSize={size}
          textAnchor="middle"
          dominantBaseline="central"
          fill="#211c17"
          pointerEvents="none"
        >
          {piece.name}
        </text>
      )}
      {pinned && (
        <Tack x={cx} y={cy} px={px} room={piece.name_at.r} beside={named ? size : 0} turn={turn} />
      )}
    </g>
  )
})

/**
 * What is pointed at, or all of its kind, brought out over the rest: lighter card, a brass edge,
 * its hidden areas.
 */
export function HeldPieces({
  placements,
  pieces,
  held,
  px,
}: {
  placements: Placement[]
  pieces: Map<string, Piece>
  held: string | null
  px: number
}) {
  if (held === null) return null
  const own = placements.filter((p) => keyOf(p) === held || p.piece === held)
  return (
    <g pointerEvents="none" data-held>
      {own.map((p) => {
        const piece = pieces.get(p.piece)
        return (
          piece && (
            <g key={keyOf(p)} transform={matrixOf(p)}>
              <path
                d={pathOf(piece.rings)}
                fill="#fff6dc"
                fillOpacity={0.35}
                fillRule="evenodd"
                stroke="#7a5310"
                strokeWidth={3}
                vectorEffect="non-scaling-stroke"
              />
              {piece.hidden.length > 0 && (
                <path
                  d={pathOf(piece.hidden)}
                  fill="#3a3128"
                  fillOpacity={0.16}
                  stroke="#3a3128"
                  strokeWidth={px}
                  strokeDasharray={`${4 * px} ${3 * px}`}
                />
              )}
            </g>
          )
        )
      })}
    </g>
  )
}

/** What is chosen: a chalk line round each. */
export function ChosenPieces({ placements, pieces }: Marked) {
  return (
    <g pointerEvents="none" data-chosen>
      {placements.map((p) => (
        <path
          key={keyOf(p)}
          d={pathOf(pieces.get(p.piece)?.rings.slice(0, 1) ?? [])}
          transform={matrixOf(p)}
          fill="#fff6dc"
          fillOpacity={0.5}
          stroke="#211c17"
          strokeWidth={4}
          strokeDasharray="10 5"
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </g>
  )
}

/** What lies against a rule: crossed out in red chalk, once more where nobody signed for it. */
export function UnfairPieces({ placements, pieces, signed }: Marked & { signed: Set<string> }) {
  return (
    <g pointerEvents="none" data-unfair>
      {placements.map((p) => {
        const piece = pieces.get(p.piece)
        if (!piece) return null
        const { x, y, r } = piece.name_at
        const cross = `M${x - r},${y - r}L${x + r},${y + r}`
        return (
          <g key={keyOf(p)} transform={matrixOf(p)} fill="none" stroke="#a3281a" strokeWidth={4}>
            <path
              d={`${pathOf(piece.rings.slice(0, 1))}${cross}`}
              vectorEffect="non-scaling-stroke"
            />
            {!signed.has(keyOf(p)) && (
              <path d={`M${x - r},${y + r}L${x + r},${y - r}`} vectorEffect="non-scaling-stroke" />
            )}
          </g>
        )
      })}
    </g>
  )
}

interface Marked {
  placements: Placement[]
  pieces: Map<string, Piece>
}

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
