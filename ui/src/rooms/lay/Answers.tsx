import { server, type Schemas } from '../../api/client'
import { Button, Said } from '../../parts/controls'
import { isLive } from '../../parts/job'
import { cssShare, percent, useUnits } from '../../parts/units'
import { Difference, OneLay } from './CompareLays'
import { byHide, type Lay } from './lay'
import { bySaving, type Tried } from './asking'

/** What came of questions: what each saves against the lay as it is, the most first. */
export function Answers({
  tried,
  old,
  shown,
  onShow,
  onStop,
  onTake,
  mayTake,
}: {
  tried: Tried
  old: boolean
  shown: number | null
  onShow: (number: number) => void
  onStop: () => void
  onTake: (number: number) => void
  mayTake: boolean
}) {
  const units = useUnits()
  const [plain] = tried.answers
  const live = isLive(tried.job)
  const rows = bySaving(tried.answers)
  const most = Math.max(1e-9, ...rows.map((r) => Math.abs(r.saves)))
  return (
    <section
      className={`docket m-3 flex min-h-0 flex-col px-4 py-2 ${shown === null ? '' : 'max-h-[45%] shrink-0'}`}
      aria-label="Answers"
    >
      <div className="flex flex-wrap items-center gap-3" role="status">
        {live && (
          <>
            <span className="font-stamp text-lg font-bold">
              {tried.job.state === 'queued' ? 'Waits for a worker' : 'Trying …'}
            </span>
            <span>
              {tried.answers.length} of {tried.asked + 1} answered
            </span>
            <Button look="stop" onClick={onStop}>
              Stop, keep these
            </Button>
          </>
        )}
        {!live && tried.job.state === 'failed' && (
          <span className="text-unsound">
            <Said words={tried.job.error} />
          </span>
        )}
        {old && (
          <span className="border-l-4 border-brass bg-brass/15 px-2">
            The lay went on since; try again before you take one.
          </span>
        )}
      </div>
      {plain && (
        <div className="min-h-0 overflow-auto">
          <table className="w-full text-left">
            <thead className="text-[13px] text-ink-soft">
              <tr>
                <th className="font-normal">What if</th>
                <th className="text-right font-normal">Pieces</th>
                <th className="text-right font-normal">Leather</th>
                <th className="text-right font-normal">Yield</th>
                <th className="text-right font-normal">Its cost</th>
                <th className="pl-4 font-normal" colSpan={2}>
                  Saves
                </th>
                <th />
              </tr>
            </thead>
            <tbody>
              <tr className="border-b border-docket-line">
                <th scope="row" className="py-1 font-bold">
                  As it is, laid on as long
                </th>
                <Figures answer={plain} />
                <td colSpan={3} />
              </tr>
              {rows.map(({ answer, number, saves }) => (
                <tr
                  key={number}
                  className={`border-b border-docket-line ${shown === number ? 'bg-card' : ''}`}
                >
                  <th scope="row" className="py-1 font-normal">
                    <Said words={answer.changes.map((c) => c.words).join('; ')} />
                    {answer.refused && (
                      <span className="block text-sm text-unsound">
                        <Said words={answer.refused} />
                      </span>
                    )}
                  </th>
                  <Figures answer={answer} />
                  <td className="w-24 pl-4">
                    <div className="h-3 border border-ink/50">
                      <div
                        className={`h-full ${saves < 0 ? 'bg-unsound' : 'bg-sound'}`}
                        style={{ width: cssShare(Math.abs(saves) / most) }}
                      />
                    </div>
                  </td>
                  <td className="figure pl-2 text-right font-bold whitespace-nowrap">
                    {saves > 0.005 ? '' : saves < -0.005 ? '−' : '±'}
                    {units.money(Math.abs(saves))}
                  </td>
                  <td className="py-0.5 pl-3 text-right whitespace-nowrap">
                    <Button
                      className="mr-1.5 px-3"
                      aria-pressed={shown === number}
                      onClick={() => {
                        onShow(number)
                      }}
                    >
                      See
                    </Button>
                    <Button
                      look="brass"
                      className="px-3"
                      disabled={!mayTake || answer.refused !== ''}
                      onClick={() => {
                        onTake(number)
                      }}
                    >
                      Take it
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="pt-1 text-[13px] text-ink-soft">
            Saved is leather, with what pieces that lie nowhere would take more at the same yield.
            None is taken without you.
          </p>
        </div>
      )}
    </section>
  )
}

function Figures({ answer }: { answer: Schemas['AnswerOut'] }) {
  const units = useUnits()
  const cell = 'figure pl-3 text-right whitespace-nowrap'
  return (
    <>
      <td className={cell}>
        {answer.placed} of {answer.wanted}
      </td>
      <td className={cell}>{units.area(answer.used_m2)}</td>
      <td className={cell}>{percent(answer.yield_of_used, 1)}</td>
      <td className={cell}>{units.money(answer.cost)}</td>
    </>
  )
}

/** The lay as it is beside what an answer has. */
export function SideBySide({
  lay,
  tried,
  number,
  hide,
}: {
  lay: Lay
  tried: Tried
  number: number
  hide: string
}) {
  const at = (n: number) => ({
    params: { path: { lay_id: lay.id, job_id: tried.job.id, number: n } },
  })
  const address = '/api/lays/{lay_id}/what-ifs/{job_id}/{number}' as const
  const a = server.useQuery('get', address, at(0), { staleTime: Infinity }).data
  const b = server.useQuery('get', address, at(number), { staleTime: Infinity }).data
  const words = tried.answers[number]?.changes.map((c) => c.words).join('; ') ?? ''
  if (!a || !b) return null
  // The hide one looks at, unless nothing of what is asked lies there.
  const lies = byHide(b.state.placements)
  const fullest = [...lies].sort(([, p], [, q]) => q.length - p.length)[0]
  const shown = lies.has(hide) || !fullest ? hide : fullest[0]
  return (
    <>
      <div className="px-4">
        <Difference a={a} b={b} />
      </div>
      <div className="flex min-h-0 flex-1 flex-col gap-1 xl:flex-row">
        <OneLay lay={a} number={shown} words="As it is" />
        <OneLay lay={b} number={shown} words={words} />
      </div>
    </>
  )
}
