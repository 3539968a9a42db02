import { createContext, useContext, useState, type ReactNode } from 'react'
import { server } from '../api/client'

export type System = 'metric' | 'imperial'

const MM_PER_INCH = 25.4
export const FT2_PER_M2 = 10.76391

/** How figures are written in the user's units; everything is kept in mm and m2. */
export interface Units {
  system: System
  change: (system: System) => void
  length: (mm: number) => string
  /** A tenth of a millimetre matters. */
  thin: (mm: number) => string
  /** A long way, in metres or feet. */
  run: (mm: number) => string
  area: (m2: number) => string
  money: (amount: number) => string
  thickness: (mm: number) => string
  /** A sentence of the server's, which speaks of mm, in the user's units. */
  said: (words: string) => string
}

const Context = createContext<Units | null>(null)
const KEPT = 'fairlay.units'
const MONEY = new Intl.NumberFormat(undefined, {
  minimumFractionDigits: 2,
  maximumFractionDigits: 2,
})

export function UnitsProvider({ children }: { children: ReactNode }) {
  const [system, setSystem] = useState<System>(() =>
    localStorage.getItem(KEPT) === 'imperial' ? 'imperial' : 'metric',
  )
  const shop = server.useQuery('get', '/api/leather/settings', {}, { staleTime: 60_000 })
  const currency = shop.data?.currency ?? ''
  const metric = system === 'metric'
  const units: Units = {
    system,
    change: (next) => {
      localStorage.setItem(KEPT, next)
      setSystem(next)
    },
    length: (mm) => (metric ? `${Math.round(mm)} mm` : `${fixed(mm / MM_PER_INCH, 1)} in`),
    thin: (mm) => (metric ? `${fixed(mm, 1)} mm` : `${fixed(mm / MM_PER_INCH, 3)} in`),
    run: (mm) => (metric ? `${fixed(mm / 1000, 1)} m` : `${fixed(mm / MM_PER_INCH / 12, 1)} ft`),
    area: (m2) =>
      m2 === 0
        ? metric
          ? '0 m²'
          : '0 ft²'
        : metric
          ? m2 < 0.1
            ? `${fixed(m2 * 100, m2 < 0.01 ? 2 : 1)} dm²`
            : `${fixed(m2, 2)} m²`
          : `${fixed(m2 * FT2_PER_M2, m2 < 0.1 ? 2 : 1)} ft²`,
    money: (amount) => `${MONEY.format(amount)}${currency && ` ${currency}`}`,
    said: (words) => (metric ? inMetric(words) : inImperial(words)),
    thickness: (mm) => (metric ? `${fixed(mm, 1)} mm` : `${fixed(mm / MM_PER_OUNCE, 1)} oz`),
  }
  return <Context value={units}>{children}</Context>
}

/**
 * A length typed by hand, in mm: "12", "12 mm", "1/8 in", "2 1/2\"", "1.25in"; bare numbers are in
 * the user's own unit. Null where it is no length.
 */
export function parseLength(text: string, system: System): number | null {
  const found =
    /^\s*(-?)(?:(\d+(?:[.,]\d+)?)(?:\s+(\d+)\/(\d+))?|(\d+)\/(\d+))\s*(mm|cm|in|inch|"|″)?\s*$/i.exec(
      text,
    )
  if (!found) return null
  const [, minus, whole, top, bottom, overs, unders, unit] = found
  const value =
    (whole ? Number(whole.replace(',', '.')) : 0) +
    (top && bottom ? Number(top) / Number(bottom) : 0) +
    (overs && unders ? Number(overs) / Number(unders) : 0)
  const per = unit
    ? unit.toLowerCase() === 'mm'
      ? 1
      : unit.toLowerCase() === 'cm'
        ? 10
        : MM_PER_INCH
    : system === 'metric'
      ? 1
      : MM_PER_INCH
  return Number.isFinite(value) ? (minus ? -1 : 1) * value * per : null
}

const MM_PER_OUNCE = MM_PER_INCH / 64

/**
 * A thickness typed by hand, in mm: "2.3", "2.3 mm", "6 oz"; bare numbers are in the user's own
 * unit. Null where it is none.
 */
