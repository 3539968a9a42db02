import { useMutation } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { api, told, type Schemas } from '../../api/client'
import { HideView } from '../../hide/HideView'
import { boundsOf, pathOf } from '../../hide/paths'
import type { At } from '../../hide/places'
import { Button, Trouble } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { plural, useUnits } from '../../parts/units'
import { Again, Head, Score, useClock, useEnd, type Result, type Round } from './RoundRoom'

type Tool = Schemas['TouchIn']['tool']
interface Ring {
  x: number
  y: number
  r: number
}
const TOOLS: { tool: Tool; name: string; key: string }[] = [
  { tool: 'eye', name: 'Look closely', key: '1' },
  { tool: 'feel', name: 'Feel', key: '2' },
  { tool: 'pinch', name: 'Pinch', key: '3' },
  { tool: 'pull', name: 'Pull', key: '4' },
]
const CLASSES = ['tight', 'firm', 'loose', 'slack']
const LEATHER = '#a5693f'
const USUAL_R = 30
const LEAST_R = 8
const SEVERITY = ['', 'surface', 'blemish', 'unsound']

/** A hide to be looked over: hands tell what eyes miss, and chalk rings what no piece should have. */
export function LookRound({ round }: { round: Round }) {
  const [tool, setTool] = useState<Tool | 'chalk'>('eye')
  const [rings, setRings] = useState<Ring[]>([])
  const [pulls, setPulls] = useState<Record<string, number>>({})
  const [said, setSaid] = useState<{ at: At; words: string } | null>(null)
  const [drawn, setDrawn] = useState<Ring | null>(null)
  const end = useEnd(round)
  const result = end.data ?? null
  const spent = useClock(end.isPending || result !== null)
  const [x0, y0, x1, y1] = boundsOf([round.outline])
  const touching = useRef(0)
  const touch = useMutation({
    mutationFn: (body: Schemas['TouchIn']) =>
      told(
        api.POST('/api/practice/rounds/{round_id}/touch', {
          params: { path: { round_id: round.id } },
          body,
        }),
      ),
  })
  const press = (kind: 'down' | 'move' | 'up', at: At) => {
    if (result) return
    if (tool === 'chalk') {
      if (kind === 'down') setDrawn({ ...at, r: USUAL_R })
      else if (drawn && kind === 'move')
        setDrawn({ ...drawn, r: Math.max(LEAST_R, Math.hypot(at.x - drawn.x, at.y - drawn.y)) })
      else if (drawn) {
        const on = rings.findIndex((r) => Math.hypot(r.x - drawn.x, r.y - drawn.y) < r.r * 0.6)
        // A press on a ring wipes it off; a drag draws another.
        setRings(
          on >= 0 && drawn.r === USUAL_R ? rings.filter((_, i) => i !== on) : [...rings, drawn],
        )
        setDrawn(null)
      }
    } else if (kind === 'down') {
      const mine = ++touching.current
      touch.mutate(
        { tool, ...at },
        {
          onSuccess: ({ words }) => {
            if (mine === touching.current) setSaid({ at, words })
          },
        },
      )
    }
  }
  return (
    <div className="flex h-full flex-col">
      <Head round={round} spent={spent}>
        <RoomKeys
          room="Look it over"
          keys={[
            ...TOOLS.map((t) => ({
              key: t.key,
              does: t.name.toLowerCase(),
              act: () => {
                setTool(t.tool)
              },
            })),
            {
              key: '5',
              does: 'take the chalk: ring a flaw, press a ring to wipe it off',
              act: () => {
                setTool('chalk')
              },
            },
          ]}
        />
      </Head>
      <div className="relative min-h-0 flex-1">
        <HideView
          bounds={{ x0, y0, x1, y1 }}
          label="A side to be looked over, backbone along the top"
          held={tool === 'chalk' && !result}
          onPointer={press}
        >
          {(scale) => (
            <Leather
              round={round}
              rings={drawn ? [...rings, drawn] : rings}
              result={result}
              said={result ? null : said}
              pulls={pulls}
              px={1 / scale}
            />
          )}
        </HideView>
      </div>
      <div className="docket torn flex max-h-[46%] flex-wrap items-start gap-x-8 gap-y-3 overflow-auto px-6 pt-3 pb-4">
        {result ? (
          <Told round={round} result={result} />
        ) : (
          <>
            <div>
              <div className="flex flex-wrap gap-2" role="radiogroup" aria-label="Hands and eyes">
                {TOOLS.map((t) => (
                  <ToolButton
                    key={t.tool}
                    on={tool === t.tool}
                    name={t.name}
                    onChoose={() => {
                      setTool(t.tool)
                    }}
                  />
                ))}
                <ToolButton
                  on={tool === 'chalk'}
                  name="Chalk"
                  onChoose={() => {
                    setTool('chalk')
                  }}
                />
              </div>
              <p role="status" className="mt-2 min-h-7 text-lg">
                {touch.isPending
                  ? '…'
                  : tool === 'chalk'
                    ? `Ring what no good piece should have. ${plural(rings.length, 'ring')} drawn.`
                    : (said?.words ?? 'Press the leather where you want to know more.')}
              </p>
              <Trouble error={touch.error} onPaper />
            </div>
            {round.pulls.length > 0 && (
              <div className="grid gap-1.5">
                {round.pulls.map((p) => (
                  <fieldset key={p.name} className="flex items-center gap-2">
                    <legend className="float-left w-28 font-semibold">{p.name}</legend>
                    {CLASSES.map((name, i) => (
                      <label
                        key={name}
                        className={`flex min-h-11 items-center border px-3 ${pulls[p.name] === i + 1 ? 'border-ink bg-brass font-semibold' : 'border-ink/40'}`}
                      >
                        <input
                          type="radio"
                          className="sr-only"
                          name={p.name}
                          checked={pulls[p.name] === i + 1}
                          onChange={() => {
                            setPulls({ ...pulls, [p.name]: i + 1 })
                          }}
                        />
                        {name}
                      </label>
                    ))}
                  </fieldset>
                ))}
              </div>
            )}
            <Button
              look="brass"
              className="ml-auto min-h-14 px-8 text-lg"
              disabled={end.isPending}
              onClick={() => {
                end.mutate({ rings, pulls, answers: [], pressed: [], named: '', spent_s: spent })
              }}
            >
              I have seen it all
            </Button>
            <Trouble error={end.error} onPaper />
          </>
        )}
      </div>
    </div>
  )
}

