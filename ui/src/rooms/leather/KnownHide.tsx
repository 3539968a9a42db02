import { useId } from 'react'
import { HideDrawing } from '../../hide/HideDrawing'
import { leatherColour, pathOf } from '../../hide/paths'
import { useUnits } from '../../parts/units'
import type { Known } from './hide'

interface Shown {
  known: Known
  scale: number
  photo: boolean
  tests?: boolean
  contours?: boolean
  chosen?: string | null
  onChoose?: ((id: string) => void) | undefined
  mirrored?: boolean
}

/**
 * A hide as it is known: its picture or its colour, tightness, flaws, and as asked the tests and
 * the lines of equal thickness.
 */
export function KnownHide({
  known,
  scale,
  photo,
  tests = false,
  contours = false,
  chosen = null,
  onChoose,
  mirrored = false,
}: Shown) {
  const id = useId()
  const units = useUnits()
  const px = 1 / scale
  const drop = photo ? known.backdrop : null
  /** Words stay readable on a hide that is shown mirrored. */
  const upright = (x: number, y: number) => `translate(${x},${y})${mirrored ? ' scale(-1,1)' : ''}`
  return (
    <g>
      {drop && (
        <>
          <clipPath id={id}>
            <path d={pathOf([known.outline, ...known.holes])} clipRule="evenodd" />
          </clipPath>
          <g clipPath={`url(#${id})`}>
            <image
              href={drop.picture}
              width={drop.width_mm}
              height={drop.height_mm}
              preserveAspectRatio="none"
              transform={`matrix(${[drop.matrix.a, drop.matrix.b, drop.matrix.c, drop.matrix.d, drop.matrix.e, drop.matrix.f].join(',')})`}
            />
          </g>
        </>
      )}
      <HideDrawing
        hide={known.shape}
        colour={drop ? 'transparent' : leatherColour(known.rack.colour)}
        scale={scale}
      />
      {!known.rack.measured && (
        <path
          d={pathOf([known.outline])}
          fill="none"
          stroke="#f4f1e8"
          strokeWidth={2 * px}
          strokeDasharray={`${10 * px} ${8 * px}`}
        />
      )}
      {contours &&
        known.contours.map((c, i) => {
          const [x, y] = c.points[Math.floor(c.points.length / 2)] ?? [0, 0]
          return (
            <g key={i} pointerEvents="none">
              <path
                d={`M${c.points.map((p) => p.join(',')).join('L')}`}
                fill="none"
                stroke="#ffe9b8"
                strokeWidth={2 * px}
              />
              <text
                transform={upright(x ?? 0, y ?? 0)}
                fontSize={13 * px}
                fontWeight={700}
                textAnchor="middle"
                fill="#fffdf6"
                stroke="#1a1512"
                strokeWidth={3.5 * px}
                paintOrder="stroke"
              >
                {units.thickness(c.mm)}
              </text>
            </g>
          )
        })}
      {known.flaws.map((f) => (
        <path
          key={f.id}
          data-flaw={f.id}
          d={pathOf([f.outline])}
          fill="transparent"
          stroke={f.id === chosen ? '#ffd76a' : 'transparent'}
          strokeWidth={(f.id === chosen ? 4 : 14) * px}
          className={onChoose ? 'cursor-pointer' : ''}
          pointerEvents={onChoose ? 'all' : 'none'}
          onClick={() => onChoose?.(f.id)}
        >
          <title>{`${f.kind}, ${f.severity_name}${f.note && `: ${f.note}`}`}</title>
        </path>
      ))}
      {tests &&
        known.pulls.map((p) => {
          const way = ((p.way_deg ?? 0) * Math.PI) / 180
          const r = 22 * px
          return (
            <g key={p.id} pointerEvents="none" data-pull={p.id}>
              <circle
                cx={p.x}
                cy={p.y}
                r={r}
                fill="#1a1512"
                fillOpacity={0.72}
                stroke={p.doubt ? '#ffb4a6' : '#fffdf6'}
                strokeWidth={(p.doubt ? 4 : 1.5) * px}
              />
              {p.way_deg !== null && (
                <path
                  d={`M${p.x - Math.cos(way) * r * 1.9},${p.y - Math.sin(way) * r * 1.9}L${p.x + Math.cos(way) * r * 1.9},${p.y + Math.sin(way) * r * 1.9}`}
                  stroke="#fffdf6"
                  strokeWidth={2.4 * px}
                />
              )}
              <circle cx={p.x} cy={p.y} r={r * 0.82} fill="#1a1512" />
              <text
                transform={upright(p.x, p.y + 5 * px)}
                fontSize={15 * px}
                fontWeight={700}
                textAnchor="middle"
                fill="#fffdf6"
              >
                {p.give_mm.toFixed(1)}
              </text>
            </g>
          )
        })}
      {contours &&
        known.readings.map((r) => (
          <g key={r.id} pointerEvents="none">
            <circle
              cx={r.x}
              cy={r.y}
              r={4 * px}
              fill="#fffdf6"
              stroke={r.doubt ? '#a3281a' : '#1a1512'}
              strokeWidth={(r.doubt ? 4 : 1.5) * px}
            />
            <text
              transform={upright(r.x, r.y - 8 * px)}
              fontSize={12 * px}
              textAnchor="middle"
              fill="#fffdf6"
              stroke="#1a1512"
              strokeWidth={3 * px}
              paintOrder="stroke"
            >
              {units.system === 'metric' ? r.mm.toFixed(2) : units.thickness(r.mm)}
            </text>
          </g>
        ))}
      {!known.rack.shape.kind.includes('roll') && (
        <g
          pointerEvents="none"
          fontSize={14 * px}
          fill="#f4f1e8"
          stroke="#212a2c"
          strokeWidth={4 * px}
          paintOrder="stroke"
          className="font-stamp"
        >
          <text transform={upright(0, -6 * px)} textAnchor={mirrored ? 'end' : 'start'}>
            {known.neck_left ? 'neck' : 'tail'}
          </text>
          <text
            transform={upright(known.bounds.x1, -6 * px)}
            textAnchor={mirrored ? 'start' : 'end'}
          >
            {known.neck_left ? 'tail' : 'neck'}
          </text>
        </g>
      )}
    </g>
  )
}
