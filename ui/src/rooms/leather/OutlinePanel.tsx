import type { OutlineTool } from './hideTools'
import { useState } from 'react'
import { Link } from 'react-router'
import { Button } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { LengthField } from '../../parts/fields'
import type { At, Change, Known } from './hide'

export interface Ends {
  tail?: At
  neck?: At
}
const TOOLS: [OutlineTool, string, string][] = [
  ['ends', 'Set backbone and ends', ''],
  ['add', 'Paint leather on', 'Draw along the edge that was missed.'],
  ['off', 'Paint it off', 'Draw over what is no leather.'],
  ['cut', 'Cut along a line', 'Draw from edge to edge; the larger part stays.'],
]

/**
 * Where the backbone runs, and the outline mended: the map of tightness is laid between tail and
 * neck.
 */
export function OutlinePanel({
  known,
  tool,
  ends,
  brush,
  onBrush,
  onTool,
  onChange,
}: {
  known: Known
  tool: OutlineTool | null
  ends: Ends
  brush: number
  onBrush: (mm: number) => void
  onTool: (tool: OutlineTool) => void
  onChange: (change: Change) => void
}) {
  const said =
    tool === 'ends'
      ? ends.tail
        ? 'Now press the backbone at the neck.'
        : 'Press the backbone at the tail.'
      : TOOLS.find(([t]) => t === tool)?.[2]
  return (
    <div className="mt-3 grid gap-2">
      <Link
        className={likeAButton(known.rack.measured ? 'paper' : 'brass')}
        to={`/leather/${known.rack.id}/measure`}
      >
        {known.rack.measured ? 'Measure it again' : 'Measure it: picture, drawing or rule'}
      </Link>
      <div className="grid grid-cols-2 gap-2">
        {TOOLS.map(([t, words]) => (
          <Button
            key={t}
            look={tool === t ? 'stop' : 'paper'}
            aria-pressed={tool === t}
            onClick={() => {
              onTool(t)
            }}
          >
            {words}
          </Button>
        ))}
      </div>
      {tool && (
        <p role="status" className="border-l-4 border-brass bg-brass/15 px-3 py-2">
          {said}
        </p>
      )}
      {(tool === 'add' || tool === 'off') && (
        <LengthField label="Brush" mm={brush} onChange={onBrush} />
      )}
      <EndsByFigures known={known} onChange={onChange} />
    </div>
  )
}

function EndsByFigures({ known, onChange }: { known: Known; onChange: (change: Change) => void }) {
  const [open, setOpen] = useState(false)
  const [tail, setTail] = useState<At>([0, 0])
  const [neck, setNeck] = useState<At>([known.bounds.x1, 0])
  if (!open)
    return (
      <button
        type="button"
        className="min-h-11 text-left underline"
        onClick={() => {
          setOpen(true)
        }}
      >
        Set the ends by figures, or turn it end for end
      </button>
    )
  return (
    <div className="flex flex-wrap items-end gap-3 border-l-4 border-ink/40 pl-3">
      <LengthField
        label="Tail, from the left"
        mm={tail[0]}
        width="w-20"
        onChange={(x) => {
          setTail([x, tail[1]])
        }}
      />
      <LengthField
        label="below the top"
        mm={tail[1]}
        width="w-20"
        onChange={(y) => {
          setTail([tail[0], y])
        }}
      />
      <LengthField
        label="Neck, from the left"
        mm={neck[0]}
        width="w-20"
        onChange={(x) => {
          setNeck([x, neck[1]])
        }}
      />
      <LengthField
        label="below the top"
        mm={neck[1]}
        width="w-20"
        onChange={(y) => {
          setNeck([neck[0], y])
        }}
      />
      <Button
        onClick={() => {
          onChange({ ends: { tail_x: tail[0], tail_y: tail[1], neck_x: neck[0], neck_y: neck[1] } })
        }}
      >
        Set them
      </Button>
      <Button
        onClick={() => {
          onChange({ ends: { tail_x: neck[0], tail_y: neck[1], neck_x: tail[0], neck_y: tail[1] } })
        }}
      >
        Tail is at the other end
      </Button>
    </div>
  )
}
