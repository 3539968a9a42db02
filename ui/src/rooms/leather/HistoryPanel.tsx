import { useState } from 'react'
import { Link } from 'react-router'
import { server } from '../../api/client'
import { pathOf } from '../../hide/paths'
import { Button, Trouble, Waiting, Said } from '../../parts/controls'
import { LengthField, TextField, Tick } from '../../parts/fields'
import { dayOf } from '../../parts/units'
import type { Change, Known } from './hide'

const FILES = [
  ['svg', 'SVG'],
  ['dxf', 'DXF'],
  ['json', 'JSON'],
] as const

/**
 * What was done with a hide, newest first, and what it was before it was cut; a straight cut made
 * here.
 */
export function HistoryPanel({
  id,
  known,
  cutAt,
  onCutAt,
  onChange,
}: {
  id: number
  known: Known
  cutAt: number | null
  onCutAt: (mm: number | null) => void
  onChange: (change: Change) => void
}) {
  const events = server.useQuery('get', '/api/leather/hides/{hide_id}/history', {
    params: { path: { hide_id: id } },
  })
  const [why, setWhy] = useState('')
  const [racked, setRacked] = useState(known.rack.kind !== 'roll')
  const was = events.data?.find((e) => e.kind === 'cut' && e.outline)?.outline
  return (
    <div>
      <h2 className="font-stamp text-xl font-bold">What was done with it</h2>
      {was && (
        <figure className="mt-2">
          <svg
            viewBox={`-20 -20 ${Math.max(...was.map((p) => p[0] ?? 0)) + 40} ${Math.max(...was.map((p) => p[1] ?? 0)) + 40}`}
            className="h-40 w-full"
            aria-label="What it was, and what is left"
          >
            <path
              d={pathOf([was])}
              fill="none"
              stroke="#5b5044"
              strokeWidth={8}
              strokeDasharray="26 16"
            />
            <path
              d={pathOf([known.outline])}
              fill="#8a5a35"
              fillOpacity={0.6}
              stroke="#211c17"
              strokeWidth={6}
            />
          </svg>
          <figcaption className="text-sm text-ink-soft">
            Broken line: before it was last cut. Filled: what is left.
          </figcaption>
        </figure>
      )}
      {cutAt === null ? (
        <Button
          className="mt-2 w-full"
          onClick={() => {
            onCutAt(Math.max(0, Math.round(known.bounds.x1 - 300)))
          }}
        >
          Cut an end off straight
        </Button>
      ) : (
        <div className="mt-2 grid gap-3 border-l-4 border-brass bg-brass/10 p-3">
          <p>Press the hide where the cut goes, or say how far along.</p>
          <LengthField label="Cut across at, from the left" mm={cutAt} onChange={onCutAt} />
          <TextField label="For" value={why} onChange={setWhy} live />
          {known.rack.kind !== 'roll' && (
            <Tick
              label="hang what comes off on the rack, as an offcut"
              checked={racked}
              onChange={setRacked}
            />
          )}
          <div className="flex gap-2">
            <Button
              look="brass"
              className="min-h-12 flex-1"
              onClick={() => {
                onCutAt(null)
                onChange({
                  cut: {
                    line: [
                      [cutAt, -100],
                      [cutAt, known.bounds.y1 + 100],
                    ],
                    words: why ? `cut for ${why}` : 'cut across',
                    rack_off: racked,
                    scrap: [],
                  },
                })
              }}
            >
              Cut it; the larger part stays
            </Button>
            <Button
              className="min-h-12"
              onClick={() => {
                onCutAt(null)
              }}
            >
              Leave it
            </Button>
          </div>
        </div>
      )}
      <p className="mt-3 text-[15px]">
        Take it elsewhere, at true size:{' '}
        {FILES.map(([kind, words], i) => (
          <span key={kind}>
            {i > 0 && ', '}
            <a
              className="inline-block min-h-9 content-center underline"
              href={`/api/leather/hides/${id}/hide.${kind}`}
            >
              {words}
            </a>
          </span>
        ))}
        .
      </p>
      {events.isPending ? <Waiting what="its history" /> : <Trouble error={events.error} onPaper />}
      <ol className="mt-3">
        {events.data?.map((e, i) => (
          <li key={i} className="flex items-baseline gap-3 border-b border-docket-line py-1.5">
            <span className="w-28 shrink-0 text-sm text-ink-soft">{dayOf(e.created_at)}</span>
            <span>
              <Said words={e.words} />
              {e.by && <span className="text-ink-soft">, {e.by}</span>}
              {e.made.map((made) => (
                <span key={made}>
                  {' '}
                  <Link className="underline" to={`/leather/${made}`}>
                    see it
                  </Link>
                </span>
              ))}
            </span>
          </li>
        ))}
      </ol>
    </div>
  )
}
