import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { HideView } from '../../hide/HideView'
import { leatherColour, pathOf } from '../../hide/paths'
import { Button, Figure, Trouble, Waiting } from '../../parts/controls'
import { isLive, useFollowedJob } from '../../parts/job'
import { percent, useUnits } from '../../parts/units'
import { LayRoom } from '../lay/LayRoom'
import { Again, Head, Score, type Round } from './RoundRoom'

/** A set to be laid by hand with the lay bench's own tools, then held beside the engine's lay. */
export function LayRound({ round }: { round: Round }) {
  const [jobId, setJobId] = useState<number | null>(null)
  const compare = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/practice/rounds/{round_id}/compare', {
          params: { path: { round_id: round.id } },
        }),
      ),
    onSuccess: ({ job_id }) => {
      setJobId(job_id)
    },
  })
  if (round.lay_id === null || round.lay_id === undefined)
    return (
      <p className="p-8 text-lg">The lay of this round was let go: only the last few are kept.</p>
    )
  return (
    <div className="flex h-full flex-col">
      <Head round={round} spent={0}>
        {jobId === null && !round.over && (
          <Button
            look="brass"
            className="min-h-11"
            disabled={compare.isPending}
            onClick={() => {
              compare.mutate()
            }}
          >
            That is my lay
          </Button>
        )}
      </Head>
      <Trouble error={compare.error} />
      <div className="min-h-0 flex-1">
        {jobId !== null || round.over ? (
          <Compared round={round} jobId={jobId} />
        ) : (
          <LayRoom practised={round.lay_id} />
        )}
      </div>
    </div>
  )
}

function Compared({ round, jobId }: { round: Round; jobId: number | null }) {
  const queries = useQueryClient()
  const first = server.useQuery(
    'get',
    '/api/jobs/{job_id}',
    { params: { path: { job_id: jobId ?? 0 } } },
    { enabled: jobId !== null },
  )
  const job = useFollowedJob(first.data, () => {
    void queries.invalidateQueries(readFrom('/api/practice/rounds/{round_id}/result'))
    void queries.invalidateQueries(readFrom('/api/practice'))
  })
  const ended = jobId === null || (job !== null && !isLive(job))
  const result = server.useQuery(
    'get',
    '/api/practice/rounds/{round_id}/result',
    { params: { path: { round_id: round.id } } },
    { enabled: ended, retry: (n, e) => n < 40 && 'status' in e, retryDelay: 800 },
  )
  if (result.error)
    return (
      <div className="p-8">
        <Trouble error={result.error} />
      </div>
    )
  if (!result.data?.laid) return <Waiting what="the engine’s lay beside yours" />
  return <Beside round={round} laid={result.data.laid} score={result.data.round.score} />
}

function Beside({ round, laid, score }: { round: Round; laid: Schemas['LaidOut']; score: number }) {
  const [step, setStep] = useState(0)
  const units = useUnits()
  const lies = step === 0 ? laid.lies : (laid.gains[step - 1]?.lies ?? laid.lies)
  const changed = useMemo(
    () =>
      new Set(
        step === 0
          ? []
          : (laid.gains[step - 1]?.changed ?? []).map((c) => `${c[0] ?? ''}#${c[1] ?? 0}`),
      ),
    [laid, step],
  )
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1">
        <HideView bounds={laid.hide.bounds} label="Your lay, and what would have gained most">
          {(scale) => (
            <>
              <HideDrawing
                hide={laid.hide}
                colour={leatherColour(laid.hide.colour)}
                scale={scale}
              />
              {lies.map((p) => {
                const { a, b, c, d, e, f } = p.matrix
                const key = `${p.piece}#${p.copy_number}`
                return (
                  <path
                    key={key}
                    d={pathOf(laid.rings[p.piece] ?? [])}
                    transform={`matrix(${a} ${b} ${c} ${d} ${e} ${f})`}
                    fill={changed.has(key) ? '#d9a441' : '#efe2c4'}
                    fillRule="evenodd"
                    stroke="#3a3128"
                    strokeWidth={changed.has(key) ? 3 : 1.2}
                    vectorEffect="non-scaling-stroke"
                  />
                )
              })}
            </>
          )}
        </HideView>
      </div>
      <div className="docket torn flex max-h-[46%] flex-wrap items-start gap-x-10 gap-y-3 overflow-auto px-6 pt-3 pb-4">
        <div>
          <Score value={score} />
          <Again round={round} />
        </div>
        <div className="flex gap-8">
          <Figure label="yours" note={`${laid.placed} of ${laid.wanted} pieces`}>
            {units.area(laid.hand_m2)}
          </Figure>
          <Figure label="the engine’s, in 12 s" note={`${laid.engine_placed} pieces`}>
            {units.area(laid.engine_m2)}
          </Figure>
          <Figure
            label="no lay passes"
            note={`yours is ${percent(laid.most_m2 > 0 ? laid.hand_m2 / laid.most_m2 : 0)} of it`}
          >
            {units.area(laid.most_m2)}
          </Figure>
        </div>
        <div className="max-w-xl min-w-72">
          <p className="font-semibold">
            {laid.gains.length === 0
              ? 'Nothing was found that would have gained.'
              : 'What would have gained most, step by step'}
          </p>
          <ol className="mt-1 grid gap-1">
            {[null, ...laid.gains].map((g, i) => (
              <li key={i}>
                <button
                  type="button"
                  className={`min-h-11 w-full border px-3 text-left ${i === step ? 'border-ink bg-brass/40 font-semibold' : 'border-ink/30'}`}
                  onClick={() => {
                    setStep(i)
                  }}
                >
                  {g === null ? 'as you laid it' : `${i}. ${g.words}: +${units.area(g.m2)}`}
                </button>
              </li>
            ))}
          </ol>
        </div>
      </div>
    </div>
  )
}
