import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Said, Trouble, Waiting } from '../../parts/controls'
import { FIELD } from '../../parts/fields'
import { cssShare, dayOf, useUnits } from '../../parts/units'
import { Only } from '../people/Only'
import { ofCents, percentOr, share } from './book'
import { BookFrame } from './BookFrame'

type Closed = Schemas['ClosedHide']

/** Hides that were closed, the newest first; those that nobody should trust yet can be looked at. */
export function HidesPage() {
  const [params, setParams] = useSearchParams()
  const doubted = params.get('doubted') === '1'
  const before = params.get('before')
  const found = server.useQuery('get', '/api/book/hides', {
    params: { query: { doubted, ...(before ? { before: Number(before) } : {}) } },
  })
  return (
    <BookFrame
      aside={
        <label className="flex min-h-11 items-center gap-2 text-chalk-dim">
          <input
            type="checkbox"
            className="size-5"
            checked={doubted}
            onChange={(e) => {
              setParams(e.target.checked ? { doubted: '1' } : {})
            }}
          />
          only those in doubt or left out
        </label>
      }
    >
      {found.isPending && <Waiting what="the hides" />}
      <Trouble error={found.error} />
      {found.data?.length === 0 && (
        <p className="docket torn max-w-xl px-6 pt-5 pb-5 text-lg">
          {doubted
            ? 'No closed hide is in doubt, and none was left out.'
            : 'No hide was closed yet: it is written down here as soon as one is.'}
        </p>
      )}
      <ul className="grid max-w-6xl gap-2" aria-label="Closed hides">
        {found.data?.map((hide) => (
          <HideRow key={hide.sheet} hide={hide} />
        ))}
      </ul>
      {found.data?.length === 60 && (
        <button
          type="button"
          className="mt-4 min-h-11 underline"
          onClick={() => {
            setParams({
              ...(doubted ? { doubted: '1' } : {}),
              before: String(found.data?.at(-1)?.sheet ?? 0),
            })
          }}
        >
          Those before
        </button>
      )}
    </BookFrame>
  )
}

/** One closed hide: what became of it as a bar, planned and true beside each other. */
export function HideRow({ hide }: { hide: Closed }) {
  const units = useUnits()
  const parts = hide.parts.filter((p) => p.m2 > 0.5e-4)
  return (
    <li className={`docket px-5 py-2.5 ${hide.counts ? '' : 'border-l-4 border-unsound'}`}>
      <div className="grid grid-cols-[130px_minmax(0,1fr)_auto] items-center gap-x-5">
        <Link className="figure text-2xl font-bold hover:underline" to={`/leather/${hide.hide_id}`}>
          {hide.number}
        </Link>
        <div className="min-w-0">
          <div className="flex flex-wrap gap-x-3 text-ink-soft">
            <span>
              {[
                hide.mill,
                hide.lot && `lot ${hide.lot}`,
                hide.material,
                hide.grade && `grade ${hide.grade}`,
              ]
                .filter(Boolean)
                .join(' · ')}
            </span>
            <Link className="underline" to={`/book/batch/${hide.batch_id}`}>
              {hide.batch || 'no batch'}
            </Link>
            <span>{dayOf(hide.closed_on)}</span>
          </div>
          <div className="mt-1 flex h-4 border border-ink/60" aria-hidden>
            {parts.map((p) => (
              <div
                key={p.part}
                title={`${p.words}: ${units.area(p.m2)}`}
                className={
                  p.part === 'good'
                    ? 'bg-[#a86c3e]'
                    : p.part === 'kept'
                      ? 'border-l border-ink bg-[#e3cf9f]'
                      : p.part === 'spoilt'
                        ? 'border-l border-ink bg-unsound'
                        : 'border-l border-chalk bg-ink-soft'
                }
                style={{ width: cssShare(share(p.m2, hide.bought_m2)) }}
              />
            ))}
          </div>
          <div className="mt-1 text-[13px] text-ink-soft">
            {parts.map((p) => `${p.words} ${units.area(p.m2)}`).join(' · ')}
          </div>
        </div>
        <div className="text-right">
          <div className="figure text-2xl font-bold">{percentOr(hide.yield_of_used)}</div>
          <div className="text-[13px] text-ink-soft">
            planned {percentOr(hide.planned_yield)}
            <br />
            {hide.done} good{hide.spoilt > 0 && `, ${hide.spoilt} spoilt`} ·{' '}
            {units.money(ofCents(hide.cents))}
            {hide.true_minutes > 0 &&
              ` · ${Math.round(hide.true_minutes)} min, planned ${Math.round(hide.planned_minutes)}`}
          </div>
        </div>
      </div>
      {(hide.doubt !== '' || !hide.counts) && <Doubt hide={hide} />}
      {hide.counts && hide.doubt === '' && (
        <Only may="decide_hide">
          <LeaveOut hide={hide} />
        </Only>
      )}
    </li>
  )
}