export function ToolButton({
  on,
  name,
  onChoose,
}: {
  on: boolean
  name: string
  onChoose: () => void
}) {
  return (
    <button
      type="button"
      role="radio"
      aria-checked={on}
      className={`min-h-14 rounded-sm border px-5 text-lg ${on ? 'border-ink bg-ink font-semibold text-chalk' : 'border-ink/40 hover:bg-ink/8'}`}
      onClick={onChoose}
    >
      {name}
    </button>
  )
}

/** The leather as it lies there: marks of all sorts, none of them named; then what they truly were. */
function Leather({
  round,
  rings,
  result,
  said,
  pulls,
  px,
}: {
  round: Round
  rings: Ring[]
  result: Result | null
  said: { at: At; words: string } | null
  pulls: Record<string, number>
  px: number
}) {
  const falseRings = new Set(result?.false_rings.map((f) => f.ring))
  return (
    <g>
      <path d={pathOf([round.outline])} fill={LEATHER} stroke="#1a1512" strokeWidth={1.5 * px} />
      <Marks marks={round.marks} />
      {round.pulls.map((p) => (
        <g key={p.name}>
          {[-50, 50].map((dx) => (
            <circle key={dx} cx={p.x + dx} cy={p.y} r={4 * px} fill="#f4f1e8" />
          ))}
          <text
            x={p.x}
            y={p.y - 10 * px}
            fontSize={14 * px}
            textAnchor="middle"
            fill="#f4f1e8"
            stroke="#4a2f1b"
            strokeWidth={3 * px}
            paintOrder="stroke"
          >
            {p.name}
            {pulls[p.name] ? `: ${CLASSES[(pulls[p.name] ?? 1) - 1] ?? ''}` : ''}
          </text>
        </g>
      ))}
      {rings.map((r, i) => (
        <circle
          key={i}
          data-ring
          cx={r.x}
          cy={r.y}
          r={r.r}
          fill="none"
          stroke={falseRings.has(i) ? '#ffb4a8' : '#fffdf6'}
          strokeWidth={3 * px}
          strokeDasharray={falseRings.has(i) ? `${8 * px} ${6 * px}` : undefined}
        />
      ))}
      {said && (
        <g pointerEvents="none">
          <circle cx={said.at.x} cy={said.at.y} r={28} fill="#f4f1e8" fillOpacity={0.22} />
          <text
            x={said.at.x}
            y={said.at.y - 36}
            fontSize={16 * px}
            textAnchor="middle"
            fill="#fff"
            stroke="#2c1c10"
            strokeWidth={4 * px}
            paintOrder="stroke"
          >
            {said.words}
          </text>
        </g>
      )}
      {result?.flaws
        .filter((f) => f.severity > 1)
        .map((f, i) => {
          const [fx0, fy0, fx1] = boundsOf([f.ring])
          return (
            <g key={i}>
              <path
                d={pathOf([f.ring])}
                fill={f.found ? '#2f6140' : '#7c1f14'}
                fillOpacity={0.8}
                stroke="#fffdf6"
                strokeWidth={2 * px}
              />
              <text
                x={(fx0 + fx1) / 2}
                y={fy0 - 8 * px}
                fontSize={14 * px}
                textAnchor="middle"
                fill="#fff"
                stroke="#2c1c10"
                strokeWidth={4 * px}
                paintOrder="stroke"
              >
                {f.found ? '✓' : '✗'} {f.kind}, {SEVERITY[f.severity]}
              </text>
            </g>
          )
        })}
    </g>
  )
}

