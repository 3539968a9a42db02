import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, readFrom, told, type Schemas } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { isLive, useFollowedJob } from '../../parts/job'
import { plural } from '../../parts/units'
import type { Known } from './hide'

export type Press = Schemas['PressRecord']
export type Means = Press['means']

export const SAYS: [Means, string][] = [
  ['hide', 'Hide here'],
  ['table', 'Table here'],
  ['chalk', 'This is chalk'],
  ['stain', 'This is a stain'],
]

/** Has a hide's pictures read again with what somebody said of places in them. */
export function useSaying(known: Known, files: number[], bar_mm: number) {
  const id = known.rack.id
  const queries = useQueryClient()
  const again = () => queries.invalidateQueries(readFrom('/api/leather/hides/{hide_id}'))
  const look = useMutation({
    mutationFn: (presses: Press[]) =>
      told(
        api.POST('/api/leather/hides/{hide_id}/pictures', {
          params: { path: { hide_id: id } },
          body: { files, bar_mm, presses },
        }),
      ),
    onSuccess: again,
  })
  const job = useFollowedJob(known.pictures?.job, (news) => {
    if (!isLive(news)) void again()
  })
  return {
    look,
    reading: look.isPending || isLive(job),
    failed: job?.state === 'failed' ? job.error : '',
  }
}

/** Where a picture is doubtful: what is pressed next, and what was said so far. */
export function SayWhat({
  saying,
  onSay,
  said,
  reading,
  failed,
  error,
  onForget,
}: {
  saying: Means | null
  onSay: (means: Means | null) => void
  said: Press[]
  reading: boolean
  failed: string
  error: Error | null
  onForget: () => void
}) {
  return (
    <div className="mt-3 border-t border-docket-line pt-2">
      <p className="text-sm text-ink-soft">
        Something was taken wrongly? Say what it is, and press it in the picture; it is read again.
      </p>
      <div className="mt-1 grid grid-cols-2 gap-2">
        {SAYS.map(([means, words]) => (
          <Button
            key={means}
            look={saying === means ? 'stop' : 'paper'}
            aria-pressed={saying === means}
            disabled={reading}
            onClick={() => {
              onSay(saying === means ? null : means)
            }}
          >
            {words}
          </Button>
        ))}
      </div>
      {(reading || saying) && (
        <p role="status" className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
          {reading ? 'Reading the pictures again …' : 'Press the place in the picture.'}
        </p>
      )}
      {said.length > 0 && !reading && (
        <p className="mt-1 text-sm">
          {plural(said.length, 'place')} said.{' '}
          <button type="button" className="min-h-9 underline" onClick={onForget}>
            Read it without them
          </button>
        </p>
      )}
      <Trouble error={error ?? (failed ? new Error(failed) : null)} onPaper />
    </div>
  )
}
