import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Trouble } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { NumberField } from '../../parts/fields'
import { plural } from '../../parts/units'

/** The copies that are made by themselves, how long what is kept, and the way out with everything. */
export function Copies() {
  const copies = server.useQuery('get', '/api/copies', {}).data
  if (!copies) return null
  return (
    <section className="docket torn px-6 pt-5 pb-6" aria-label="Copies">
      <h2 className="font-stamp text-xl font-bold">Copies of everything</h2>
      {copies.newest ? (
        <p className={copies.too_old ? 'border-l-4 border-unsound bg-unsound/10 px-3 py-2' : ''}>
          The last good one is {age(copies.newest)} old
          {copies.too_old && ': copies are made every day, and are not made any more'}.{' '}
          {plural(copies.count, 'copy', 'copies')}, {(copies.bytes / 1e6).toFixed(1)} MB.
        </p>
      ) : (
        <p>
          None was made yet; the first is made ten minutes after Fair Lay starts, then one a day.
        </p>
      )}
      {copies.folder && (
        <p className="mt-1 text-sm break-all text-ink-soft">
          In {copies.folder}. Keep some on another machine too.
        </p>
      )}
      <Keeping />
      <h3 className="mt-5 font-semibold">Take the workshop elsewhere</h3>
      <p className="text-sm text-ink-soft">
        Patterns, leather, batches, lays and pictures in open formats, to be read by others or
        brought in by <code>fairlay import</code>. Passwords, PINs and tied tablets stay here.
      </p>
      <a className={`${likeAButton()} mt-2 font-semibold`} href="/api/workshop.zip" download>
        Take it out as one archive
      </a>
    </section>
  )
}

const HOUR_MS = 3_600_000
const age = (made: string) => {
  const hours = (Date.now() - new Date(`${made}Z`).getTime()) / HOUR_MS
  return hours < 48
    ? plural(Math.max(0, Math.round(hours)), 'hour')
    : plural(Math.round(hours / 24), 'day')
}

type Rule = Schemas['KeepingIO']

const COPIES: readonly (readonly [Exclude<keyof Rule, 'files_days'>, string, number])[] = [
  ['days', 'Days', 1],
  ['weeks', 'Weeks', 0],
  ['months', 'Months', 0],
]

function Keeping() {
  const queries = useQueryClient()
  const rule = server.useQuery('get', '/api/keeping', {}).data
  const keep = useMutation({
    mutationFn: (body: Rule) => told(api.PUT('/api/keeping', { body })),
    onSettled: () => queries.invalidateQueries(readFrom('/api/keeping')),
  })
  if (!rule) return null
  return (
    <div className="mt-4">
      <h3 className="font-semibold">What is kept</h3>
      <p className="text-sm text-ink-soft">The newest copy of each of so many</p>
      <div className="flex flex-wrap gap-3">
        {COPIES.map(([part, label, least]) => (
          <NumberField
            key={part}
            label={label}
            value={rule[part]}
            least={least}
            most={400}
            onChange={(n) => {
              keep.mutate({ ...rule, [part]: Math.round(n) })
            }}
          />
        ))}
      </div>
      <NumberField
        label="Files and pictures that nothing refers to, days (0: for ever)"
        value={rule.files_days}
        least={0}
        most={3650}
        className="mt-2"
        onChange={(days) => {
          keep.mutate({ ...rule, files_days: Math.round(days) })
        }}
      />
      <Trouble error={keep.error} onPaper />
    </div>
  )
}
