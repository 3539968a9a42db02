import type { ReactNode } from 'react'
import { NavLink } from 'react-router'
import { FIELD } from '../../parts/fields'
import { RoomKeys } from '../../parts/keys'
import { plural } from '../../parts/units'
import { useWhich, type Told, type Which } from './book'

const PAGES = [
  { to: '/book', name: 'Where it went' },
  { to: '/book/by/mill', name: 'Side by side' },
  { to: '/book/hides', name: 'Hides' },
  { to: '/book/learned', name: 'What it taught' },
  { to: '/book/notes', name: 'Notes' },
  { to: '/book/buying', name: 'Buying' },
  { to: '/book/costing', name: 'Costing' },
]

/** The Book's pages, and the one that lies open. */
export function BookFrame({ children, aside }: { children: ReactNode; aside?: ReactNode }) {
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-center gap-x-1 px-6 pt-3">
        <h1 className="sr-only">Book</h1>
        <nav className="flex flex-wrap" aria-label="Pages of the Book">
          {PAGES.map((page) => (
            <NavLink
              key={page.to}
              to={page.to}
              end={page.to === '/book'}
              className={({ isActive }) =>
                `flex min-h-11 items-center border-b-4 px-3.5 font-stamp text-lg ${isActive || (page.to.startsWith('/book/by') && location.pathname.startsWith('/book/by')) ? 'border-brass font-bold text-chalk' : 'border-transparent text-chalk-dim hover:text-chalk'}`
              }
            >
              {page.name}
            </NavLink>
          ))}
        </nav>
        <span className="ml-auto">
          <RoomKeys room="the Book" keys={[]} />
        </span>
      </div>
      {aside !== undefined && <div className="flex px-6 pt-3">{aside}</div>}
      <div className="min-h-0 flex-1 overflow-auto px-6 pt-3 pb-6">{children}</div>
    </div>
  )
}

/** Of which hides: since when, which mill, which material, which money. It stands there before
 *  anything is known, so that nothing moves under a finger, and stays while other figures come.
 */
export function Choose({ told }: { told: Told | undefined }) {
  const [which, setWhich] = useWhich()
  const set = (more: Which) => {
    setWhich({ ...which, ...more })
  }
  const currencies = Object.keys(told?.currencies ?? {})
  return (
    <div className="flex flex-wrap items-center gap-3">
      <DayField
        label="from"
        value={which.since ?? ''}
        onChange={(since) => {
          set({ since })
        }}
      />
      <DayField
        label="to"
        value={which.until ?? ''}
        onChange={(until) => {
          set({ until })
        }}
      />
      <Select
        label="mill"
        value={which.mill ?? ''}
        all="all mills"
        options={told?.mills ?? chosen(which.mill)}
        onChange={(mill) => {
          set({ mill })
        }}
      />
      <Select
        label="material"
        value={which.material ?? ''}
        all="all leather"
        options={told?.materials ?? chosen(which.material)}
        onChange={(material) => {
          set({ material })
        }}
      />
      {currencies.length > 1 && (
        <Select
          label="money"
          value={which.currency ?? told?.currency ?? ''}
          options={currencies}
          onChange={(currency) => {
            set({ currency })
          }}
        />
      )}
    </div>
  )
}

const chosen = (name: string | undefined) => (name === undefined ? [] : [name])

function DayField({
  label,
  value,
  onChange,
}: {
  label: string
  value: string
  onChange: (day: string) => void
}) {
  return (
    <label className="flex items-center gap-1.5 text-chalk-dim">
      {label}
      <input
        type="date"
        className={FIELD}
        value={value}
        onChange={(e) => {
          onChange(e.target.value)
        }}
      />
    </label>
  )
}

function Select({
  label,
  value,
  all,
  options,
  onChange,
}: {
  label: string
  value: string
  all?: string
  options: string[]
  onChange: (value: string) => void
}) {
  return (
    <select
      aria-label={label}
      className={FIELD}
      value={value}
      onChange={(e) => {
        onChange(e.target.value)
      }}
    >
      {all !== undefined && <option value="">{all}</option>}
      {options.map((o) => (
        <option key={o} value={o}>
          {o || 'no currency'}
        </option>
      ))}
    </select>
  )
}

/** What is not in the figures, and why: money in another currency, hides nobody looked at yet. */
export function LeftOut({ told }: { told: Told }) {
  const others = Object.entries(told.currencies).filter(([name]) => name !== told.currency)
  if (others.length === 0 && told.left_out === 0) return null
  return (
    <div role="status" className="docket mb-4 border-l-4 border-brass px-4 py-2">
      {others.map(([name, n]) => (
        <p key={name}>
          {plural(n, 'hide')} bought in {name || 'money without a name'} {n === 1 ? 'is' : 'are'}{' '}
          not in these figures: prices of two currencies do not add up.
        </p>
      ))}
      {told.left_out > 0 && (
        <p>
          {plural(told.left_out, 'closed hide')} {told.left_out === 1 ? 'is' : 'are'} left out
          {told.doubted > 0 && `, ${told.doubted} of them until somebody looks`}.{' '}
          <NavLink className="font-semibold underline" to="/book/hides?doubted=1">
            Look at them
          </NavLink>
        </p>
      )}
    </div>
  )
}

/** Before anything was closed, the Book is empty, and says how it fills. */
export function NothingYet({ told }: { told: Told }) {
  return (
    <div className="docket torn mx-auto mt-12 max-w-xl px-8 pt-6 pb-7">
      <h2 className="font-stamp text-2xl font-bold">
        {told.hides + told.left_out > 0 ? 'No hide was closed then' : 'The Book is empty'}
      </h2>
      <p className="mt-2 text-lg">
        {told.hides + told.left_out > 0
          ? `It has ${plural(told.hides, 'hide')}, closed between ${told.first ?? ''} and ${told.last ?? ''}. Ask for other days, or another mill.`
          : 'Every hide that is cut and closed is written down here by itself: where its leather went, what it cost, how long it took.'}
      </p>
      {told.hides + told.left_out === 0 && (
        <NavLink to="/cut" className="mt-3 inline-block font-semibold underline">
          To the hides that can be cut →
        </NavLink>
      )}
    </div>
  )
}
