import { useState } from 'react'
import { HideDrawing } from '../../hide/HideDrawing'
import { HideView } from '../../hide/HideView'
import { boundsOf, pathOf } from '../../hide/paths'
import { Button, Trouble } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { ToolButton } from './LookRound'
import { Again, Head, Score, useClock, useEnd, type Round } from './RoundRoom'

const LEATHER = '#a5693f'

/** A lay with one fault: press the piece, and name what is wrong with it. */
export function FaultRound({ round }: { round: Round }) {
  const [pressed, setPressed] = useState<number[]>([])
  const [named, setNamed] = useState('')
  const end = useEnd(round)
  const result = end.data ?? null
  const spent = useClock(end.isPending || result !== null)
  const [x0, y0, x1, y1] = boundsOf([round.outline])
  const now = pressed.at(-1)
  const press = (i: number) => {
    if (!result) setPressed([...pressed, i])
  }
  return (
    <div className="flex h-full flex-col">
      <Head round={round} spent={spent}>
        <RoomKeys room="Spot the fault" keys={[]} />
      </Head>
      <div className="relative min-h-0 flex-1">
        <HideView bounds={{ x0, y0, x1, y1 }} label="A lay with a fault in it">
          {(scale) => (
            <>
              {round.hide && <HideDrawing hide={round.hide} colour={LEATHER} scale={scale} />}
              {round.pieces.map((p, i) => {
                const [px0, py0, px1, py1] = boundsOf([p.ring])
                const x = (px0 + px1) / 2
                const y = (py0 + py1) / 2
                const long = Math.min(px1 - px0, py1 - py0) * 0.32
                const size = Math.min(15 / scale, (px1 - px0) / Math.max(4, p.name.length * 0.58))
                return (
                  <g
                    key={i}
                    role="button"
                    tabIndex={0}
                    aria-label={`${p.name} ${i + 1}${p.mirrored ? ', mirrored' : ''}`}
                    data-piece={i}
                    className="cursor-pointer"
                    onClick={() => {
                      press(i)
                    }}
                    onKeyDown={(e) => {
                      if (e.key === 'Enter' || e.key === ' ') press(i)
                    }}
                  >
                    <path
                      d={pathOf([p.ring])}
                      fill={result?.guilty === i ? '#f3d4cd' : now === i ? '#fff6dc' : '#efe2c4'}
                      stroke={result?.guilty === i ? '#a3281a' : now === i ? '#7a5310' : '#3a3128'}
                      strokeWidth={result?.guilty === i || now === i ? 4 : 1.2}
                      vectorEffect="non-scaling-stroke"
                    />
                    {p.grain_deg !== null && (
                      <line
                        x1={x - long * Math.cos((p.grain_deg * Math.PI) / 180)}
                        y1={y - long * Math.sin((p.grain_deg * Math.PI) / 180)}
                        x2={x + long * Math.cos((p.grain_deg * Math.PI) / 180)}
                        y2={y + long * Math.sin((p.grain_deg * Math.PI) / 180)}
                        stroke="#a8761c"
                        strokeWidth={2}
                        vectorEffect="non-scaling-stroke"
                      />
                    )}
                    <text
                      x={x}
                      y={y + size * 0.36}
                      fontSize={size}
                      textAnchor="middle"
                      fill="#211c17"
                      stroke="#efe2c4"
                      strokeWidth={size / 5}
                      paintOrder="stroke"
                      pointerEvents="none"
                    >
                      {p.name}
                    </text>
                  </g>
                )
              })}
            </>
          )}
        </HideView>
      </div>
      <div className="docket torn max-h-[46%] overflow-auto px-6 pt-3 pb-4">
        {result ? (
          <div className="flex flex-wrap items-start gap-x-10">
            <div>
              <Score value={result.round.score} />
              <Again round={round} />
            </div>
            <p className="max-w-xl text-xl">
              The fault:{' '}
              <b>
                {result.fault}
                {` (${round.pieces[result.guilty ?? -1]?.name ?? ''}, edged in red)`}
              </b>
              .
            </p>
          </div>
        ) : (
          <div className="flex flex-wrap items-end gap-x-6 gap-y-3">
            <div>
              <p role="status" className="text-lg">
                {now === undefined
                  ? 'One piece here would spoil the batch. Press it.'
                  : `${round.pieces[now]?.name ?? ''}: what is wrong with it?`}
              </p>
              <div className="mt-2 flex flex-wrap gap-2" role="radiogroup" aria-label="The fault">
                {round.faults.map((f) => (
                  <ToolButton
                    key={f.fault}
                    on={named === f.fault}
                    name={f.words}
                    onChoose={() => {
                      setNamed(f.fault)
                    }}
                  />
                ))}
              </div>
            </div>
            <Button
              look="brass"
              className="ml-auto min-h-14 px-8 text-lg"
              disabled={now === undefined || named === '' || end.isPending}
              onClick={() => {
                end.mutate({ rings: [], pulls: {}, answers: [], pressed, named, spent_s: spent })
              }}
            >
              That is it
            </Button>
            <Trouble error={end.error} onPaper />
          </div>
        )}
      </div>
    </div>
  )
}
