import { useMutation } from '@tanstack/react-query'
import { useEffect, useRef, useState, type PointerEvent as ReactPointerEvent } from 'react'
import { Link, useParams } from 'react-router'
import { api, server, told } from '../../api/client'
import { pathOf } from '../../hide/paths'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { LengthField } from '../../parts/fields'
import { RoomKeys } from '../../parts/keys'
import { useUnits } from '../../parts/units'
import { keyOf, stepNow, type Sheet } from './ticks'
import { useTicks } from './useTicks'

type Px = [number, number]
interface Setup {
  wide: number
  deep: number
  marks: Px[]
}

const KEPT = 'fairlay:projector'
const usual = (): Setup => {
  const { innerWidth: w, innerHeight: h } = window
  return {
    wide: 2000,
    deep: 1000,
    marks: [
      [0.1 * w, 0.15 * h],
      [0.9 * w, 0.15 * h],
      [0.9 * w, 0.85 * h],
      [0.1 * w, 0.85 * h],
      [0.5 * w, 0.5 * h],
    ],
  }
}
const known = (): Setup => {
  try {
    return { ...usual(), ...(JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Partial<Setup>) }
  } catch {
    return usual()
  }
}
/** Where the marks lie on the table: the corners of a rectangle, and its middle to check by. */
const places = ({ wide, deep }: Setup): Px[] => [
  [0, 0],
  [wide, 0],
  [wide, deep],
  [0, deep],
  [wide / 2, deep / 2],
]

/** The lay thrown onto the leather at true scale, once four marks lie on four crosses. */
export function ProjectorRoom() {
  const id = Number(useParams()['id'])
  const found = server.useQuery('get', '/api/cut/{sheet_id}', {
    params: { path: { sheet_id: id } },
  })
  if (found.isPending) return <Waiting what="the hide" />
  if (found.error)
    return (
      <div className="p-8">
        <Trouble error={found.error} />
      </div>
    )
  return <Thrown key={id} sheet={found.data} />
}

