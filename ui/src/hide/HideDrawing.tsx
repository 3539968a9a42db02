import { memo, useId } from 'react'
import { pathOf, type HideShape } from './paths'

/**
 * A hide true to shape in mm, backbone along the top: leather, tightness as chalk lines that run
 * along the line of least stretch and break up as the leather gets looser, and ringed flaws.
 */
export const HideDrawing = memo(function HideDrawing({
  hide,
  colour,
  scale,
  zones = true,
}: {
  hide: HideShape
  colour: string
  scale: number
  zones?: boolean
}) {
  const id = useId()
  const px = 1 / scale
  return (
    <g>
      <path
        d={pathOf(hide.rings)}
        fill={colour}
        fillRule="evenodd"
        stroke="#1a1512"
        strokeWidth={1.5 * px}
      />
      {zones &&
        hide.zones.map((zone, i) => (
          <g key={i}>
            <ZoneHatch
              id={`${id}z${i}`}
              tightness={zone.tightness}
              leastStretchDeg={zone.stretch_deg + 90}
              px={px}
            />
            <path
              d={pathOf(zone.rings)}
              fillRule="evenodd"
              fill={`url(#${id}z${i})`}
              stroke="#f4f1e8"
              strokeOpacity={0.55}
              strokeWidth={px}
              strokeDasharray={`${9 * px} ${5 * px}`}
            >
              <title>{`${zone.name} leather (class ${zone.tightness})`}</title>
            </path>
          </g>
        ))}
      <path d={pathOf(hide.rings)} fill="none" stroke="#1a1512" strokeWidth={1.6 * px} />
      {hide.flaws.map((flaw, i) => (
        <FlawMark
          key={i}
          id={`${id}f${i}`}
          outline={flaw.outline}
          severity={flaw.severity}
          words={`${flaw.kind}, ${flaw.severity_name}`}
          px={px}
        />
      ))}
    </g>
  )
})

/** Lines along the line of least stretch: 1 close, 2 wide, 3 broken, 4 dots. */
function ZoneHatch({
  id,
  tightness,
  leastStretchDeg,
  px,
}: {
  id: string
  tightness: number
  leastStretchDeg: number
  px: number
}) {
  const apart = (tightness === 1 ? 9 : tightness === 2 ? 18 : 16) * px
  const dash =
    tightness === 3
      ? `${9 * px} ${11 * px}`
      : tightness === 4
        ? `${0.1 * px} ${13 * px}`
        : undefined
  const length = tightness === 3 ? 20 * px : tightness === 4 ? 13.1 * px : 20 * px
  return (
    <defs>
      <pattern
        id={id}
        width={length}
        height={apart}
        patternUnits="userSpaceOnUse"
        patternTransform={`rotate(${leastStretchDeg})`}
      >
        <line
          x1={0}
          y1={apart / 2}
          x2={length}
          y2={apart / 2}
          stroke="#f4f1e8"
          strokeOpacity={tightness === 4 ? 0.6 : 0.3}
          strokeWidth={(tightness === 4 ? 3 : 1.1) * px}
          strokeDasharray={dash}
          strokeLinecap={tightness === 4 ? 'round' : 'butt'}
        />
      </pattern>
    </defs>
  )
}

/** A flaw as a cutter chalks it: 1 dotted ring, 2 ring with a stroke through, 3 crossed out. */
function FlawMark({
  id,
  outline,
  severity,
  words,
  px,
}: {
  id: string
  outline: number[][]
  severity: number
  words: string
  px: number
}) {
  const d = pathOf([outline])
  return (
    <g>
      <title>{words}</title>
      {severity > 1 && (
        <defs>
          <pattern
            id={id}
            width={7 * px}
            height={7 * px}
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <line
              x1={0}
              y1={3.5 * px}
              x2={7 * px}
              y2={3.5 * px}
              stroke="#fffdf6"
              strokeWidth={1.2 * px}
            />
            {severity === 3 && (
              <line
                x1={3.5 * px}
                y1={0}
                x2={3.5 * px}
                y2={7 * px}
                stroke="#fffdf6"
                strokeWidth={1.2 * px}
              />
            )}
          </pattern>
        </defs>
      )}
      <path
        d={d}
        fill={severity === 3 ? '#7c1f14' : severity === 2 ? '#3b2a1c' : 'transparent'}
        fillOpacity={severity === 3 ? 0.85 : 0.35}
      />
      <path
        d={d}
        fill={severity > 1 ? `url(#${id})` : 'none'}
        stroke="#fffdf6"
        strokeWidth={(severity === 3 ? 2.4 : 1.5) * px}
        strokeDasharray={severity === 1 ? `${1.5 * px} ${3 * px}` : undefined}
      />
    </g>
  )
}
