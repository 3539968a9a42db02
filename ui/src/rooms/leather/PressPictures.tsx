import { useState } from 'react'
import { Button } from '../../parts/controls'
import type { Press } from './SayWhat'

const COLOURS = { hide: '#ffd76a', table: '#8fd0c8', chalk: '#fffdf6', stain: '#ffb4a6' } as const

/**
 * A picture in which no hide was found: one press on the hide and one on the table are enough to
 * read it again.
 */
export function PressPictures({
  files,
  said,
  onSaid,
}: {
  files: number[]
  said: Press[]
  onSaid: (presses: Press[]) => void
}) {
  const [means, setMeans] = useState<'hide' | 'table'>('hide')
  return (
    <div className="mt-2">
      <p>Press once on the hide and once on the table; then have it read again.</p>
      <div className="mt-1 flex gap-2">
        {(['hide', 'table'] as const).map((m) => (
          <Button
            key={m}
            look={means === m ? 'stop' : 'paper'}
            aria-pressed={means === m}
            onClick={() => {
              setMeans(m)
            }}
          >
            {m === 'hide' ? 'This is hide' : 'This is table'}
          </Button>
        ))}
        {said.length > 0 && (
          <Button
            onClick={() => {
              onSaid([])
            }}
          >
            Begin again
          </Button>
        )}
      </div>
      {files.map((file, picture) => (
        <div key={file} className="relative mt-2">
          <img
            src={`/api/ways-in/files/${file}/picture`}
            alt={`Picture ${picture + 1}, to press on`}
            className="w-full cursor-crosshair"
            onClick={(e) => {
              const box = e.currentTarget.getBoundingClientRect()
              const x = (e.clientX - box.left) / box.width
              const y = (e.clientY - box.top) / box.height
              onSaid([...said, { x, y, means, picture }])
              if (means === 'hide') setMeans('table')
            }}
          />
          <svg
            className="pointer-events-none absolute inset-0 h-full w-full"
            viewBox="0 0 100 100"
            preserveAspectRatio="none"
            aria-hidden
          >
            {said
              .filter((p) => p.picture === picture)
              .map((p, i) => (
                <ellipse
                  key={i}
                  cx={100 * p.x}
                  cy={100 * p.y}
                  rx={1.2}
                  ry={1.8}
                  fill={COLOURS[p.means]}
                  stroke="#1a1512"
                  strokeWidth={0.4}
                />
              ))}
          </svg>
        </div>
      ))}
    </div>
  )
}
