import { useQuery } from '@tanstack/react-query'
import { api, told } from '../../api/client'
import { pathOf } from '../../hide/paths'
import type { At } from '../../hide/places'
import { Button, Said, Trouble } from '../../parts/controls'
import { useUnits } from '../../parts/units'
import type { Lay, Piece } from './lay'

export interface SpotAt extends At {
  hide: string
}

/** What a place on a hide is; asked anew where the lay changes. */
export function useSpot(lay: Lay, at: SpotAt | null) {
  return useQuery({
    queryKey: ['spot', lay.id, lay.head, at],
    queryFn: ({ signal }) =>
      at === null
        ? null
        : told(
            api.POST('/api/lays/{lay_id}/hand/spot', {
              params: { path: { lay_id: lay.id } },
              body: at,
              signal,
            }),
          ),
    enabled: at !== null,
    staleTime: Infinity,
    gcTime: 10_000,
  })
}

type Found = ReturnType<typeof useSpot>

/** The gap about a place, lit up, and the place itself. */
export function LitSpot({ at, found, px }: { at: SpotAt; found: Found; px: number }) {
  return (
    <g pointerEvents="none">
      {found.data && (
        <path
          d={pathOf(found.data.rings)}
          fill="#fff3c4"
          fillOpacity={0.5}
          fillRule="evenodd"
          stroke="#211c17"
          strokeWidth={1.5}
          vectorEffect="non-scaling-stroke"
          data-spot
        />
      )}
      <path
        d={`M${at.x - 7 * px},${at.y}h${14 * px}M${at.x},${at.y - 7 * px}v${14 * px}`}
        stroke="#211c17"
        strokeWidth={3}
        vectorEffect="non-scaling-stroke"
      />
    </g>
  )
}

/** What was pressed on bare leather: the leather there, the gap, and what of the tray fits it. */
export function SpotCard({
  found,
  pieces,
  onTake,
  onLeave,
}: {
  found: Found
  pieces: Map<string, Piece>
  onTake: (piece: Piece) => void
  onLeave: () => void
}) {
  const units = useUnits()
  const told = found.data
  return (
    <section
      className="docket absolute right-4 bottom-3 max-h-[70%] w-80 overflow-auto px-4 py-2 shadow-lg"
      aria-label="This place"
    >
      <div className="flex items-start gap-2">
        <h2 className="font-stamp text-lg font-bold">This place</h2>
        <Button className="ml-auto shrink-0 px-3" onClick={onLeave}>
          Close
        </Button>
      </div>
      <Trouble error={found.error} onPaper />
      {found.isPending && <p role="status">Looking …</p>}
      {told && (
        <>
          <p>
            <Said words={told.sentences.join('; ')} />
          </p>
          {told.rings.length > 0 && (
            <p className="text-sm">
              A gap of <b className="figure">{units.area(told.gap_m2)}</b>,{' '}
              {units.length(told.widest_mm)} at its widest
            </p>
          )}
          <ul className="text-sm">
            {told.fits.map((fit) => {
              const piece = pieces.get(fit.piece)
              if (!piece) return null
              return (
                <li
                  key={fit.piece}
                  className="flex min-h-9 items-center gap-2 border-t border-docket-line py-0.5"
                >
                  <span className="min-w-0 flex-1">
                    <b>{piece.name}</b> <span className="text-ink-soft">{piece.article}</span>
                    {fit.at === null ? (
                      <>
                        : not here, <Said words={fit.sentence} />
                      </>
                    ) : (
                      ' fits'
                    )}
                  </span>
                  {fit.at !== null && (
                    <Button
                      className="px-3"
                      onClick={() => {
                        onTake(piece)
                      }}
                    >
                      Take it
                    </Button>
                  )}
                </li>
              )
            })}
          </ul>
        </>
      )}
    </section>
  )
}
