import type { ReactNode } from 'react'

/** Figures in rows, with their heads; numbers stand to the right. */
export function Table({
  label,
  head,
  rows,
  className = '',
}: {
  label: string
  head: string[]
  rows: { key: string; cells: ReactNode[]; strong?: boolean }[]
  className?: string
}) {
  return (
    <div className={`overflow-x-auto ${className}`}>
      <table className="w-full border-collapse text-[15px]" aria-label={label}>
        <thead>
          <tr className="border-b-2 border-ink/50 text-left text-[13px] text-ink-soft">
            {head.map((h, i) => (
              <th key={h} className={`py-1 pr-3 font-normal ${i > 0 ? 'text-right' : ''}`}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr
              key={r.key}
              className={`border-b border-docket-line align-baseline ${r.strong ? 'font-bold' : ''}`}
            >
              {r.cells.map((c, i) => (
                <td
                  key={i}
                  className={`py-1.5 pr-3 ${i > 0 ? 'figure text-right text-[17px] whitespace-nowrap' : ''}`}
                >
                  {c}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

/** A sheet of paper with a heading. */
export function Sheet({
  title,
  children,
  aside,
  className = '',
}: {
  title: string
  children: ReactNode
  aside?: ReactNode
  className?: string
}) {
  return (
    <section className={`docket torn px-6 pt-3 pb-5 ${className}`} aria-label={title}>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 className="font-stamp text-xl font-bold">{title}</h2>
        {aside !== undefined && <div className="ml-auto">{aside}</div>}
      </div>
      <div className="mt-2">{children}</div>
    </section>
  )
}