function useDecide() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (asked: { sheet: number; counts: boolean; words: string }) =>
      told(
        api.POST('/api/book/hides/{sheet_id}/decide', {
          params: { path: { sheet_id: asked.sheet } },
          body: { counts: asked.counts, words: asked.words },
        }),
      ),
    onSettled: async () => {
      await queries.invalidateQueries(readFrom('/api/book/hides'))
      await queries.invalidateQueries(readFrom('/api/book/batches/{batch_id}'))
      await queries.invalidateQueries(readFrom('/api/book/where'))
    },
  })
}

/** Why a hide is not in the figures, or should not be; somebody says which, and why. */
function Doubt({ hide }: { hide: Closed }) {
  const [words, setWords] = useState('')
  const decide = useDecide()
  const say = (counts: boolean) => {
    decide.mutate({ sheet: hide.sheet, counts, words })
  }
  return (
    <div className="mt-2 border-t border-docket-line pt-2">
      {hide.doubt !== '' && (
        <p>
          <b>In doubt.</b> <Said words={hide.doubt} />.
        </p>
      )}
      <p className="text-ink-soft">
        {hide.counts ? 'It counts in the figures.' : 'It is left out of the figures.'}
        {hide.decided &&
          ` ${hide.decided.by || 'Somebody'} said so on ${dayOf(hide.decided.at)}: ${hide.decided.words}`}
      </p>
      <Only may="decide_hide">
        <div className="mt-1.5 flex flex-wrap gap-2">
          <input
            aria-label={`Why, for ${hide.number}`}
            className={`${FIELD} w-80`}
            placeholder="looked at it: why"
            value={words}
            onChange={(e) => {
              setWords(e.target.value)
            }}
          />
          <Button
            disabled={decide.isPending || !words.trim()}
            onClick={() => {
              say(!hide.counts)
            }}
          >
            {hide.counts ? 'Leave it out' : 'Count it'}
          </Button>
        </div>
        <Trouble error={decide.error} onPaper />
      </Only>
    </div>
  )
}

/** Cut twice by mistake and taken back, a wrong hide ticked: it can be left out, with a reason. */
function LeaveOut({ hide }: { hide: Closed }) {
  const [open, setOpen] = useState(false)
  const [words, setWords] = useState('')
  const decide = useDecide()
  if (!open)
    return (
      <button
        type="button"
        className="min-h-8 text-[13px] text-ink-soft underline"
        onClick={() => {
          setOpen(true)
        }}
      >
        leave {hide.number} out of the figures
      </button>
    )
  return (
    <div className="mt-1.5 flex flex-wrap gap-2">
      <input
        aria-label={`Why ${hide.number} is left out`}
        className={`${FIELD} w-80`}
        placeholder="cut twice by mistake, taken back"
        value={words}
        onChange={(e) => {
          setWords(e.target.value)
        }}
      />
      <Button
        disabled={decide.isPending || !words.trim()}
        onClick={() => {
          decide.mutate({ sheet: hide.sheet, counts: false, words })
        }}
      >
        Leave it out
      </Button>
      <Button
        onClick={() => {
          setOpen(false)
        }}
      >
        Count it still
      </Button>
      <Trouble error={decide.error} onPaper />
    </div>
  )
}
