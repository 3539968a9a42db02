import { lazy, Suspense } from 'react'
import { Navigate, NavLink, Route, Routes } from 'react-router'
import { Waiting } from './parts/controls'
import { UnitsProvider, useUnits } from './parts/units'
import { BatchRoom } from './rooms/batches/BatchRoom'
import { BatchesRoom } from './rooms/batches/BatchesRoom'
import { BenchMode } from './rooms/cut/BenchMode'
import { CutList } from './rooms/cut/CutList'
import { ProjectorRoom } from './rooms/cut/ProjectorRoom'
import { CutRoom } from './rooms/cut/CutRoom'
import { ChalkRoom } from './rooms/leather/ChalkRoom'
import { CompareRoom } from './rooms/leather/CompareRoom'
import { DeliveryRoom } from './rooms/leather/DeliveryRoom'
import { HideRoom } from './rooms/leather/HideRoom'
import { LeatherRoom } from './rooms/leather/LeatherRoom'
import { MeasureRoom } from './rooms/leather/MeasureRoom'
import { ReceiveRoom } from './rooms/leather/ReceiveRoom'
import { ChooseRoom } from './rooms/lay/ChooseRoom'
import { LayRoom } from './rooms/lay/LayRoom'
import { LaysRoom } from './rooms/lay/LaysRoom'
import { TemplatesRoom } from './rooms/lay/TemplatesRoom'
import { AddRoom } from './rooms/patterns/AddRoom'
import { ArticleRoom } from './rooms/patterns/ArticleRoom'
import { DrawersRoom } from './rooms/patterns/DrawersRoom'
import { PieceRoom } from './rooms/patterns/PieceRoom'
import { RevisionsRoom } from './rooms/patterns/RevisionsRoom'
import { PeopleRoom } from './rooms/people/PeopleRoom'
import { Whose } from './rooms/people/Whose'

/* The Book and Practice draw charts: they come when they are asked for. */
const BatchPage = lazy(async () => ({
  default: (await import('./rooms/book/BatchPage')).BatchPage,
}))
const BuyingPage = lazy(async () => ({
  default: (await import('./rooms/book/BuyingPage')).BuyingPage,
}))
const ForecastPage = lazy(async () => ({
  default: (await import('./rooms/book/ForecastPage')).ForecastPage,
}))
const ByPage = lazy(async () => ({ default: (await import('./rooms/book/ByPage')).ByPage }))
const CostingPage = lazy(async () => ({
  default: (await import('./rooms/book/CostingPage')).CostingPage,
}))
const HidesPage = lazy(async () => ({
  default: (await import('./rooms/book/HidesPage')).HidesPage,
}))
const LearnedPage = lazy(async () => ({
  default: (await import('./rooms/book/LearnedPage')).LearnedPage,
}))
const NotesPage = lazy(async () => ({
  default: (await import('./rooms/book/NotesPage')).NotesPage,
}))
const WherePage = lazy(async () => ({
  default: (await import('./rooms/book/WherePage')).WherePage,
}))
const PracticeRoom = lazy(async () => ({
  default: (await import('./rooms/practice/PracticeRoom')).PracticeRoom,
}))
const RoundRoom = lazy(async () => ({
  default: (await import('./rooms/practice/RoundRoom')).RoundRoom,
}))

const ROOMS = [
  { to: '/patterns', name: 'Patterns' },
  { to: '/leather', name: 'Leather' },
  { to: '/batches', name: 'Batches' },
  { to: '/lay', name: 'Lay' },
  { to: '/cut', name: 'Cut' },
  { to: '/book', name: 'Book' },
  { to: '/practice', name: 'Practice' },
]

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
          <Suspense fallback={<Waiting what="the room" />}>
            <Routes>
              <Route path="/" element={<Navigate to="/batches" replace />} />
              <Route path="/patterns" element={<DrawersRoom />} />
              <Route path="/patterns/:id" element={<ArticleRoom />} />
              <Route path="/patterns/:id/add" element={<AddRoom />} />
              <Route path="/patterns/:id/revisions" element={<RevisionsRoom />} />
              <Route path="/patterns/:id/piece/:slug" element={<PieceRoom />} />
              <Route path="/leather" element={<LeatherRoom />} />
              <Route path="/leather/receive" element={<ReceiveRoom />} />
              <Route path="/leather/receive/:id" element={<DeliveryRoom />} />
              <Route path="/leather/compare" element={<CompareRoom />} />
              <Route path="/leather/chalk" element={<ChalkRoom />} />
              <Route path="/leather/:id" element={<HideRoom />} />
              <Route path="/leather/:id/measure" element={<MeasureRoom />} />
              <Route path="/batches" element={<BatchesRoom />} />
              <Route path="/batches/:id" element={<BatchRoom />} />
              <Route path="/people" element={<PeopleRoom />} />
              <Route path="/lay" element={<LaysRoom />} />
              <Route path="/lay/new" element={<ChooseRoom />} />
              <Route path="/lay/:id" element={<LayRoom />} />
              <Route path="/lay/:id/templates/:hide" element={<TemplatesRoom />} />
              <Route path="/cut" element={<CutList />} />
              <Route path="/cut/:id" element={<CutRoom />} />
              <Route path="/cut/:id/project" element={<ProjectorRoom />} />
              <Route path="/cut/:id/bench" element={<BenchMode />} />
              <Route path="/book" element={<WherePage />} />
              <Route path="/book/by/:what" element={<ByPage />} />
              <Route path="/book/hides" element={<HidesPage />} />
              <Route path="/book/batch/:id" element={<BatchPage />} />
              <Route path="/book/learned" element={<LearnedPage />} />
              <Route path="/book/notes" element={<NotesPage />} />
              <Route path="/book/buying" element={<BuyingPage />} />
              <Route path="/book/buying/:job" element={<ForecastPage />} />
              <Route path="/book/costing" element={<CostingPage />} />
              <Route path="/book/costing/:id" element={<CostingPage />} />
              <Route path="/practice" element={<PracticeRoom />} />
              <Route path="/practice/:id" element={<RoundRoom />} />
              <Route path="*" element={<Navigate to="/batches" replace />} />
            </Routes>
          </Suspense>
        </main>
      </div>
    </UnitsProvider>
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
