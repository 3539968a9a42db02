import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, readFrom, server, told } from '../../api/client'
import { Button, Said, Trouble } from '../../parts/controls'
import { NumberField } from '../../parts/fields'
import { afterJob } from '../../parts/job'
import { PickFile } from '../../parts/PickFile'
import { sendFile } from '../patterns/files'

const CHECK_TABLE = 'the check page'
const share = (off: number) => `${off > 0 ? '+' : ''}${(100 * off).toFixed(2)} %`

/**
 * A page of known size photographed on the table: how far off camera and sheets measure, kept with
 * its date.
 */
export function CheckCamera({ bar }: { bar: number }) {
  const queries = useQueryClient()
  const before = server.useQuery('get', '/api/leather/camera-checks')
  const camera = server.useQuery('get', '/api/leather/camera')
  const [wide, setWide] = useState(160)
  const [high, setHigh] = useState(220)
  const check = useMutation({
    mutationFn: async (chosen: File | null) => {
      const file = chosen
        ? await sendFile(chosen)
        : await told(api.POST('/api/leather/camera', { body: { table: CHECK_TABLE, shot: 0 } }))
      return afterJob(
        told(
          api.POST('/api/leather/camera-checks', {
            body: {
              file: file.id,
              bar_mm: bar,
              wide_mm: wide,
              high_mm: high,
              camera: chosen ? '' : (camera.data?.camera ?? ''),
            },
          }),
        ),
        (job_id) =>
          told(api.GET('/api/leather/camera-checks/{job_id}', { params: { path: { job_id } } })),
      )
    },
    onSuccess: () => queries.invalidateQueries(readFrom('/api/leather/camera-checks')),
  })
  return (
    <section className="docket torn px-6 pt-4 pb-5" aria-label="Check the camera">
      <h2 className="font-stamp text-xl font-bold">Check the camera</h2>
      <p className="mt-1">
        Print the{' '}
        <a className="underline" href="/api/leather/check-page.pdf">
          check page
        </a>
        , measure its block with a steel rule, lay it flat where a hide would lie, and photograph
        the table with its markers.
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <NumberField
          label="Across"
          after="mm"
          least={100}
          most={300}
          value={wide}
          onChange={setWide}
        />
        <NumberField
          label="Down"
          after="mm"
          least={100}
          most={400}
          value={high}
          onChange={setHigh}
        />
        <PickFile
          label="Picture of the check page"
          className="min-h-11"
          disabled={check.isPending}
          onPick={(file) => {
            check.mutate(file)
          }}
        >
          {check.isPending ? 'Measuring it …' : 'Bring in its picture'}
        </PickFile>
        {camera.data && CHECK_TABLE in camera.data.tables && (
          <Button
            className="min-h-11"
            disabled={check.isPending}
            onClick={() => {
              check.mutate(null)
            }}
          >
            Take one
          </Button>
        )}
      </div>
      {check.data && (
        <p role="status" className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
          {check.data.wide_mm.toFixed(2)} × {check.data.high_mm.toFixed(2)} mm measured,{' '}
          {share(check.data.off_share)}. <Said words={check.data.words} />.
        </p>
      )}
      {(before.data ?? []).length > 0 && (
        <ul className="mt-2 text-sm text-ink-soft">
          {(before.data ?? []).slice(0, 4).map((c) => (
            <li key={c.checked_at}>
              {new Date(`${c.checked_at}Z`).toLocaleDateString()}: {share(c.off_share)}
              {c.camera && `, ${c.camera} camera`}
            </li>
          ))}
        </ul>
      )}
      <Trouble error={check.error ?? before.error} onPaper />
    </section>
  )
}
