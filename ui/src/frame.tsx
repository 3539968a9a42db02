import { Suspense, useEffect } from 'react'
import { Link, Navigate, NavLink, Route, Routes, useLocation } from 'react-router'
import { AskProvider } from './parts/Asking'
import { Broken } from './parts/Broken'
import { Waiting } from './parts/controls'
import { UnitsProvider, useUnits } from './parts/units'
import { PAGES, ROOMS, type Room } from './rooms'
import { Whose } from './rooms/people/Whose'

/** The frame: the rooms in the order of the work, and the room one stands in. */
export function Frame() {
  return (
    <UnitsProvider>
      <div className="flex h-full flex-col">
        <header className="flex items-stretch gap-3 bg-bench-deep pl-5 lg:gap-8">
          <span className="self-center font-stamp text-xl font-bold tracking-wide whitespace-nowrap max-[1100px]:hidden">
            Fair Lay
          </span>
          <nav className="flex" aria-label="Rooms">
            {ROOMS.map((room) => (
              <NavLink
                key={room.to}
                to={room.to}
                className="group flex min-h-12 flex-col justify-end text-lg max-[1100px]:text-base"
              >
                {({ isActive }) => (
                  <>
                    <span
                      className={`px-2.5 pb-1.5 font-stamp xl:px-5 ${isActive ? 'font-bold text-chalk' : 'text-chalk-dim group-hover:text-chalk'}`}
                    >
                      {room.name}
                    </span>
                    <span className={`block ${isActive ? 'rule' : 'h-[9px]'}`} />
                  </>
                )}
              </NavLink>
            ))}
          </nav>
          <Whose />
          <UnitsChoice />
        </header>
        <main className="min-h-0 flex-1">
          <AskProvider>
            <Opened />
          </AskProvider>
        </main>
      </div>
    </UnitsProvider>
  )
}

/** The room at this address. Where it breaks, the frame stands, and another room may be opened. */
function Opened() {
  const { pathname } = useLocation()
  return (
    <Broken at={pathname}>
      <Suspense fallback={<Waiting what="the room" />}>
        <Routes>
          <Route path="/" element={<Navigate to="/batches" replace />} />
          {PAGES.map((page) => (
            <Route key={page.path} path={page.path} element={<Page page={page} />} />
          ))}
          <Route path="*" element={<Nowhere />} />
        </Routes>
      </Suspense>
    </Broken>
  )
}

function Page({ page }: { page: Room }) {
  useTitle(page.title)
  return <page.Opened />
}

const useTitle = (title: string) => {
  useEffect(() => {
    document.title = `${title} · Fair Lay`
  }, [title])
}

function Nowhere() {
  useTitle('No such page')
  return (
    <div className="docket torn mx-auto mt-16 max-w-lg px-6 pt-6 pb-6">
      <h1 className="font-stamp text-2xl font-bold">There is no page at this address</h1>
      <p className="mt-2 text-lg">It may be mistyped, or what it showed is gone.</p>
      <Link to="/batches" className="inline-flex min-h-11 items-center underline">
        To the batches
      </Link>
    </div>
  )
}

function UnitsChoice() {
  const units = useUnits()
  return (
    <label className="ml-4 flex items-center gap-2 pr-5 text-sm text-chalk-dim">
      <span className="sr-only">Units</span>
      <select
        className="min-h-9 rounded-sm border border-bench-line bg-bench-deep px-2 text-chalk"
        value={units.system}
        onChange={(e) => {
          units.change(e.target.value === 'imperial' ? 'imperial' : 'metric')
        }}
      >
        <option value="metric">mm, m²</option>
        <option value="imperial">in, ft², oz</option>
      </select>
    </label>
  )
}