function Thrown({ sheet }: { sheet: Sheet }) {
  const units = useUnits()
  const ticks = useTicks(sheet)
  const [setup, setSetup] = useState(known)
  const [marking, setMarking] = useState(true)
  const [all, setAll] = useState(true)
  const [flesh, setFlesh] = useState(false)
  const [at, setAt] = useState<string | null>(null)
  const [held, setHeld] = useState<number | null>(null)
  // Only marks set since this page was opened say anything: the projector may have been moved.
  const [set, setSet] = useState<ReadonlySet<number>>(new Set())
  const isSet = (mark: number) => {
    setSet((before) => new Set([...before, mark]))
  }
  const box = useRef<HTMLDivElement>(null)
  const fit = useMutation({
    mutationFn: (own: Setup) =>
      told(
        api.POST('/api/cut-projector', {
          body: { screen: own.marks, table: places(own), checks: 1 },
        }),
      ),
  })
  const { mutate } = fit
  useEffect(() => {
    const timer = setTimeout(() => {
      localStorage.setItem(KEPT, JSON.stringify(setup))
      mutate(setup)
    }, 120)
    return () => {
      clearTimeout(timer)
    }
  }, [setup, mutate])
  const drag = (event: ReactPointerEvent) => {
    if (held === null) return
    const to: Px = [event.clientX, event.clientY]
    setSetup({ ...setup, marks: setup.marks.map((m, i) => (i === held ? to : m)) })
  }
  const nudge = (dx: number, dy: number) => (event: KeyboardEvent) => {
    if (held === null) return
    isSet(held)
    const by = event.shiftKey ? 0.2 : 1
    setSetup({
      ...setup,
      marks: setup.marks.map((m, i) => (i === held ? [m[0] + dx * by, m[1] + dy * by] : m)),
    })
  }
  const now = sheet.steps.find((s) => keyOf(s) === at) ?? stepNow(sheet.steps, ticks.states)
  const move = (by: number) => {
    const k = sheet.steps.findIndex((s) => s === now)
    const next = sheet.steps[(k + by + sheet.steps.length) % Math.max(1, sheet.steps.length)]
    if (next) setAt(keyOf(next))
  }
  const m = fit.data?.matrix
  const { x0, y0, x1 } = sheet.hide.bounds
  const number = new Map(sheet.steps.map((s) => [keyOf(s), s.number]))
  const css = m
    ? `matrix3d(${[
        [m[0]?.[0], m[1]?.[0], 0, m[2]?.[0]],
        [m[0]?.[1], m[1]?.[1], 0, m[2]?.[1]],
        [0, 0, 1, 0],
        [m[0]?.[2], m[1]?.[2], 0, m[2]?.[2]],
      ]
        .flat()
        .join(',')})`
    : undefined
  return (
    <div
      ref={box}
      className="fixed inset-0 z-40 touch-none overflow-hidden bg-black"
      onPointerMove={drag}
      onPointerUp={() => {
        setHeld(null)
      }}
    >
      {css && (
        <svg
          className="absolute top-0 left-0 overflow-visible"
          width={1}
          height={1}
          style={{ transform: css, transformOrigin: '0 0' }}
          role="img"
          aria-label={`${sheet.hide.number} at true scale`}
        >
          {marking && (
            <path
              d={`M0,0H${setup.wide}V${setup.deep}H0Z M${setup.wide / 2 - 60},${setup.deep / 2}h120M${setup.wide / 2},${setup.deep / 2 - 60}v120`}
              fill="none"
              stroke="#d9a441"
              strokeWidth={3}
            />
          )}
          {/* The hide lies with its tail's corner on the first mark; from the flesh side it is mirrored. */}
          <g transform={flesh ? `translate(${x1},${-y0}) scale(-1,1)` : `translate(${-x0},${-y0})`}>
            <path d={pathOf(sheet.hide.rings)} fill="none" stroke="#6f8785" strokeWidth={2} />
            {sheet.placements
              .filter((p) => all || (now !== null && keyOf(now) === keyOf(p)))
              .map((p) => {
                const piece = sheet.pieces.find((q) => q.id === p.piece)
                const { a, b, c, d, e, f } = p.matrix
                const cut = ticks.stateOf(p) === 'done'
                const own = now !== null && keyOf(now) === keyOf(p)
                return (
                  piece && (
                    <g key={keyOf(p)}>
                      <path
                        d={pathOf(piece.rings)}
                        transform={`matrix(${a} ${b} ${c} ${d} ${e} ${f})`}
                        fill={own ? '#d9a441' : 'none'}
                        fillOpacity={0.25}
                        fillRule="evenodd"
                        stroke={cut ? '#435154' : own ? '#ffe08a' : '#f4f1e8'}
                        strokeWidth={own ? 3 : 1.6}
                      />
                      <text
                        transform={`translate(${a * piece.name_at.x + c * piece.name_at.y + e},${b * piece.name_at.x + d * piece.name_at.y + f}) scale(${flesh ? -1 : 1},1)`}
                        fontSize={Math.max(14, Math.min(48, piece.name_at.r))}
                        textAnchor="middle"
                        dominantBaseline="central"
                        fill="#f4f1e8"
                      >
                        {number.get(keyOf(p))}
                      </text>
                    </g>
                  )
                )
              })}
          </g>
        </svg>
      )}
      {marking &&
        setup.marks.map(([x, y], i) => (
          <button
            key={i}
            type="button"
            aria-label={i < 4 ? `Mark ${i + 1}` : 'Check mark'}
            className={`absolute size-16 -translate-x-1/2 -translate-y-1/2 cursor-move rounded-full border-2 ${i < 4 ? 'border-brass' : 'border-dashed border-chalk'} bg-transparent`}
            style={{ left: x, top: y }}
            onPointerDown={() => {
              setHeld(i)
              isSet(i)
            }}
            onFocus={() => {
              setHeld(i)
            }}
          >
            <span className="absolute top-1/2 left-1/2 h-px w-16 -translate-x-1/2 bg-chalk" />
            <span className="absolute top-1/2 left-1/2 h-16 w-px -translate-y-1/2 bg-chalk" />
          </button>
        ))}
      <section
        className="docket absolute bottom-0 left-1/2 flex max-w-full -translate-x-1/2 flex-wrap items-center gap-2 px-4 py-2"
        aria-label="Projector"
      >
        {marking ? (
          <>
            <span className="max-w-72 text-sm">
              Drag the four marks onto four crosses on the table, and the fifth onto the middle to
              check; arrows nudge.
            </span>
            <LengthField
              label="crosses apart, along"
              mm={setup.wide}
              onChange={(wide) => {
                setSetup({ ...setup, wide })
              }}
            />
            <LengthField
              label="and down"
              mm={setup.deep}
              onChange={(deep) => {
                setSetup({ ...setup, deep })
              }}
            />
          </>
        ) : (
          <>
            <Button
              aria-pressed={!all}
              onClick={() => {
                setAll(!all)
              }}
            >
              {all ? 'Piece by piece' : 'All of it'}
            </Button>
            <Button
              onClick={() => {
                move(-1)
              }}
            >
              Before
            </Button>
            <b className="figure text-2xl">{now?.number ?? ''}</b>
            <Button
              onClick={() => {
                move(1)
              }}
            >
              Next
            </Button>
            <Button
              aria-pressed={flesh}
              onClick={() => {
                setFlesh(!flesh)
              }}
            >
              {flesh ? 'Flesh side up' : 'Grain side up'}
            </Button>
          </>
        )}
        <span role="status" className="figure text-lg">
          {set.size < setup.marks.length
            ? `${set.size} of ${setup.marks.length} marks set`
            : fit.data && `check mark off by ${units.thin(fit.data.worst_mm)}`}
        </span>
        <Button
          look="brass"
          onClick={() => {
            setMarking(!marking)
          }}
        >
          {marking ? 'Throw the lay' : 'Marks'}
        </Button>
        <Button onClick={() => void box.current?.requestFullscreen()}>Full screen</Button>
        <Link className="underline" to={`/cut/${sheet.id}`}>
          Back
        </Link>
        <Trouble error={fit.error} onPaper />
        <RoomKeys
          room="Projector"
          keys={[
            {
              key: 'n',
              does: 'the next piece',
              act: () => {
                move(1)
              },
            },
            {
              key: 'b',
              does: 'the piece before',
              act: () => {
                move(-1)
              },
            },
            {
              key: 'a',
              does: 'all pieces, or one',
              act: () => {
                setAll(!all)
              },
            },
            {
              key: 'ArrowLeft',
              shown: '←',
              does: 'nudge the mark, with Shift by a fifth',
              act: nudge(-1, 0),
            },
            { key: 'ArrowRight', shown: '→', does: 'nudge the mark', act: nudge(1, 0) },
            { key: 'ArrowUp', shown: '↑', does: 'nudge the mark', act: nudge(0, -1) },
            { key: 'ArrowDown', shown: '↓', does: 'nudge the mark', act: nudge(0, 1) },
          ]}
        />
      </section>
    </div>
  )
}
