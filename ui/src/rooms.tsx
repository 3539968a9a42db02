import { lazy, type ComponentType } from 'react'

/** An address of the application: what it is called, and the room that is loaded as it opens. */
export interface Room {
  path: string
  title: string
  Opened: ComponentType
}

const room = (path: string, title: string, load: () => Promise<ComponentType>): Room => ({
  path,
  title,
  Opened: lazy(async () => ({ default: await load() })),
})

const named =
  <M, K extends keyof M>(load: () => Promise<M>, name: K) =>
  async () =>
    (await load())[name]

export const ROOMS = [
  { to: '/patterns', name: 'Patterns' },
  { to: '/leather', name: 'Leather' },
  { to: '/batches', name: 'Batches' },
  { to: '/lay', name: 'Lay' },
  { to: '/cut', name: 'Cut' },
  { to: '/book', name: 'Book' },
  { to: '/practice', name: 'Practice' },
]

/* A tablet goes from the docket to the bench without a connection: what is cut with comes together. */
const CUTTING = async () => ({
  ...(await import('./rooms/cut/CutRoom')),
  ...(await import('./rooms/cut/BenchMode')),
  ...(await import('./rooms/cut/ProjectorRoom')),
})
const COSTING = named(() => import('./rooms/book/CostingPage'), 'CostingPage')

export const PAGES: Room[] = [
  room(
    '/patterns',
    'Patterns',
    named(() => import('./rooms/patterns/DrawersRoom'), 'DrawersRoom'),
  ),
  room(
    '/patterns/:id',
    'Article',
    named(() => import('./rooms/patterns/ArticleRoom'), 'ArticleRoom'),
  ),
  room(
    '/patterns/:id/add',
    'New piece',
    named(() => import('./rooms/patterns/AddRoom'), 'AddRoom'),
  ),
  room(
    '/patterns/:id/revisions',
    'Revisions',
    named(() => import('./rooms/patterns/RevisionsRoom'), 'RevisionsRoom'),
  ),
  room(
    '/patterns/:id/piece/:slug',
    'Piece',
    named(() => import('./rooms/patterns/PieceRoom'), 'PieceRoom'),
  ),
  room(
    '/leather',
    'Leather',
    named(() => import('./rooms/leather/LeatherRoom'), 'LeatherRoom'),
  ),
  room(
    '/leather/receive',
    'Receiving',
    named(() => import('./rooms/leather/ReceiveRoom'), 'ReceiveRoom'),
  ),
  room(
    '/leather/receive/:id',
    'Delivery',
    named(() => import('./rooms/leather/DeliveryRoom'), 'DeliveryRoom'),
  ),
  room(
    '/leather/compare',
    'Hides compared',
    named(() => import('./rooms/leather/CompareRoom'), 'CompareRoom'),
  ),
  room(
    '/leather/chalk',
    'Chalk',
    named(() => import('./rooms/leather/ChalkRoom'), 'ChalkRoom'),
  ),
  room(
    '/leather/:id',
    'Hide',
    named(() => import('./rooms/leather/HideRoom'), 'HideRoom'),
  ),
  room(
    '/leather/:id/measure',
    'Measuring',
    named(() => import('./rooms/leather/MeasureRoom'), 'MeasureRoom'),
  ),
  room(
    '/batches',
    'Batches',
    named(() => import('./rooms/batches/BatchesRoom'), 'BatchesRoom'),
  ),
  room(
    '/batches/:id',
    'Batch',
    named(() => import('./rooms/batches/BatchRoom'), 'BatchRoom'),
  ),
  room(
    '/people',
    'People',
    named(() => import('./rooms/people/PeopleRoom'), 'PeopleRoom'),
  ),
  room(
    '/lay',
    'Lays',
    named(() => import('./rooms/lay/LaysRoom'), 'LaysRoom'),
  ),
  room(
    '/lay/new',
    'New lay',
    named(() => import('./rooms/lay/ChooseRoom'), 'ChooseRoom'),
  ),
  room(
    '/lay/:id',
    'Lay',
    named(() => import('./rooms/lay/LayRoom'), 'LayRoom'),
  ),
  room(
    '/lay/:id/templates/:hide',
    'Templates',
    named(() => import('./rooms/lay/TemplatesRoom'), 'TemplatesRoom'),
  ),
  room(
    '/cut',
    'Cut',
    named(() => import('./rooms/cut/CutList'), 'CutList'),
  ),
  room('/cut/:id', 'Cutting', named(CUTTING, 'CutRoom')),
  room('/cut/:id/project', 'Projector', named(CUTTING, 'ProjectorRoom')),
  room('/cut/:id/bench', 'Bench', named(CUTTING, 'BenchMode')),
  room(
    '/book',
    'Where the leather went',
    named(() => import('./rooms/book/WherePage'), 'WherePage'),
  ),
  room(
    '/book/by/:what',
    'Book',
    named(() => import('./rooms/book/ByPage'), 'ByPage'),
  ),
  room(
    '/book/hides',
    'Hides that were cut',
    named(() => import('./rooms/book/HidesPage'), 'HidesPage'),
  ),
  room(
    '/book/batch/:id',
    'Batch in the Book',
    named(() => import('./rooms/book/BatchPage'), 'BatchPage'),
  ),
  room(
    '/book/learned',
    'What it taught',
    named(() => import('./rooms/book/LearnedPage'), 'LearnedPage'),
  ),
  room(
    '/book/notes',
    'Notes',
    named(() => import('./rooms/book/NotesPage'), 'NotesPage'),
  ),
  room(
    '/book/buying',
    'Buying',
    named(() => import('./rooms/book/BuyingPage'), 'BuyingPage'),
  ),
  room(
    '/book/buying/:job',
    'Forecast',
    named(() => import('./rooms/book/ForecastPage'), 'ForecastPage'),
  ),
  room('/book/costing', 'Costing', COSTING),
  room('/book/costing/:id', 'Costing', COSTING),
  room(
    '/practice',
    'Practice',
    named(() => import('./rooms/practice/PracticeRoom'), 'PracticeRoom'),
  ),
  room(
    '/practice/:id',
    'Round',
    named(() => import('./rooms/practice/RoundRoom'), 'RoundRoom'),
  ),
]
