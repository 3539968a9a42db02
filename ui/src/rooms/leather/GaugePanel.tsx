import { useMutation } from '@tanstack/react-query'
import { api, told } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { LengthField, ThicknessField } from '../../parts/fields'
import { plural, useUnits } from '../../parts/units'
import { newId, type Change, type Known } from './hide'

export interface DraftReading {
  x: number
  y: number
  mm?: number
}
interface Shown {
  known: Known
  draft: DraftReading | null
  onDraft: (draft: DraftReading | null) => void
  onChange: (change: Change, failed?: () => void) => void
}

/** Thickness: press a place, type it or read the gauge; lines of equal thickness follow. */
export function GaugePanel({ known, draft, onDraft, onChange }: Shown) {
  const units = useUnits()
  const read = useMutation({
    mutationFn: (at: DraftReading) =>
      told(
        api.POST('/api/leather/hides/{hide_id}/gauge', {
          params: { path: { hide_id: known.rack.id } },
          body: { x: at.x, y: at.y },
        }),
      ),
    onSuccess: (found, at) => {
      onDraft({ ...at, mm: found.mm })
    },
  })
  const keep = (own: DraftReading) => {
    if (own.mm === undefined) return
    onChange({ reading: { id: newId('r'), x: own.x, y: own.y, mm: own.mm, sure: false } }, () => {
      onDraft(own)
    })
    onDraft(null)
  }
  const mm = known.readings.map((r) => r.mm)
  return (
    <div className="mt-3">
      {draft ? (
        <form
          className="grid gap-3 border-l-4 border-brass bg-brass/10 p-3"
          onSubmit={(e) => {
            e.preventDefault()
            keep(draft)
          }}
        >
          <div className="flex flex-wrap items-end gap-3">
            <ThicknessField
              label="Thickness"
              mm={draft.mm}
              live
              focus
              onChange={(mm) => {
                onDraft({ ...draft, mm })
              }}
            />
            <Button
              onClick={() => {
                read.mutate(draft)
              }}
              disabled={read.isPending}
            >
              Read the gauge
            </Button>
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
          <p className="text-sm text-ink-soft">The gauge here is a simulated one.</p>
          <Trouble error={read.error} onPaper />
          <div className="flex gap-2">
            <Button
              look="brass"
              className="min-h-12 flex-1"
              type="submit"
              disabled={draft.mm === undefined}
            >
              Keep the reading
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
      ) : (
        <p className="text-ink-soft">
          Press where the gauge closes.{' '}
          <button
            type="button"
            className="min-h-9 underline"
            onClick={() => {
              onDraft({ x: known.bounds.x1 / 2, y: known.bounds.y1 / 2 })
            }}
          >
            Or by figures.
          </button>
        </p>
      )}
      <h3 className="mt-3 font-semibold">
        {mm.length
          ? `${plural(mm.length, 'reading')}, ${units.thickness(Math.min(...mm))} to ${units.thickness(Math.max(...mm))}`
          : `No reading yet: bought as ${units.thickness(known.rack.thickness_mm)}`}
      </h3>
      <ul className="mt-1">
        {known.readings.map((r) => (
          <li key={r.id} className="border-b border-docket-line py-1">
            <div className="flex items-baseline gap-3">
              <span className="figure w-20 text-lg font-bold">
                {units.system === 'metric' ? `${r.mm.toFixed(2)} mm` : units.thickness(r.mm)}
              </span>
              <span className="text-sm text-ink-soft">
                {units.length(r.x)} from the left, {units.length(r.y)} down
              </span>
              <button
                type="button"
                className="ml-auto min-h-9 underline"
                aria-label={`Take out the reading of ${r.mm.toFixed(2)} mm`}
                onClick={() => {
                  onChange({ remove: { what: 'reading', id: r.id } })
                }}
              >
                out
              </button>
            </div>
            {r.doubt && (
              <p className="my-1 border-l-4 border-unsound bg-unsound/10 px-3 py-1 text-sm">
                {r.doubt}{' '}
                <button
                  type="button"
                  className="min-h-9 underline"
                  onClick={() => {
                    const { id, x, y, mm: thick } = r
                    onChange({ reading: { id, x, y, mm: thick, sure: true } })
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
