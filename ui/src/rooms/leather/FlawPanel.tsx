import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Button, Trouble, Said } from '../../parts/controls'
import { PickFile } from '../../parts/PickFile'
import { Choice, LengthField, TextField } from '../../parts/fields'
import { plural } from '../../parts/units'
import { sendFile } from '../patterns/files'
import {
  FLAW_KINDS,
  newId,
  roundRing,
  SEVERITIES,
  type At,
  type Change,
  type Known,
  type StepName,
} from './hide'

/** A ring being drawn: kept in the browser until it is saved or left. */
export interface DraftRing {
  points: At[]
  step: StepName
  closed: boolean
}

interface Shown {
  known: Known
  step: StepName
  draft: DraftRing | null
  chosen: string | null
  onDraft: (draft: DraftRing | null) => void
  onChoose: (id: string | null) => void
  onChange: (change: Change, failed?: () => void) => void
}

/**
 * Flaws ringed on the hide: drawn, named, graded. Severity is suggested from kind and size, and the
 * cutter's to change.
 */
export function FlawPanel({ known, step, draft, chosen, onDraft, onChoose, onChange }: Shown) {
  const flaw = known.flaws.find((f) => f.id === chosen)
  const own = known.flaws.filter(
    (f) => f.step === step || (step === 'surface' && !['feel', 'flesh', 'flex'].includes(f.step)),
  )
  if (flaw)
    return (
      <OneFlaw
        key={flaw.id}
        flaw={flaw}
        onChange={onChange}
        onClose={() => {
          onChoose(null)
        }}
      />
    )
  if (draft?.closed)
    return <NewFlaw draft={draft} step={step} onDraft={onDraft} onChange={onChange} />
  return (
    <div className="mt-3">
      {draft && (
        <p className="mb-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
          A ring was begun here and not closed.{' '}
          <button
            type="button"
            className="min-h-9 underline"
            onClick={() => {
              onDraft(draft.points.length > 2 ? { ...draft, closed: true } : null)
            }}
          >
            Close it
          </button>{' '}
          or{' '}
          <button
            type="button"
            className="min-h-9 underline"
            onClick={() => {
              onDraft(null)
            }}
          >
            leave it
          </button>
          .
        </p>
      )}
      <p className="text-ink-soft">
        Draw a ring round it on the hide
        {step === 'flesh' ? ', as you see it from the flesh side' : ''}. Press a ring to change it.
      </p>
      <ByKeys known={known} step={step} onDraft={onDraft} />
      <h3 className="mt-3 font-semibold">
        {own.length ? plural(own.length, 'flaw') : 'Nothing ringed yet'}
      </h3>
      <ul className="mt-1">
        {own.map((f) => (
          <li key={f.id}>
            <button
              type="button"
              className="flex min-h-11 w-full items-baseline gap-3 border-b border-docket-line text-left hover:bg-ink/8"
              onClick={() => {
                onChoose(f.id)
              }}
            >
              <span className="w-24 shrink-0 font-semibold">{f.severity_name}</span>
              <span className="truncate">
                {f.kind}
                {f.note && `: ${f.note}`}
              </span>
              {f.chalk && (
                <span className="ml-auto shrink-0 text-sm text-ink-soft">{f.chalk} chalk</span>
              )}
            </button>
          </li>
        ))}
      </ul>
    </div>
  )
}

function ByKeys({
  known,
  step,
  onDraft,
}: {
  known: Known
  step: StepName
  onDraft: (draft: DraftRing) => void
}) {
  const [open, setOpen] = useState(false)
  const [x, setX] = useState(known.bounds.x1 / 2)
  const [y, setY] = useState(known.bounds.y1 / 2)
  const [across, setAcross] = useState(40)
  if (!open)
    return (
      <button
        type="button"
        className="min-h-11 underline"
        onClick={() => {
          setOpen(true)
        }}
      >
        Ring it by figures
      </button>
    )
  return (
    <div className="mt-2 flex flex-wrap items-end gap-3">
      <LengthField label="From the left" mm={x} onChange={setX} width="w-20" />
      <LengthField label="Below the top" mm={y} onChange={setY} width="w-20" />
      <LengthField label="Across" mm={across} onChange={setAcross} width="w-16" />
      <Button
        onClick={() => {
          onDraft({ points: roundRing(x, y, across), step, closed: true })
        }}
      >
        Ring it
      </Button>
    </div>
  )
}

