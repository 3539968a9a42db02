import { Navigate, NavLink, Route, Routes } from 'react-router'
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
import { AddRoom } from './rooms/patterns/AddRoom'
import { ArticleRoom } from './rooms/patterns/ArticleRoom'
import { DrawersRoom } from './rooms/patterns/DrawersRoom'
import { PieceRoom } from './rooms/patterns/PieceRoom'
import { RevisionsRoom } from './rooms/patterns/RevisionsRoom'
import { PeopleRoom } from './rooms/people/PeopleRoom'
import { Whose } from './rooms/people/Whose'

const ROOMS = [
  { to: '/patterns', name: 'Patterns' },
  { to: '/leather', name: 'Leather' },
  { to: '/batches', name: 'Batches' },
  { to: '/lay', name: 'Lay' },
  { to: '/cut', name: 'Cut' },
]

/** The frame: the rooms in the order of the work, and the room one stands in. */
export function Frame() {
  return (
    <UnitsProvider>
      <div className="flex h-full flex-col">
        <header className="flex items-stretch gap-3 bg-bench-deep pl-5 lg:gap-8">
          <span className="self-center font-stamp text-xl font-bold tracking-wide whitespace-nowrap">
            Fair Lay
          </span>
          <nav className="flex" aria-label="Rooms">
            {ROOMS.map((room) => (
              <NavLink
                key={room.to}
                to={room.to}
                className="group flex min-h-12 flex-col justify-end text-lg"
              >
                {({ isActive }) => (
                  <>
                    <span
                      className={`px-3 pb-1.5 font-stamp lg:px-5 ${isActive ? 'font-bold text-chalk' : 'text-chalk-dim group-hover:text-chalk'}`}
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
            <Route path="/cut" element={<CutList />} />
            <Route path="/cut/:id" element={<CutRoom />} />
            <Route path="/cut/:id/project" element={<ProjectorRoom />} />
            <Route path="/cut/:id/bench" element={<BenchMode />} />
            <Route path="*" element={<Navigate to="/batches" replace />} />
          </Routes>
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
