import { Link, useParams } from 'react-router'
import { server } from '../../api/client'
import { Figure, Said, Trouble, Waiting } from '../../parts/controls'
import { plural, useUnits } from '../../parts/units'
import { ofCents, percentOr } from './book'
import { BookFrame } from './BookFrame'
import { Sheet, Table } from './Sheet'
import { HideRow } from './HidesPage'
import { NotesOn } from './NotesOn'
import { PartsChart, YieldRange } from './WherePage'

/** A batch in the Book: what was planned beside what truly came. */
export function BatchPage() {
  const id = Number(useParams()['id'])
  const found = server.useQuery('get', '/api/book/batches/{batch_id}', {
    params: { path: { batch_id: id } },
  })
  const units = useUnits()
  if (found.isPending)
    return (
      <BookFrame>
        <Waiting what="the batch" />
      </BookFrame>
    )
  if (found.error)
    return (
      <BookFrame>
        <Trouble error={found.error} />
      </BookFrame>
    )
  const b = found.data
  const f = b.figures
  return (
    <BookFrame>
      <div className="mb-3 flex flex-wrap items-baseline gap-x-5">
        <h2 className="font-stamp text-2xl font-bold">
          <span className="figure">{b.number}</span> {b.name}
        </h2>
        <Link className="underline" to={`/batches/${b.id}`}>
          the batch itself
        </Link>
      </div>
      {b.warnings.map((w) => (
        <p key={w} role="alert" className="docket mb-2 border-l-4 border-unsound px-4 py-2">
          <Said words={w} />
        </p>
      ))}
      {b.hides.length === 0 ? (
        <p className="docket torn max-w-xl px-6 pt-5 pb-5 text-lg">
          Nothing of this batch is cut and closed yet. Once a hide of it is, its true figures stand
          here beside the planned ones.
        </p>
      ) : (
        <div className="grid gap-4 xl:grid-cols-[minmax(0,1fr)_420px]">
          <div className="grid content-start gap-4">
            <Sheet title="Planned and true">
              <div className="mb-3 flex flex-wrap gap-x-9 gap-y-2">
                <Figure label="bought" note={plural(f.hides, 'hide')}>
                  {units.area(f.bought_m2)}
                </Figure>
                <Figure label="yield of what was used" note={<YieldRange figures={f} />}>
                  {percentOr(f.yields.value)}
                </Figure>
                <Figure label="planned">{percentOr(f.planned_yield)}</Figure>
                <Figure
                  label="minutes at the bench"
                  note={`planned ${Math.round(f.planned_minutes)}`}
                >
                  {f.timed ? Math.round(f.true_minutes) : '–'}
                </Figure>
                <Figure label="leather">{units.money(ofCents(f.cents))}</Figure>
              </div>
              <PartsChart figures={f} />
            </Sheet>
            <ul className="grid gap-2" aria-label="Its hides">
              {b.hides.map((hide) => (
                <HideRow key={hide.sheet} hide={hide} />
              ))}
            </ul>
          </div>
          <div className="grid content-start gap-4">
            <Sheet title="Its articles">
              <Table
                label="Its articles"
                head={['article', 'ordered', 'whole', 'pieces', 'spoilt', 'leather each']}
                rows={b.articles.map((a) => ({
                  key: a.article,
                  cells: [
                    a.name,
                    a.ordered,
                    a.whole,
                    `${a.done}/${a.wanted}`,
                    a.spoilt,
                    a.cents_each === null ? '–' : units.money(ofCents(a.cents_each)),
                  ],
                }))}
              />
              <p className="mt-2 text-[13px] text-ink-soft">
                Good pieces pay for the leather that was used, each by its area and by how tight its
                leather must be.
              </p>
            </Sheet>
            {b.reasons.length > 0 && (
              <Sheet title="Why pieces were spoilt">
                <Table
                  label="Why pieces were spoilt"
                  head={['reason', 'pieces']}
                  rows={b.reasons.map((r) => ({ key: r.reason, cells: [r.reason, r.pieces] }))}
                />
              </Sheet>
            )}
            <NotesOn subject="batch" of={[b.id]} title="Notes on this batch" />
          </div>
        </div>
      )}
    </BookFrame>
  )
}
