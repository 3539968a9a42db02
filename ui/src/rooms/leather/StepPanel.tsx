import { useState } from 'react'
import { Button } from '../../parts/controls'
import { TextField } from '../../parts/fields'
import type { Change, Known, StepName } from './hide'

/** The steps in their order, those done ticked, and what this one asks of the cutter. */
export function StepHead({
  known,
  step,
  onStep,
}: {
  known: Known
  step: StepName
  onStep: (step: StepName) => void
}) {
  const own = known.steps.find((s) => s.step === step)
  const k = known.steps.findIndex((s) => s.step === step)
  return (
    <>
      <ol className="flex gap-1" aria-label="Steps">
        {known.steps.map((s, i) => (
          <li key={s.step} className="flex-1">
            <button
              type="button"
              title={s.name}
              aria-label={`${i + 1}. ${s.name}${s.done ? ', done' : ''}`}
              aria-current={s.step === step ? 'step' : undefined}
              onClick={() => {
                onStep(s.step)
              }}
              className={`figure min-h-11 w-full border text-lg ${s.step === step ? 'border-ink bg-ink font-bold text-chalk' : s.done ? 'border-sound/60 bg-sound/15' : 'border-ink/30 hover:bg-ink/8'}`}
            >
              {s.done ? '✓' : i + 1}
            </button>
          </li>
        ))}
      </ol>
      <p className="mt-1 text-[13px] text-ink-soft">
        {known.steps
          .filter((s) => s.quick)
          .map((s) => known.steps.indexOf(s) + 1)
          .join(', ')}{' '}
        in two minutes; all {known.steps.length} in ten.
      </p>
      <h2 className="mt-2 font-stamp text-xl font-bold">
        {k + 1}. {own?.name}
      </h2>
      <p className="mt-1">{own?.what}</p>
    </>
  )
}

/** What was noted of a step, and the way on. */
export function StepNote({
  known,
  step,
  busy,
  onChange,
  onDone,
}: {
  known: Known
  step: StepName
  busy: boolean
  onChange: (change: Change) => void
  onDone: () => void
}) {
  const own = known.steps.find((s) => s.step === step)
  const [open, setOpen] = useState(step === 'colour' || Boolean(own?.note))
  if (!own) return null
  return (
    <div className="mt-4 border-t border-docket-line pt-3">
      {open ? (
        <TextField
          label="Note"
          long
          value={own.note}
          onChange={(note) => {
            onChange({ step: { step, done: own.done, note } })
          }}
        />
      ) : (
        <button
          type="button"
          className="min-h-11 underline"
          onClick={() => {
            setOpen(true)
          }}
        >
          Write a note
        </button>
      )}
      <div className="mt-3 flex gap-2">
        <Button look="brass" className="min-h-14 flex-1 text-lg" disabled={busy} onClick={onDone}>
          {own.done ? 'On to the next' : 'Done, on to the next'}
        </Button>
        {own.done && (
          <Button
            className="min-h-14"
            onClick={() => {
              onChange({ step: { step, done: false, note: null } })
            }}
          >
            Not done
          </Button>
        )}
      </div>
    </div>
  )
}