function NewFlaw({
  draft,
  step,
  onDraft,
  onChange,
}: {
  draft: DraftRing
  step: StepName
  onDraft: (draft: DraftRing | null) => void
  onChange: (change: Change, failed?: () => void) => void
}) {
  const [kind, setKind] = useState(
    step === 'flesh'
      ? 'flay cut'
      : step === 'flex'
        ? 'pipey grain'
        : step === 'feel'
          ? 'thin spot'
          : 'scratch',
  )
  const [severity, setSeverity] = useState('0')
  const [note, setNote] = useState('')
  return (
    <div className="mt-3 grid gap-3 border-l-4 border-brass bg-brass/10 p-3">
      <Choice
        label="What is it?"
        value={kind}
        options={FLAW_KINDS.map((k) => [k, k] as const)}
        onChange={setKind}
      />
      <Choice
        label="How bad is it?"
        value={severity}
        options={[
          ['0', 'as its kind and size suggest'],
          ...SEVERITIES.map(([n, words]) => [String(n), words] as const),
        ]}
        onChange={setSeverity}
      />
      <TextField label="Note" value={note} onChange={setNote} live />
      <div className="flex gap-2">
        <Button
          look="brass"
          className="min-h-12 flex-1"
          onClick={() => {
            onChange(
              {
                flaw: {
                  id: newId('f'),
                  kind,
                  severity: Number(severity),
                  outline: draft.points,
                  note,
                  photo: null,
                  step,
                  chalk: '',
                },
              },
              () => {
                onDraft(draft)
              },
            )
            onDraft(null)
          }}
        >
          Keep the ring
        </Button>
        <Button
          onClick={() => {
            onDraft(null)
          }}
        >
          Leave it
        </Button>
      </div>
    </div>
  )
}

function OneFlaw({
  flaw,
  onChange,
  onClose,
}: {
  flaw: Known['flaws'][number]
  onChange: (change: Change, failed?: () => void) => void
  onClose: () => void
}) {
  const send = useMutation({
    mutationFn: sendFile,
    onSuccess: (file) => {
      put({ photo: file.id })
    },
  })
  const put = (to: Partial<typeof flaw>) => {
    const { id, kind, severity, outline, note, photo = null, step, chalk } = { ...flaw, ...to }
    onChange({ flaw: { id, kind, severity, outline, note, photo, step, chalk } })
  }
  return (
    <div className="mt-3 grid gap-3 border-l-4 border-ink/50 bg-ink/5 p-3">
      <Choice
        label="What is it?"
        value={flaw.kind}
        options={FLAW_KINDS.map((k) => [k, k] as const)}
        onChange={(kind) => {
          put({ kind })
        }}
      />
      <Choice
        label="How bad is it?"
        value={String(flaw.severity)}
        options={SEVERITIES.map(([n, words]) => [String(n), words] as const)}
        onChange={(s) => {
          put({ severity: Number(s) })
        }}
      />
      {flaw.suggested !== flaw.severity && (
        <p className="text-sm">
          Suggested: severity {flaw.suggested}, since <Said words={flaw.why} />.{' '}
          <button
            type="button"
            className="min-h-9 underline"
            onClick={() => {
              put({ severity: flaw.suggested })
            }}
          >
            Take it
          </button>
        </p>
      )}
      <TextField
        label="Note"
        value={flaw.note}
        onChange={(note) => {
          put({ note })
        }}
      />
      {flaw.photo !== null && flaw.photo !== undefined && (
        <img
          src={`/api/ways-in/files/${flaw.photo}/picture`}
          alt={`The ${flaw.kind} near by`}
          className="max-h-40"
        />
      )}
      <Trouble error={send.error} onPaper />
      <div className="flex flex-wrap gap-2">
        <Button onClick={onClose}>Done with it</Button>
        <PickFile
          label="Picture of the flaw"
          onPick={(file) => {
            send.mutate(file)
          }}
          disabled={send.isPending}
        >
          {flaw.photo ? 'Another picture' : 'Add a picture'}
        </PickFile>
        <Button
          onClick={() => {
            onChange({ remove: { what: 'flaw', id: flaw.id } })
            onClose()
          }}
        >
          Take it out
        </Button>
      </div>
    </div>
  )
}
