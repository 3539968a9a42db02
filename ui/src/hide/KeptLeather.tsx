import type { Schemas } from '../api/client'
import { pathOf } from './paths'

/** Leather that is kept: a strap lane or a block for the rack, ruled off in brass, with its words. */
export function KeptLeather({ hide, px }: { hide: Schemas['LaidHide']; px: number }) {
  return (
    <g pointerEvents="none">
      {hide.kept.map((kept, i) => {
        const x = Math.min(...kept.outline.map(([at = 0]) => at))
        const right = Math.max(...kept.outline.map(([at = 0]) => at))
        const y = Math.max(...kept.outline.map(([, at = 0]) => at))
        return (
          <g key={i}>
            <path
              d={pathOf([kept.outline])}
              fill="#d9a441"
              fillOpacity={0.22}
              stroke="#7a5310"
              strokeWidth={2.5 * px}
              strokeDasharray={`${16 * px} ${5 * px} ${3 * px} ${5 * px}`}
            />
            <text
              x={(x + right) / 2}
              y={y - 5 * px}
              textAnchor="middle"
              fontSize={15 * px}
              fontWeight={600}
              fill="#211c17"
              stroke="#f8f2e2"
              strokeWidth={3 * px}
              paintOrder="stroke"
            >
              kept for {kept.words}
            </text>
          </g>
        )
      })}
    </g>
  )
}
