import { useMemo } from 'react'
import type { Schemas } from '../../api/client'

type RackHide = Schemas['RackHideOut']
export interface Asked {
  words: string
  material: string
  colour: string
  tannage: string
  mill: string
  state: string
  kind: string
  thickness: string
  area: string
  age: string
  order: string
}
export const NOTHING_ASKED: Asked = {
  words: '',
  material: '',
  colour: '',
  tannage: '',
  mill: '',
  state: '',
  kind: '',
  thickness: '',
  area: '',
  age: '',
  order: 'number',
}

const THICK: Record<string, [number, number]> = {
  'under 1.2 mm': [0, 1.2],
  '1.2 to 2 mm': [1.2, 2],
  '2 to 2.5 mm': [2, 2.5],
  '2.5 to 3.5 mm': [2.5, 3.5],
  'over 3.5 mm': [3.5, 99],
}
const AREAS: Record<string, [number, number]> = {
  'under 0.5 m²': [0, 0.5],
  '0.5 to 1 m²': [0.5, 1],
  '1 to 2 m²': [1, 2],
  'over 2 m²': [2, 999],
}
const AGES: Record<string, [number, number]> = {
  'this week': [-1, 7],
  'this month': [-1, 31],
  'over three months': [92, 99999],
}
const ORDERS = {
  number: 'by number',
  area: 'largest first',
  worth: 'dearest first',
  age: 'oldest first',
  flaws: 'fewest flaws first',
}
const DAY_MS = 86_400_000

const within = (range: [number, number] | undefined, value: number) =>
  range === undefined || (value >= range[0] && value < range[1])
const daysOld = (hide: RackHide) => (Date.now() - new Date(hide.received_on).getTime()) / DAY_MS

/** Whether a hide is what was asked for. */
export function fits(h: RackHide, a: Asked): boolean {
  const all =
    `${h.number} ${h.kind} ${h.mill} ${h.colour} ${h.material} ${h.tannage} ${h.finish} ${h.state}`.toLowerCase()
  return (
    a.words
      .toLowerCase()
      .split(/\s+/)
      .every((w) => all.includes(w)) &&
    (['material', 'colour', 'tannage', 'mill', 'state', 'kind'] as const).every(
      (k) => a[k] === '' || h[k] === a[k],
    ) &&
    within(THICK[a.thickness], h.thickness_mm) &&
    within(AREAS[a.area], h.area_m2) &&
    within(AGES[a.age], daysOld(h))
  )
}

export function sorted(rack: RackHide[], order: string): RackHide[] {
  const by: Record<string, (h: RackHide) => number> = {
    area: (h) => -h.area_m2,
    worth: (h) => -h.worth,
    age: (h) => -daysOld(h),
    flaws: (h) => h.flaws_by_severity.reduce((x, y) => x + y, 0),
  }
  const key = by[order]
  return key ? [...rack].sort((x, y) => key(x) - key(y)) : rack
}

const SELECT =
  'min-h-10 max-w-[108px] rounded-sm border border-bench-line bg-bench-deep px-1.5 text-sm text-chalk'

/** What is looked for on the rack. */
export function Filters({
  rack,
  asked,
  onAsk,
}: {
  rack: RackHide[]
  asked: Asked
  onAsk: (asked: Asked) => void
}) {
  const known = useMemo(() => {
    const values = (k: 'material' | 'colour' | 'tannage' | 'mill' | 'state' | 'kind') =>
      [...new Set(rack.map((h) => h[k]))].sort()
    return {
      material: values('material'),
      colour: values('colour'),
      tannage: values('tannage'),
      mill: values('mill'),
      state: values('state'),
      kind: values('kind'),
    }
  }, [rack])
  const choice = (k: keyof Asked, all: string, values: string[]) => (
    <select
      key={k}
      aria-label={all}
      className={`${SELECT} ${asked[k] ? 'border-brass' : ''}`}
      value={asked[k]}
      onChange={(e) => {
        onAsk({ ...asked, [k]: e.target.value })
      }}
    >
      <option value="">{all}</option>
      {values.map((v) => (
        <option key={v}>{v}</option>
      ))}
    </select>
  )
  return (
    <div
      className="flex flex-wrap items-center gap-2 px-5 py-2"
      role="search"
      aria-label="Find on the rack"
    >
      <input
        type="search"
        placeholder="Find a hide"
        aria-label="Find a hide"
        className={`${SELECT} w-28`}
        value={asked.words}
        onChange={(e) => {
          onAsk({ ...asked, words: e.target.value })
        }}
      />
      {choice('material', 'material', known.material)}
      {choice('colour', 'colour', known.colour)}
      {choice('tannage', 'tannage', known.tannage)}
      {choice('mill', 'mill', known.mill)}
      {choice('state', 'state', known.state)}
      {choice('kind', 'cut', known.kind)}
      {choice('thickness', 'thickness', Object.keys(THICK))}
      {choice('area', 'area', Object.keys(AREAS))}
      {choice('age', 'age', Object.keys(AGES))}
      <select
        aria-label="Order"
        className={SELECT}
        value={asked.order}
        onChange={(e) => {
          onAsk({ ...asked, order: e.target.value })
        }}
      >
        {Object.entries(ORDERS).map(([k, words]) => (
          <option key={k} value={k}>
            {words}
          </option>
        ))}
      </select>
    </div>
  )
}