/** Marks as an eye sees them on leather: darker lines, patches and spots. */
export function Marks({ marks }: { marks: Schemas['MarkSeen'][] }) {
  return (
    <g pointerEvents="none">
      {marks.map((m, i) => (
        <path
          key={i}
          d={pathOf([m.ring])}
          fill={m.looks === 'patch' ? '#5a3a22' : '#3f2716'}
          fillOpacity={m.looks === 'line' ? 0.75 : m.looks === 'patch' ? 0.45 : 0.8}
        />
      ))}
    </g>
  )
}

function Told({ round, result }: { round: Round; result: Result }) {
  const units = useUnits()
  const wanted = result.flaws.filter((f) => f.severity > 1)
  const missed = wanted.filter((f) => !f.found)
  return (
    <>
      <div>
        <Score value={result.round.score} />
        <Again round={round} />
      </div>
      <div className="max-w-2xl text-lg">
        <p>
          {wanted.length - missed.length} of {wanted.length} found
          {missed.length > 0 &&
            `; missed: ${missed.map((f) => `${f.kind} (${units.money(f.money)})`).join(', ')}`}
          .
        </p>
        <p>
          {result.false_rings.length === 0
            ? 'No ring was for nothing.'
            : `${plural(result.false_rings.length, 'ring')} round sound leather, which they would keep from use: ${units.money(result.false_rings.reduce((s, f) => s + f.money, 0))}.`}
        </p>
        {round.pulls.length > 0 && (
          <p>
            {round.pulls
              .map(
                (p) =>
                  `${p.name} is ${CLASSES[(result.pulls[p.name] ?? 1) - 1] ?? ''}${result.wrong_pulls.includes(p.name) ? ' ✗' : ' ✓'}`,
              )
              .join(', ')}
            .
          </p>
        )}
        <p>
          Mistakes would have cost <b>{units.money(result.money)}</b>
          {result.late_s > 0 && `; ${Math.round(result.late_s)} s over the time`}.
        </p>
      </div>
    </>
  )
}
