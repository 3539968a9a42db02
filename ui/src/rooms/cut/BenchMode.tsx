import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, readFrom, server, told } from '../../api/client'
import { HideView } from '../../hide/HideView'
import { Button, Said, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { cssShare, plural } from '../../parts/units'
import { CutDrawing } from './CutDrawing'
import { numbersOf } from './CutRoom'
import { keyOf, stepNow, type Sheet, type Step } from './ticks'
import { useTicks } from './useTicks'

const REASONS = [
  'the knife slipped',
  'a flaw that nobody saw',
  'cut on the wrong line',
  'it stretched',
  'another reason',
]
const STROPPED = 'fairlay:stropped'
const today = () => new Date().toISOString().slice(0, 10)

/** At the bench: one step at a time, large enough for a knuckle, right without a connection too. */
export function BenchMode() {
  const id = Number(useParams()['id'])
  const found = server.useQuery(
    'get',
    '/api/cut/{sheet_id}',
    { params: { path: { sheet_id: id } } },
    { staleTime: Infinity, gcTime: Infinity },
  )
  if (found.isPending) return <Waiting what="the hide" />
  if (!found.data)
    return (
      <div className="p-8">
        <Trouble error={found.error} />
      </div>
    )
  return <AtTable key={id} sheet={found.data} />
}

function AtTable({ sheet }: { sheet: Sheet }) {
  const ticks = useTicks(sheet)
  const [stropped, setStropped] = useState(() => localStorage.getItem(STROPPED) === today())
  const [spoiling, setSpoiling] = useState<Step | null>(null)
  const [seen, setSeen] = useState(sheet.head)
  const now = sheet.state === 'open' ? stepNow(sheet.steps, ticks.states) : null
  const done = sheet.steps.filter((s) => ticks.stateOf(s) === 'done').length
  const placing = server.useQuery(
    'get',
    '/api/cut/{sheet_id}/placing',
    { params: { path: { sheet_id: sheet.id } } },
    { staleTime: Infinity, gcTime: Infinity },
  )
  const place = placing.data?.find((row) => now !== null && keyOf(row) === keyOf(now))
  const piece = sheet.pieces.find((p) => p.id === now?.piece)
  const press = (act: 'done' | 'skip') => {
    if (now) ticks.press(now, act)
  }
  const back = () => {
    if (ticks.last) ticks.press(ticks.last, 'back')
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex min-h-14 items-center gap-4 bg-bench-deep px-4">
        <Link
          to={`/cut/${sheet.id}`}
          className="inline-flex min-h-14 items-center pr-4 text-lg text-chalk-dim hover:text-chalk"
        >
          ← {sheet.hide.number}
        </Link>
        <span className="figure text-xl whitespace-nowrap">
          {done} of {sheet.steps.length}
        </span>
        <span className="h-3 min-w-0 flex-1 border border-chalk/40">
          <span
            className="block h-full bg-brass"
            style={{ width: cssShare(sheet.steps.length ? done / sheet.steps.length : 0) }}
          />
        </span>
        {(ticks.away || ticks.waiting > 0) && (
          <span role="status" className="bg-brass px-3 py-1 font-semibold text-ink">
            {ticks.away ? 'No connection: go on, ' : ''}
            {plural(ticks.waiting, 'tick')} to send
          </span>
        )}
        <RoomKeys
          room="Bench"
          keys={[
            {
              key: ' ',
              shown: 'Space',
              does: 'done',
              act: () => {
                press('done')
              },
            },
            {
              key: 's',
              does: 'skip',
              act: () => {
                press('skip')
              },
            },
            { key: 'u', does: 'back', act: back },
            {
              key: 'x',
              does: 'it is spoilt',
              act: () => {
                setSpoiling(now)
              },
            },
          ]}
        />
      </div>
      <div className="flex min-h-0 flex-1 flex-col lg:flex-row">
        <div className="min-h-[38%] flex-1">
          <HideView
            bounds={sheet.hide.bounds}
            label={`${sheet.hide.number}, the piece that is cut now in brass`}
          >
            {(scale) => (
              <CutDrawing
                sheet={sheet}
                states={ticks.states}
                now={now}
                scale={scale}
                numbers={numbersOf(sheet)}
              />
            )}
          </HideView>
        </div>
        <section
          className="docket flex w-full shrink-0 flex-col gap-3 overflow-auto px-5 py-4 max-lg:max-h-[60vh] lg:w-[430px]"
          aria-label="The step now"
        >
          {sheet.changed.length > 0 && (
            <p role="alert" className="border-l-4 border-unsound bg-unsound/10 px-3 py-1">
              The leather or the lay changed since. What is cut stays; look at the lay before the
              next piece.
            </p>
          )}
          {sheet.head !== seen && (
            <p role="alert" className="border-l-4 border-brass bg-brass/15 px-3 py-1">
              The lay was changed: numbers may be others now. What is cut stays as it is.{' '}
              <Button
                className="min-h-14"
                onClick={() => {
                  setSeen(sheet.head)
                }}
              >
                Seen
              </Button>
            </p>
          )}
          <KeptTicks sheet={sheet} ticks={ticks} />
          {!stropped ? (
            <>
              <p className="font-stamp text-3xl font-bold">Strop the blade</p>
              <p className="text-lg">
                A dull blade is more dangerous than a sharp one. Cork- or rubber-backed rule, free
                hand behind the edge, the blade capped when it is put down. The machine’s manual,
                local rules and trained practice come first.
              </p>
              <Button
                look="brass"
                className="min-h-20 text-2xl"
                onClick={() => {
                  localStorage.setItem(STROPPED, today())
                  setStropped(true)
                }}
              >
                Stropped
              </Button>
            </>
          ) : now === null ? (
            <Finished sheet={sheet} done={done} />
          ) : spoiling && keyOf(spoiling) === keyOf(now) ? (
            <Spoil
              sheet={sheet}
              step={spoiling}
              onSpoil={(reason) => {
                ticks.press(spoiling, 'spoilt', reason)
                setSpoiling(null)
              }}
              onLeave={() => {
                setSpoiling(null)
              }}
            />
          ) : (
            <>
              <div className="flex items-baseline gap-3">
                <span className="figure text-6xl leading-none font-bold">{now.number}</span>
                <span className="font-stamp text-2xl leading-tight font-bold">
                  {piece?.name} {now.copy_number + 1}
                  <span className="block text-lg font-normal text-ink-soft">{piece?.article}</span>
                </span>
                <Clock key={keyOf(now)} planned={now.seconds} />
              </div>
              <p className="text-lg font-semibold">
                <Said words={[...now.tools, ...now.punches].join(', ')} />
                {now.passes > 1 && `; ${now.passes} light strokes in the same cut`}
              </p>
              {place && (
                <p className="text-lg">
                  <Said words={place.words} />
                </p>
              )}
              {now.strokes.length === 0 && (
                <p className="text-lg">Its edges are all cut: lift it out.</p>
              )}
              <ul className="text-base">
                {now.cautions.map((words) => (
                  <li key={words} className="border-l-4 border-brass px-2 py-0.5">
                    <Said words={words} />
                  </li>
                ))}
              </ul>
              <div className="mt-auto grid grid-cols-2 gap-2">
                <Button
                  look="brass"
                  className="col-span-2 min-h-24 text-3xl"
                  onClick={() => {
                    press('done')
                  }}
                >
                  Done
                </Button>
                <Button
                  className="min-h-16 text-xl"
                  onClick={() => {
                    press('skip')
                  }}
                >
                  Skip
                </Button>
                <Button className="min-h-16 text-xl" disabled={ticks.last === null} onClick={back}>
                  Back
                </Button>
                <Button
                  className="col-span-2 min-h-16 text-xl"
                  onClick={() => {
                    setSpoiling(now)
                  }}
                >
                  Spoilt
                </Button>
              </div>
            </>
          )}
          <Recuts sheet={sheet} ticks={ticks} />
        </section>
      </div>
    </div>
  )
}

/** Seconds at a step, beside what was planned. */
function Clock({ planned }: { planned: number }) {
  const [begun] = useState(() => Date.now())
  const [at, setAt] = useState(begun)
  useEffect(() => {
    const timer = setInterval(() => {
      setAt(Date.now())
    }, 1000)
    return () => {
      clearInterval(timer)
    }
  }, [])
  return (
    <span className="figure ml-auto text-right text-ink-soft">
      {Math.round((at - begun) / 1000)} s
      <span className="block text-[13px]">of {Math.round(planned)}</span>
    </span>
  )
}

function Finished({ sheet, done }: { sheet: Sheet; done: number }) {
  return (
    <>
      <p className="font-stamp text-3xl font-bold">
        {sheet.state === 'open' ? 'Nothing is left to cut' : 'This hide is closed'}
      </p>
      <p className="text-lg">
        {plural(done, 'piece')} cut. Cap the blade, bundle the pieces, and see what is left.
      </p>
      <Link
        to={`/cut/${sheet.id}`}
        className="inline-flex min-h-20 items-center justify-center rounded-sm bg-brass text-2xl font-semibold text-ink"
      >
        To the docket
      </Link>
    </>
  )
}

function Spoil({
  sheet,
  step,
  onSpoil,
  onLeave,
}: {
  sheet: Sheet
  step: Step
  onSpoil: (reason: string) => void
  onLeave: () => void
}) {
  const piece = sheet.pieces.find((p) => p.id === step.piece)
  return (
    <>
      <p className="font-stamp text-2xl font-bold">
        {piece?.name} {step.copy_number + 1} is spoilt. What happened?
      </p>
      <div className="grid gap-2">
        {REASONS.map((reason) => (
          <Button
            key={reason}
            className="min-h-16 justify-start text-xl"
            onClick={() => {
              onSpoil(reason)
            }}
          >
            {reason}
          </Button>
        ))}
        <Button className="min-h-16 text-xl" onClick={onLeave}>
          It is not spoilt
        </Button>
      </div>
      <p className="text-ink-soft">
        Was it a flaw?{' '}
        <Link className="underline" to={`/leather/${sheet.hide_id}`}>
          Chalk it
        </Link>
        , and what is not cut yet is looked at again.
      </p>
    </>
  )
}

/** What is spoilt and waits for another place. */
const SIGNED_OUT = 401

/** Presses that could not be sent or were not taken: what is wrong, and what is kept. */
function KeptTicks({ sheet, ticks }: { sheet: Sheet; ticks: ReturnType<typeof useTicks> }) {
  const nameOf = (id: string) => sheet.pieces.find((p) => p.id === id)?.name ?? id
  return (
    <>
      {ticks.held && (
        <p role="alert" className="border-l-4 border-brass bg-brass/15 px-3 py-1">
          {ticks.held.status === SIGNED_OUT
            ? 'Nobody is signed in on this tablet: sign in, and the ticks are sent.'
            : ticks.held.message}{' '}
          {plural(ticks.waiting, 'tick')} kept on this tablet, sent again by itself.
        </p>
      )}
      {ticks.late > 0 && (
        <p role="status" className="border-l-4 border-brass bg-brass/15 px-3 py-1">
          {plural(ticks.late, 'tick')} came after this hide was closed: written down, not counted.
        </p>
      )}
      {ticks.refused.map(({ tick, why }) => (
        <div
          key={tick.id}
          role="alert"
          className="grid justify-items-start gap-2 border-l-4 border-brass bg-brass/15 px-3 py-1"
        >
          <p>
            {nameOf(tick.piece)} {tick.copy_number + 1}, {tick.act}: {why}. The other ticks were
            taken.
          </p>
          <Button
            className="min-h-14"
            onClick={() => {
              ticks.putAway(tick.id)
            }}
          >
            Delete this tick
          </Button>
        </div>
      ))}
    </>
  )
}

function Recuts({ sheet, ticks }: { sheet: Sheet; ticks: ReturnType<typeof useTicks> }) {
  const queries = useQueryClient()
  const recut = useMutation({
    mutationFn: (step: { piece: string; copy_number: number }) =>
      told(
        api.POST('/api/cut/{sheet_id}/recut', {
          params: { path: { sheet_id: sheet.id } },
          body: { piece: step.piece, copy_number: step.copy_number },
        }),
      ),
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries(readFrom('/api/cut/{sheet_id}')),
        queries.invalidateQueries(readFrom('/api/cut/{sheet_id}/states')),
        queries.invalidateQueries(readFrom('/api/cut/{sheet_id}/placing')),
      ]),
  })
  const spoilt = sheet.steps.filter((s) => ticks.stateOf(s) === 'spoilt')
  if (sheet.state !== 'open' || (spoilt.length === 0 && !recut.data)) return null
  return (
    <div className="border-t border-docket-line pt-2">
      {recut.data && (
        <p role="status" className="font-semibold">
          {recut.data.hide === ''
            ? 'No hide of this lay has room for it: it waits in the tray.'
            : `It is cut again from ${recut.data.hide === sheet.hide.number ? 'what is left here' : recut.data.hide}.`}
        </p>
      )}
      <Trouble error={recut.error} onPaper />
      {spoilt.map((s) => (
        <div key={keyOf(s)} className="flex items-center gap-3 py-1">
          <span className="min-w-0 flex-1">
            {sheet.pieces.find((p) => p.id === s.piece)?.name} {s.copy_number + 1} is spoilt
          </span>
          <Button
            className="min-h-14 text-lg"
            disabled={recut.isPending || ticks.waiting > 0 || ticks.behind}
            onClick={() => {
              recut.mutate(s)
            }}
          >
            {recut.isPending || ticks.behind ? 'Finding it a place …' : 'Find it a place'}
          </Button>
        </div>
      ))}
    </div>
  )
}
