import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { server } from '../../api/client'
import { Button, Trouble, Said } from '../../parts/controls'
import { Choice, LengthField, Tick } from '../../parts/fields'
import type { View } from './article'

/** Sheets at true size, and the check of the printer by the bar on them. */
export function PrintDialog({ id, view }: { id: number; view: View }) {
  const [paper, setPaper] = useState('A4')
  const [flesh, setFlesh] = useState(false)
  const [pieces, setPieces] = useState<string[]>([])
  const all = view.article.pieces
  const query = new URLSearchParams([
    ['kind', 'pdf'],
    ['revision', String(view.number)],
    ['paper', paper],
    ...(flesh ? [['flesh', 'true']] : []),
    ...pieces.map((p) => ['piece', p]),
  ])
  return (
    <Dialog.Root>
      <Dialog.Trigger asChild>
        <Button disabled={all.length === 0}>Print</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/50" />
        <Dialog.Content
          className="docket torn [--head:22px] fixed top-1/2 left-1/2 z-30 max-h-[92vh] w-[620px] max-w-[94vw] -translate-1/2 overflow-auto p-6 shadow-xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-stamp text-2xl font-bold">Print at true size</Dialog.Title>
          <div className="mt-3 grid grid-cols-2 gap-4">
            <Choice
              label="Paper"
              value={paper}
              options={[
                ['A4', 'A4'],
                ['A3', 'A3'],
                ['Letter', 'Letter'],
              ]}
              onChange={setPaper}
            />
            <Tick
              label="as it lies on the flesh side (mirrored)"
              checked={flesh}
              onChange={setFlesh}
            />
          </div>
          <fieldset className="mt-3">
            <legend className="text-[13px] text-ink-soft">
              Which pieces (none ticked: all of them)
            </legend>
            <div className="grid grid-cols-2">
              {all.map((p) => (
                <Tick
                  key={p.slug}
                  label={p.name}
                  checked={pieces.includes(p.slug)}
                  onChange={(on) => {
                    setPieces(on ? [...pieces, p.slug] : pieces.filter((s) => s !== p.slug))
                  }}
                />
              ))}
            </div>
          </fieldset>
          <p className="mt-3 text-sm">
            Print at 100 %, “actual size”, never “fit to page”. Tape the sheets together where the
            broken lines and ticks meet.
          </p>
          <a
            className="mt-3 inline-flex min-h-14 items-center rounded-sm bg-brass px-6 text-lg font-semibold"
            href={`/api/patterns/${id}/file?${query.toString()}`}
            download
          >
            Make the sheets (PDF)
          </a>
          <BarCheck />
          <div className="mt-4 flex justify-end">
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

/** What the printed bar measures, and what that says of the printer. */
export function BarCheck() {
  const [measured, setMeasured] = useState<number | null>(null)
  const found = server.useQuery(
    'get',
    '/api/ways-in/scale',
    { params: { query: { measured_mm: measured ?? 100 } } },
    { enabled: measured !== null, retry: false },
  )
  return (
    <section className="mt-5 border-t border-docket-line pt-3" aria-label="Check the scale">
      <h3 className="font-stamp text-lg font-bold">Before anything is cut: measure the bar</h3>
      <div className="mt-1 flex items-start gap-5">
        <LengthField label="The 100 mm bar measures" mm={measured ?? 100} onChange={setMeasured} />
        <div className="min-h-14 flex-1 pt-4" role="status">
          {found.data && (
            <p
              className={
                found.data.right ? 'font-semibold text-sound' : 'font-semibold text-unsound'
              }
            >
              {found.data.right ? '✓ ' : '✗ '}
              <Said words={found.data.says} />
            </p>
          )}
          <Trouble error={found.error} onPaper />
        </div>
      </div>
    </section>
  )
}
