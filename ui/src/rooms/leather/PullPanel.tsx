import { useState } from 'react'
import { Button, Said } from '../../parts/controls'
import { LengthField, NumberField } from '../../parts/fields'
import { plural, useUnits } from '../../parts/units'
import { newId, type Change, type Known } from './hide'

export interface DraftPull {
  x: number
  y: number
  along?: number
  across?: number
  between?: number | null
}
interface Shown {
  known: Known
  draft: DraftPull | null
  zone: number | null
  onZone: (tightness: number | null) => void
  onDraft: (draft: DraftPull | null) => void
  onChange: (change: Change, failed?: () => void) => void
}

const CLASSES = ['tight', 'firm', 'loose', 'slack'] as const

/** Pull tests: press a place, read how far the dots came apart; the map of tightness follows. */
export function PullPanel({ known, draft, zone, onZone, onDraft, onChange }: Shown) {
  const units = useUnits()
  const [tight, firm, loose] = known.limits
  return (
    <div className="mt-3">
      {draft ? (
        <NewPull draft={draft} onDraft={onDraft} onChange={onChange} />
      ) : (
        <p className="text-ink-soft">
          Press where you pull.{' '}
          <button
            type="button"
            className="min-h-9 underline"
            onClick={() => {
              onDraft({ x: known.bounds.x1 / 2, y: known.bounds.y1 / 2 })
            }}
          >
            Or by figures.
          </button>{' '}
          Up to {tight} mm is tight, {firm} firm, {loose} loose, more slack.
        </p>
      )}
      {!draft && (
        <div className="mt-2" role="group" aria-label="Draw tightness by hand">
          <p className="text-[13px] text-ink-soft">Or draw it, where your hands know already:</p>
          <div className="mt-1 grid grid-cols-4 gap-1">
            {CLASSES.map((name, i) => (
              <Button
                key={name}
                className="px-1"
                look={zone === i + 1 ? 'stop' : 'paper'}
                aria-pressed={zone === i + 1}
                onClick={() => {
                  onZone(zone === i + 1 ? null : i + 1)
                }}
              >
                {name}
              </Button>
            ))}
          </div>
          {zone !== null && (
            <p role="status" className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
              Draw round the {CLASSES[zone - 1]} leather on the hide.
            </p>
          )}
        </div>
      )}
      <h3 className="mt-3 font-semibold">
        {known.pulls.length
          ? plural(known.pulls.length, 'pull test')
          : 'No pull test yet: what is drawn is the usual map'}
      </h3>
      <ul className="mt-1">
        {known.pulls.map((p) => (
          <li key={p.id} className="border-b border-docket-line py-1">
            <div className="flex items-baseline gap-3">
              <span className="figure w-16 text-lg font-bold">{p.tightness_name}</span>
              <span className="whitespace-nowrap">
                {p.along_mm} along, {p.across_mm} across
              </span>
              <span className="text-sm whitespace-nowrap text-ink-soft">
                at {units.length(p.x)}
              </span>
              <button
                type="button"
                className="ml-auto min-h-9 underline"
                aria-label={`Take out the pull test at ${units.length(p.x)}`}
                onClick={() => {
                  onChange({ remove: { what: 'pull', id: p.id } })
                }}
              >
                out
              </button>
            </div>
            {p.doubt && (
              <p className="my-1 border-l-4 border-unsound bg-unsound/10 px-3 py-1 text-sm">
                <Said words={p.doubt} />{' '}
                <button
                  type="button"
                  className="min-h-9 underline"
                  onClick={() => {
                    const { id, x, y, along_mm, across_mm, deg, between_mm = null } = p
                    onChange({
                      pull: { id, x, y, along_mm, across_mm, deg, between_mm, sure: true },
                    })
                  }}
                >
                  It stands
                </button>
              </p>
            )}
          </li>
        ))}
      </ul>
    </div>
  )
}

function NewPull({
  draft,
  onDraft,
  onChange,
}: {
  draft: DraftPull
  onDraft: (draft: DraftPull | null) => void
  onChange: (change: Change, failed?: () => void) => void
}) {
  const [third, setThird] = useState(typeof draft.between === 'number')
  const { x, y, along, across, between = null } = draft
  const whole = along !== undefined && across !== undefined && !(third && between === null)
  const keep = () => {
    if (!whole) return
    onChange(
      {
        pull: {
          id: newId('p'),
          x,
          y,
          along_mm: along,
          across_mm: across,
          deg: 0,
          between_mm: third ? between : null,
          sure: false,
        },
      },
      () => {
        onDraft(draft)
      },
    )
    onDraft(null)
  }
  return (
    <form
      className="grid gap-3 border-l-4 border-brass bg-brass/10 p-3"
      onSubmit={(e) => {
        e.preventDefault()
        keep()
      }}
    >
      <p>How much farther apart did the two dots come, of 100 mm?</p>
      <div className="flex flex-wrap gap-3">
        <NumberField
          label="Along the backbone"
          after="mm"
          least={0}
          most={40}
          width="w-20"
          value={draft.along}
          live
          focus
          onChange={(along) => {
            onDraft({ ...draft, along })
          }}
        />
        <NumberField
          label="Across it"
          after="mm"
          least={0}
          most={40}
          width="w-20"
          value={draft.across}
          live
          onChange={(across) => {
            onDraft({ ...draft, across })
          }}
        />
        {third && (
          <NumberField
            label="Half way between"
            after="mm"
            least={0}
            most={40}
            width="w-20"
            value={draft.between ?? undefined}
            live
            onChange={(between) => {
              onDraft({ ...draft, between })
            }}
          />
        )}
        <LengthField
          label="From the left"
          mm={Math.round(draft.x)}
          width="w-20"
          onChange={(x) => {
            onDraft({ ...draft, x })
          }}
        />
        <LengthField
          label="Below the top"
          mm={Math.round(draft.y)}
          width="w-20"
          onChange={(y) => {
            onDraft({ ...draft, y })
          }}
        />
      </div>
      {!third && (
        <button
          type="button"
          className="min-h-9 text-left underline"
          onClick={() => {
            setThird(true)
          }}
        >
          A third reading half way between tells the line of least stretch at any angle
        </button>
      )}
      <div className="flex gap-2">
        <Button look="brass" className="min-h-12 flex-1" type="submit" disabled={!whole}>
          Keep the test
        </Button>
        <Button
          onClick={() => {
            onDraft(null)
          }}
        >
          Leave it
        </Button>
      </div>
    </form>
  )
}