export function parseThickness(text: string, system: System): number | null {
  const found = /^\s*(\d+(?:[.,]\d+)?)\s*(mm|oz)?\s*$/i.exec(text)
  if (!found) return null
  const value = Number((found[1] ?? '').replace(',', '.'))
  return (found[2]?.toLowerCase() ?? (system === 'metric' ? 'mm' : 'oz')) === 'mm'
    ? value
    : value * MM_PER_OUNCE
}

/** A thickness as it stands in a field: mm to a hundredth, ounces to a tenth. */
export const thicknessText = (mm: number, system: System) =>
  system === 'metric'
    ? String(Number(mm.toFixed(2)))
    : String(Number((mm / MM_PER_OUNCE).toFixed(1)))

/** A length as it stands in a field: mm to a tenth or finer, inches to a hundredth. */
export const lengthText = (mm: number, system: System) =>
  system === 'metric' ? String(Number(mm.toFixed(2))) : `${Number((mm / MM_PER_INCH).toFixed(3))}`
export const unitName = (system: System) => (system === 'metric' ? 'mm' : 'in')

const LENGTHS: Record<string, number> = { mm: 1, cm: 10, m: 1000 }
const AREAS: Record<string, number> = { m: 1, dm: 0.01, cm: 1e-4, mm: 1e-6 }
const MEASURE =
  /(?<![\w.])(\d+(?:\.\d+)?)((?:\s*(?:x|×|to|by|and|or)\s*\d+(?:\.\d+)?)*)\s*(mm|cm|dm|m)(2|²)?(?![\w²])(?=( thick)?)/g
const INCHES_PER_FOOT = 12

/** A sentence with areas written as everywhere else on the screen, "5 in a m2" among them. */
export const inMetric = (words: string) =>
  words.replace(/(?<!\w)(\d*(?:mm|cm|dm|m))2(?!\w)/g, '$1²')

/** A sentence whose measures are metric, with each in inches, feet or ounces of thickness. */
export function inImperial(words: string): string {
  const said = words.replace(
    MEASURE,
    (whole, first: string, more: string, unit: string, square?: string, thick?: string) => {
      const per = square ? AREAS[unit] : LENGTHS[unit]
      if (per === undefined) return whole
      const name = square ? 'ft²' : thick ? 'oz' : unit === 'm' ? 'ft' : 'in'
      const each = square
        ? per * FT2_PER_M2
        : per / (thick ? MM_PER_OUNCE : MM_PER_INCH * (unit === 'm' ? INCHES_PER_FOOT : 1))
      return (
        `${first}${more}`.replace(/\d+(?:\.\d+)?/g, (n) => figure(Number(n) * each)) + ` ${name}`
      )
    },
  )
  return inMetric(said)
}

/** Three figures of a number, no more decimals than a rule shows. */
const figure = (value: number) =>
  String(Number(value.toFixed(value >= 100 ? 0 : value >= 10 ? 1 : value >= 1 ? 2 : 3)))

export function useUnits(): Units {
  const units = useContext(Context)
  if (units === null) throw new Error('useUnits outside UnitsProvider')
  return units
}

/** How a sentence of the server's is said here; as it is where nobody chose units yet. */
export const useSaid = () => useContext(Context)?.said ?? ((words: string) => words)

/** A number with so many decimals; what rounds to nothing has no sign. */
const fixed = (value: number, decimals: number) => {
  const text = value.toFixed(decimals)
  return Number(text) === 0 ? (0).toFixed(decimals) : text
}
export const percent = (share: number, decimals = 0) => `${fixed(share * 100, decimals)} %`
/** A share as a CSS length. */
export const cssShare = (share: number) => `${(Math.min(1, Math.max(0, share)) * 100).toFixed(2)}%`
export const plural = (count: number, one: string, many = `${one}s`) =>
  `${count} ${count === 1 ? one : many}`
/**
 * The day of a date, which has no zone, or of a moment as the server says it, in UTC, where the
 * user is.
 */
export const dayOf = (iso: string) =>
  new Date(
    iso.length === DATE_ALONE ? `${iso}T00:00` : ZONE.test(iso) ? iso : `${iso}Z`,
  ).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })
const DATE_ALONE = 10
const ZONE = /(Z|[+-]\d\d:?\d\d)$/
