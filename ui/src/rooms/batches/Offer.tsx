import type { Schemas } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { leatherColour } from '../../hide/paths'
import type { Ask } from '../../parts/Asking'
import { useUnits } from '../../parts/units'

type Kept = Pick<Schemas['LeatherOffer'], 'number' | 'kept_for'>

/**
 * Whether leather may be taken: false where it is free, true where another batch keeps it and both
 * are to share it, null where not.
 */
export async function mayShare(ask: Ask, offers: Kept[]): Promise<boolean | null> {
  const kept = offers.filter((o) => o.kept_for.length > 0)
  if (kept.length === 0) return false
  const words = kept.map((o) => `${o.number} is kept for ${o.kept_for.join(', ')}`).join('; ')
  const sure = await ask.sure({
    title: 'Keep it for both?',
    words: `${words}.`,
    go: 'Keep it for both',
  })
  return sure ? true : null
}

export type Wish = 'free' | 'always' | 'never'
const WISHES = [
  ['always', 'open it'],
  ['never', 'leave it'],
] as const

/** A hide to choose: drawn, what of it bears these pieces, and what it can never give. */
export function Offer({
  offer,
  hide,
  onToggle,
  wish,
  onWish,
}: {
  offer: {
    number: string
    chosen: boolean
    laid?: boolean
    kept_for?: string[]
    fair_m2?: number
    never?: string[]
    holds_m2?: number | undefined
  }
  hide: Schemas['RackHideOut']
  onToggle: () => void
  /** Whether it is to be opened in any case, or never. */
  wish?: Wish
  onWish?: (wish: Wish) => void
}) {
  const units = useUnits()
  const { x0, y0, x1, y1 } = hide.shape.bounds
  const scale = 150 / 2450
  return (
    <li>
      <button
        type="button"
        role="checkbox"
        aria-checked={offer.chosen}
        onClick={onToggle}
        className={`block w-full border-2 p-1.5 text-left ${offer.chosen ? 'border-ink bg-card' : 'border-docket-line hover:border-ink/50'}`}
      >
        <svg width={150} height={76} aria-hidden>
          <g transform={`translate(1,1) scale(${scale}) translate(${-x0},${-y0})`}>
            <HideDrawing
              hide={hide.shape}
              colour={leatherColour(hide.colour)}
              scale={scale}
              zones={x1 - x0 > 400 && y1 - y0 > 300}
            />
          </g>
        </svg>
        <span className="flex items-center gap-2">
          <span
            className={`grid size-5 place-items-center border-2 border-ink text-sm font-bold ${offer.chosen ? 'bg-ink text-docket' : ''}`}
          >
            {offer.chosen ? '✓' : ''}
          </span>
          <span className="figure text-lg font-bold whitespace-nowrap">{offer.number}</span>
          <span className="ml-auto truncate text-[13px] text-ink-soft">{hide.kind}</span>
        </span>
        {offer.fair_m2 !== undefined && (
          <span className="block text-[13px] text-ink-soft">
            grade {hide.grade}, {units.area(offer.fair_m2)} fair for these
          </span>
        )}
        {offer.holds_m2 !== undefined && (
          <span className="block text-[13px] font-semibold">
            would hold {units.area(offer.holds_m2)} of pieces
          </span>
        )}
        {offer.laid === true && (
          <span className="block text-[13px] font-semibold">laid on for this batch</span>
        )}
        {offer.kept_for !== undefined && offer.kept_for.length > 0 && (
          <span className="block border-l-4 border-brass pl-1.5 text-[13px]">
            kept for {offer.kept_for.join(', ')}
          </span>
        )}
        {!(hide.measured && hide.looked_enough) && (
          <span className="block border-l-4 border-brass pl-1.5 text-[13px]">
            {hide.measured ? hide.looked : 'not measured yet'}
          </span>
        )}
        {offer.never !== undefined && offer.never.length > 0 && (
          <span className="block text-[13px] text-unsound">
            too little for: {offer.never.join(', ')}
          </span>
        )}
      </button>
      {onWish && (
        <div className="flex gap-1 pt-0.5" role="group" aria-label={`Propose ${offer.number}`}>
          {WISHES.map(([own, words]) => (
            <button
              key={own}
              type="button"
              aria-pressed={wish === own}
              className={`min-h-9 flex-1 text-[13px] ${wish === own ? 'bg-ink text-docket' : 'border border-docket-line text-ink-soft hover:border-ink/50'}`}
              onClick={() => {
                onWish(wish === own ? 'free' : own)
              }}
            >
              {words}
            </button>
          ))}
        </div>
      )}
    </li>
  )
}
