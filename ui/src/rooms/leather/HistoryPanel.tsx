import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, told } from '../../api/client'
import { pathOf } from '../../hide/paths'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { LengthField, TextField, Tick } from '../../parts/fields'
import { dayOf } from '../../parts/units'
import type { Change, Known } from './hide'

/** What was done with a hide, newest first, and what it was before it was cut; a straight cut made here. */
export function HistoryPanel({ id, known, onChange }: { id: number; known: Known; onChange: (change: Change) => void }) {
  const events = useQuery({ queryKey: ['hide', id, 'history', known.version], queryFn: () => told(api.GET('/api/leather/hides/{hide_id}/history', { params: { path: { hide_id: id } } })) })
  const [at, setAt] = useState(Math.round(known.bounds.x1 - 300))
  const [why, setWhy] = useState('')
  const [racked, setRacked] = useState(known.rack.kind !== 'roll')
  const was = events.data?.find((e) => e.kind === 'cut' && e.outline)?.outline
  return (
    <div>
      <h2 className="font-stamp text-xl font-bold">What was done with it</h2>
      {was && (
        <figure className="mt-2">
          <svg viewBox={`-20 -20 ${Math.max(...was.map((p) => p[0] ?? 0)) + 40} ${Math.max(...was.map((p) => p[1] ?? 0)) + 40}`} className="h-40 w-full" aria-label="What it was, and what is left">
            <path d={pathOf([was])} fill="none" stroke="#5b5044" strokeWidth={8} strokeDasharray="26 16" />
            <path d={pathOf([known.outline])} fill="#8a5a35" fillOpacity={0.6} stroke="#211c17" strokeWidth={6} />
          </svg>
          <figcaption className="text-sm text-ink-soft">Broken line: before it was last cut. Filled: what is left.</figcaption>
        </figure>
      )}
      <details className="mt-2 border border-docket-line px-3">
        <summary className="min-h-11 cursor-pointer content-center">Cut an end off straight</summary>
        <div className="grid gap-3 pb-3">
          <LengthField label="Cut across at, from the left" mm={at} onChange={setAt} />
          <TextField label="For" value={why} onChange={setWhy} live />
          {known.rack.kind !== 'roll' && <Tick label="hang what comes off on the rack, as an offcut" checked={racked} onChange={setRacked} />}
          <Button onClick={() => { onChange({ cut: { line: [[at, -100], [at, known.bounds.y1 + 100]], words: why ? `cut for ${why}` : 'cut across', rack_off: racked } }) }}>Cut it; keep the larger part</Button>
        </div>
      </details>
      {events.isPending ? <Waiting what="its history" /> : <Trouble error={events.error} onPaper />}
      <ol className="mt-3">
        {events.data?.map((e, i) => (
          <li key={i} className="flex items-baseline gap-3 border-b border-docket-line py-1.5">
            <span className="w-28 shrink-0 text-sm text-ink-soft">{dayOf(`${e.created_at}Z`)}</span>
            <span>{e.words}</span>
          </li>
        ))}
      </ol>
    </div>
  )
}
