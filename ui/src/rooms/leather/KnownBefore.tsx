import type { Schemas } from '../../api/client'
import { Trouble, Said } from '../../parts/controls'
import { Tick } from '../../parts/fields'
import { plural } from '../../parts/units'
import type { Known } from './hide'

/**
 * What was known of a hide that is measured again: whether it fits the new outline, and the choice
 * to keep it.
 */
export function KnownBefore({
  known,
  again,
  keeps,
  error,
  onKeep,
}: {
  known: Known
  again: Schemas['KnownAgain'] | undefined
  keeps: boolean
  error: Error | null
  onKeep: (keep: boolean) => void
}) {
  const all = again?.fits
    ? again
    : { flaws: known.flaws, pulls: known.pulls.length, readings: known.readings.length }
  const what = [
    [all.flaws.length, 'flaw'],
    [all.pulls, 'pull test'],
    [all.readings, 'reading'],
  ] as const
  const words =
    what
      .filter(([n]) => n > 0)
      .map(([n, name]) => plural(n, name))
      .join(', ') || 'nothing that lies on it still'
  return (
    <div className="mt-2 border-t border-docket-line pt-2">
      <h2 className="font-semibold">Known before: {words}</h2>
      {again === undefined && error === null && (
        <p role="status" className="text-ink-soft">
          Seeing where it lies on the new outline …
        </p>
      )}
      <Trouble error={error} onPaper />
      {again?.fits === false && (
        <p className="border-l-4 border-brass bg-brass/15 px-3 py-2">
          It cannot be kept: <Said words={again.words} />
        </p>
      )}
      {again?.fits && (
        <>
          <p className="text-sm text-ink-soft">
            <Said words={again.words} />
          </p>
          <Tick label="keep it, where the broken rings show" checked={keeps} onChange={onKeep} />
        </>
      )}
    </div>
  )
}
