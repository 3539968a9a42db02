import type { Schemas } from '../../api/client'
import { drawnPath, type Drawing } from '../../hide/drawing'
import { leatherColour, pathOf } from '../../hide/paths'
import type { At } from './hide'
import type { Seen, SeenAct, SeenTool, Taken } from './seenTaken'

/**
 * What was found, over its picture or over plain leather: the outline, the rings, the lines, and
 * what is being drawn.
 */
export function SeenOnTable({
  seen,
  taken,
  colour,
  at,
  tool,
  brush,
  drawn,
  keptFlaws,
  px,
  act,
}: {
  seen: Seen
  taken: Taken
  colour: string
  at: number | null
  tool: SeenTool | null
  brush: number
  drawn: Drawing['points']
  keptFlaws: Schemas['KnownAgain']['flaws']
  px: number
  act: (a: SeenAct) => void
}) {
  const { x0, y0, x1, y1 } = seen.bounds
  return (
    <>
      {seen.picture ? (
        <image
          href={seen.picture}
          x={x0}
          y={y0}
          width={x1 - x0}
          height={y1 - y0}
          preserveAspectRatio="none"
        />
      ) : (
        <path d={pathOf([taken.outline])} fill={leatherColour(colour)} />
      )}
      <path
        d={pathOf([taken.outline, ...taken.holes])}
        fill="none"
        stroke="#1a1512"
        strokeOpacity={0.8}
        strokeWidth={5 * px}
      />
      <path
        d={pathOf([taken.outline, ...taken.holes])}
        fill="none"
        stroke="#ffd76a"
        strokeWidth={2.2 * px}
      />
      {keptFlaws.map((f, i) => (
        <path
          key={`k${i}`}
          data-known-flaw
          d={pathOf([f.outline])}
          fill="#fffdf6"
          fillOpacity={0.12}
          stroke="#fffdf6"
          strokeWidth={2 * px}
          strokeDasharray={`${7 * px} ${4 * px}`}
        />
      ))}
      {taken.rings.map((r, i) => (
        <g
          key={i}
          data-ring={i + 1}
          className="cursor-pointer"
          strokeLinejoin="round"
          onClick={() => {
            if (tool === null) act({ type: 'choose', at: i })
          }}
        >
          <path
            d={pathOf([r.outline])}
            fill={i === at ? '#ffd76a' : '#1a1512'}
            fillOpacity={r.taken ? 0.28 : 0.05}
            stroke="#1a1512"
            strokeWidth={(i === at ? 7 : 5) * px}
          />
          <path
            d={pathOf([r.outline])}
            fill="none"
            stroke={r.doubted ? '#ffb4a6' : '#ffd76a'}
            strokeWidth={(i === at ? 3.4 : 2.2) * px}
            strokeDasharray={r.taken ? undefined : `${4 * px} ${5 * px}`}
          />
          <text
            x={r.outline[0]?.[0] ?? 0}
            y={(r.outline[0]?.[1] ?? 0) - 6 * px}
            fontSize={16 * px}
            fontWeight={700}
            fill="#fffdf6"
            stroke="#1a1512"
            strokeWidth={4 * px}
            paintOrder="stroke"
          >
            {i + 1}
          </text>
        </g>
      ))}
      {taken.lines.map((x, i) => (
        <path
          key={i}
          d={`M${x.points.map((p) => p.join(',')).join('L')}`}
          stroke="#1a1512"
          strokeWidth={5 * px}
          strokeDasharray={x.means === 'nothing' ? `${4 * px} ${6 * px}` : undefined}
          fill="none"
        />
      ))}
      {taken.lines.map((x, i) => (
        <path
          key={`b${i}`}
          d={`M${x.points.map((p) => p.join(',')).join('L')}`}
          stroke="#ffd76a"
          strokeWidth={2.4 * px}
          fill="none"
        />
      ))}
      {seen.doubts.map((d, i) => (
        <g key={`d${i}`} data-doubt>
          <circle
            cx={d.x}
            cy={d.y}
            r={Math.max(18 * px, Math.sqrt((d.area_m2 * 1e6) / Math.PI))}
            fill="#ffb4a6"
            fillOpacity={0.25}
            stroke="#1a1512"
            strokeWidth={2 * px}
            strokeDasharray={`${5 * px} ${4 * px}`}
          />
          <text x={d.x} y={d.y + 8 * px} fontSize={24 * px} textAnchor="middle" fill="#1a1512">
            ?
          </text>
        </g>
      ))}
      {taken.ends.tail && <EndMark at={taken.ends.tail} words="tail" px={px} />}
      {taken.ends.neck && <EndMark at={taken.ends.neck} words="neck" px={px} />}
      {tool !== null && tool !== 'push' && drawn.length > 0 && (
        <path
          d={drawnPath(drawn)}
          fill="none"
          stroke={tool === 'take off' ? '#ffb4a6' : '#ffd76a'}
          strokeOpacity={0.75}
          strokeWidth={tool === 'cut' || tool === 'ring' ? 3 * px : brush}
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      )}
    </>
  )
}

function EndMark({ at, words, px }: { at: At; words: string; px: number }) {
  return (
    <g>
      <circle
        cx={at[0]}
        cy={at[1]}
        r={8 * px}
        fill="#ffd76a"
        stroke="#1a1512"
        strokeWidth={2 * px}
      />
      <text
        x={at[0]}
        y={at[1] - 12 * px}
        fontSize={16 * px}
        fontWeight={700}
        fill="#fffdf6"
        stroke="#1a1512"
        strokeWidth={4 * px}
        paintOrder="stroke"
      >
        {words}
      </text>
    </g>
  )
}
