import { useState } from 'react'
import { Button, Said, Trouble } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { Again, Head, Score, useClock, useEnd, type Round } from './RoundRoom'

/** Pairs of a piece and a mark, one after the other: take it, or leave it. */
export function AcceptRound({ round }: { round: Round }) {
  const [answers, setAnswers] = useState<boolean[]>([])
  const end = useEnd(round)
  const result = end.data ?? null
  const spent = useClock(end.isPending || result !== null)
  const question = round.questions[answers.length]
  const answer = (yes: boolean) => {
    if (!question || result) return
    const next = [...answers, yes]
    setAnswers(next)
    if (next.length === round.questions.length)
      end.mutate({ rings: [], pulls: {}, answers: next, pressed: [], named: '', spent_s: spent })
  }
  return (
    <div className="flex h-full flex-col">
      <Head round={round} spent={spent}>
        <RoomKeys
          room="Accept or avoid"
          keys={[
            {
              key: 'a',
              does: 'accept it',
              act: () => {
                answer(true)
              },
            },
            {
              key: 'l',
              does: 'avoid it',
              act: () => {
                answer(false)
              },
            },
          ]}
        />
      </Head>
      <div className="min-h-0 flex-1 overflow-auto px-6 pb-6">
        {question && !result && (
          <div className="docket torn mx-auto mt-6 max-w-3xl px-8 pt-5 pb-7">
            <p className="text-ink-soft">
              {answers.length + 1} of {round.questions.length}
            </p>
            <h2 className="font-stamp text-4xl font-bold">{question.piece}</h2>
            <p className="mt-1 text-lg">
              <Said words={question.needs.join(' · ')} />
            </p>
            <p className="mt-5 border-l-8 border-brass pl-4 text-3xl leading-snug">
              {question.words}
            </p>
            <div className="mt-7 grid grid-cols-2 gap-4">
              <Button
                className="min-h-20 border-2 text-2xl"
                onClick={() => {
                  answer(true)
                }}
              >
                Accept
              </Button>
              <Button
                className="min-h-20 border-2 text-2xl"
                onClick={() => {
                  answer(false)
                }}
              >
                Avoid
              </Button>
            </div>
          </div>
        )}
        <Trouble error={end.error} />
        {result && (
          <div className="docket torn mx-auto mt-4 max-w-4xl px-8 pt-4 pb-6">
            <Score value={result.round.score} />
            <ol className="mt-3 grid gap-1.5">
              {result.answers.map((a, i) => (
                <li
                  key={i}
                  className={`border-l-4 pl-3 ${a.given === a.right ? 'border-sound' : 'border-unsound'}`}
                >
                  <b>{a.given === a.right ? '✓' : '✗'}</b> {round.questions[i]?.piece}:{' '}
                  {round.questions[i]?.words} <b>{a.right ? 'Accept' : 'Avoid'}</b>, {a.why}.
                </li>
              ))}
            </ol>
            <Again round={round} />
          </div>
        )}
      </div>
    </div>
  )
}
