import { useSearchParams } from 'react-router'
import type { Schemas } from '../../api/client'

export type Told = Schemas['Told']
export type Figures = Schemas['BookFigures']

const NAMES = ['since', 'until', 'mill', 'material', 'currency'] as const
export type Which = Partial<Record<(typeof NAMES)[number], string>>

/** Of which hides figures are asked: it stands in the address, so that a page can be kept. */
export function useWhich(): [Which, (which: Which) => void] {
  const [params, setParams] = useSearchParams()
  const which: Which = {}
  for (const name of NAMES) {
    const value = params.get(name)
    if (value) which[name] = value
  }
  return [
    which,
    (next) => {
      setParams(Object.entries(next).filter(([, v]) => v !== ''))
    },
  ]
}

export const share = (part: number, whole: number) => (whole > 0 ? part / whole : 0)
/** A share in whole percent, or a dash where it is not known. */
export const percentOr = (value: number | null | undefined, digits = 0) =>
  value === null || value === undefined ? '–' : `${(value * 100).toFixed(digits)} %`
const CENTS = 100
export const ofCents = (cents: number) => cents / CENTS

const MONTHS = new Intl.DateTimeFormat(undefined, { month: 'short', year: '2-digit' })
/** A month like 2026-11, as it is said. */
export const monthName = (month: string) => MONTHS.format(new Date(`${month}-15T00:00`))

/** Where a file of the Book is fetched, asked as the page is. */
export const fileOf = (path: string, which: Which) => {
  const query = new URLSearchParams(which).toString()
  return `/api/book/${path}${query && `?${query}`}`
}
