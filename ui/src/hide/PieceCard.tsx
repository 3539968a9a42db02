import { boundsOf, pathOf, type Ring } from './paths'

/** A piece as its card template, fitted into a square, with its grain arrow. */
export function PieceCard({
  rings,
  grainDeg,
  size = 64,
}: {
  rings: Ring[]
  grainDeg: number | null
  size?: number
}) {
  const [x0, y0, x1, y1] = boundsOf(rings)
  const span = Math.max(x1 - x0, y1 - y0)
  const pad = span * 0.06
  return (
    <svg
      width={size}
      height={size}
      viewBox={`${(x0 + x1 - span) / 2 - pad} ${(y0 + y1 - span) / 2 - pad} ${span + 2 * pad} ${span + 2 * pad}`}
      aria-hidden
    >
      <path
        d={pathOf(rings)}
        fill="#efe2c4"
        fillRule="evenodd"
        stroke="#3a3128"
        strokeWidth={span / 55}
      />
      {grainDeg !== null && (
        <GrainArrow
          x={(x0 + x1) / 2}
          y={(y0 + y1) / 2}
          deg={grainDeg}
          length={span * 0.42}
          width={span / 50}
        />
      )}
    </svg>
  )
}

/** The way a piece's load runs: a line with a barb at both ends. */
export function GrainArrow({
  x,
  y,
  deg,
  length,
  width,
}: {
  x: number
  y: number
  deg: number
  length: number
  width: number
}) {
  const h = length / 2
  const b = length * 0.14
  return (
    <path
      d={`M${-h},0H${h}M${h - b},${-b}L${h},0L${h - b},${b}M${-h + b},${-b}L${-h},0L${-h + b},${b}`}
      transform={`translate(${x},${y}) rotate(${deg})`}
      fill="none"
      stroke="#7a5310"
      strokeWidth={width}
    />
  )
}
