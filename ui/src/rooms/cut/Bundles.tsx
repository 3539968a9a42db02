import { likeAButton } from '../../parts/looks'
import { plural } from '../../parts/units'
import type { Sheet } from './ticks'

/** What goes to the bench together, and what is missing of it yet. */
export function Bundles({ sheet }: { sheet: Sheet }) {
  const whole = sheet.bundles.filter((b) => b.missing.length === 0).length
  return (
    <div className="grid gap-1.5">
      <div className="flex items-center gap-3">
        <span>
          {whole} of {plural(sheet.bundles.length, 'bundle')} whole
        </span>
        <a
          className={`${likeAButton()} text-sm`}
          href={`/api/cut/${sheet.id}/labels.pdf`}
          target="_blank"
          rel="noreferrer"
        >
          Print labels
        </a>
      </div>
      <ul className="max-h-[170px] overflow-auto text-sm" aria-label="Bundles">
        {sheet.bundles.map((b) => (
          <li
            key={`${b.article} ${b.number}`}
            className="grid min-h-9 grid-cols-[170px_1fr] items-baseline gap-x-3 border-b border-docket-line py-0.5"
          >
            <b>
              {b.article} {b.number}
            </b>
            <span className="min-w-0 truncate" title={b.missing.join(', ')}>
              {b.missing.length === 0
                ? `✓ whole, ${plural(b.pieces, 'piece')}`
                : `${b.pieces - b.missing.length} of ${b.pieces}; missing ${b.missing.join(', ')}`}
            </span>
          </li>
        ))}
      </ul>
    </div>
  )
}
