import type { Schemas } from '../../api/client'
import { pathOf } from '../../hide/paths'
import { Button } from '../../parts/controls'

export type Contour = Schemas['ReadContour']
export type Said = Schemas['SaidOfContour']

const CAN_BE: [Contour['use'], string][] = [
  ['outline', 'a piece'],
  ['window', 'a window'],
  ['stitch', 'sewn'],
  ['hole', 'punched'],
  ['leave out', 'left out'],
]
/** More contours than this would make the drawing slow to move: then they are gone through by the buttons. */
const MOST_SHOWN = 1500
const INK: Partial<Record<Contour['use'], string>> = { stitch: '#9fd0ac', hole: '#e8a59a' }

export const isSame = (a: Said, b: Said) => a.x === b.x && a.y === b.y && a.size === b.size

/** What is said of contours, with one more said; what was said of that one before is taken back. */
export const withSaid = (said: Said[], of: Contour, use: Contour['use'] | null): Said[] => [
  ...said.filter((s) => !isSame(s, of)),
  ...(use === null ? [] : [{ x: of.x, y: of.y, size: of.size, use }]),
]

/** All closed contours of a drawing where they lie, to be pressed; the one that is looked at is lit. */
export function ContourPaths({
  contours,
  at,
  px,
  onChoose,
}: {
  contours: Contour[]
  at: number
  px: number
  onChoose: (i: number) => void
}) {
  // The smallest are on top: they lie in the others.
  const order = contours
    .map((_, i) => i)
    .filter((i) => contours.length <= MOST_SHOWN || i === at)
    .sort((a, b) => (contours[b]?.size ?? 0) - (contours[a]?.size ?? 0))
  return order.map((i) => {
    const c = contours[i]
    if (!c) return null
    return (
      <g key={i}>
        <path
          d={pathOf([c.points])}
          fill="none"
          stroke={i === at ? '#d9a441' : (INK[c.use] ?? '#c9c1b4')}
          strokeWidth={(i === at ? 3.4 : 0.8) * px}
          strokeDasharray={c.use === 'leave out' ? `${3 * px} ${3 * px}` : undefined}
          pointerEvents="none"
        />
        <path
          d={pathOf([c.points])}
          fill="none"
          stroke="transparent"
          strokeWidth={14 * px}
          strokeLinejoin="round"
          className="cursor-pointer"
          data-contour={i}
          onClick={() => {
            onChoose(i)
          }}
        />
      </g>
    )
  })
}

/** What the contour that is looked at was read as, and what it can be said to be instead. */
export function ContourUse({
  contours,
  at,
  said,
  onChoose,
  onSay,
}: {
  contours: Contour[]
  at: number
  said: Said[]
  onChoose: (i: number) => void
  onSay: (of: Contour, use: Contour['use'] | null) => void
}) {
  const here = contours[at]
  const own = here && said.find((s) => isSame(s, here))
  const step = (by: number) => {
    onChoose((at + by + contours.length) % contours.length)
  }
  return (
    <fieldset className="mt-1 border-t border-docket-line pt-2" aria-label="One contour">
      <div className="flex items-center gap-2">
        <p className="min-w-0 flex-1 text-sm">
          {here
            ? `Contour ${at + 1} of ${contours.length} is`
            : contours.length > MOST_SHOWN
              ? `Go through ${contours.length} contours to say what one is.`
              : 'Press a contour to say what it is.'}
        </p>
        <Button
          aria-label="The contour before"
          onClick={() => {
            step(here ? -1 : 0)
          }}
        >
          ‹
        </Button>
        <Button
          aria-label="The next contour"
          onClick={() => {
            step(1)
          }}
        >
          ›
        </Button>
      </div>
      {here && (
        <div className="mt-1 flex flex-wrap gap-x-4">
          {CAN_BE.map(([use, name]) => (
            <label key={use} className="flex min-h-11 items-center gap-2">
              <input
                type="radio"
                name="contour-use"
                className="size-5"
                checked={(own ?? here).use === use}
                onChange={() => {
                  onSay(here, use)
                }}
              />
              {name}
            </label>
          ))}
          {own && (
            <button
              type="button"
              className="min-h-11 underline"
              onClick={() => {
                onSay(here, null)
              }}
            >
              as it was read
            </button>
          )}
        </div>
      )}
    </fieldset>
  )
}
