import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate, useParams } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { PieceCard } from '../../hide/PieceCard'
import { useAsk } from '../../parts/Asking'
import { Button, Trouble, Waiting, Said } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { dayOf, plural, useUnits } from '../../parts/units'
import { NotesOn } from '../book/NotesOn'
import { Only } from '../people/Only'
import { ChangeBatch } from './NewBatch'
import { mayShare, Offer } from './Offer'

const SCHOOL = {
  backbone: 'grain with the backbone',
  local: 'grain by the line of least stretch',
  free: 'grain any way',
}

/** One batch: each material's pieces and their needs, and the leather chosen for it. */
export function BatchRoom() {
  const ask = useAsk()
  const id = Number(useParams()['id'])
  const queries = useQueryClient()
  const batch = server.useQuery('get', '/api/batches/{batch_id}', {
    params: { path: { batch_id: id } },
  })
  const rack = server.useQuery('get', '/api/leather')
  const choose = useMutation({
    mutationFn: (body: Schemas['LeatherChange']) =>
      told(
        api.POST('/api/batches/{batch_id}/leather', { params: { path: { batch_id: id } }, body }),
      ),
    onSettled: () => queries.invalidateQueries(readFrom('/api/batches/{batch_id}')),
  })
  if (batch.isPending || rack.isPending) return <Waiting what="the batch" />
  if (batch.error)
    return (
      <div className="p-8">
        <Trouble error={batch.error} />
      </div>
    )
  const data = batch.data
  /** What was pressed is what is sent: two presses, or two people, both count. */
  const toggle = async (offer: Schemas['LeatherOffer']) => {
    if (offer.chosen) choose.mutate({ add: [], drop: [offer.hide_id], shared: false })
    else {
      const shared = await mayShare(ask, [offer])
      if (shared !== null) choose.mutate({ add: [offer.hide_id], drop: [], shared })
    }
  }
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <Link to="/batches" className="text-chalk-dim hover:text-chalk">
          ← Batches
        </Link>
        <h1 className="font-stamp text-2xl font-bold">
          <span className="figure">{data.number}</span> {data.name}
        </h1>
        <span className="text-chalk-dim">
          {data.due_on ? `due ${dayOf(data.due_on)}` : 'no day set'}
        </span>
        <span className="text-chalk-dim">
          {data.lines.map((l) => `${l.quantity} ${l.name}`).join(', ')} ·{' '}
          {SCHOOL[data.grain_school]} · {data.gap_mm === 0 ? 'butted' : `${data.gap_mm} mm gap`}
          {data.match_sets.length > 0 && ' · each set from one hide'}
        </span>
      </div>
      <div className="mt-2 flex flex-wrap gap-2">
        {data.standing === 'open' && data.state !== 'cut' && (
          <Only may="change_batch">
            <ChangeBatch batch={data} />
          </Only>
        )}
        <Standing batch={data} />
        {data.standing === 'open' && data.state !== 'cut' && (
          <Only may="begin_forecast">
            <Link to={`/book/buying?batch=${data.id}`} className={likeAButton('bench')}>
              How many hides to buy
            </Link>
          </Only>
        )}
        {data.state === 'cut' && (
          <Link to={`/book/batch/${data.id}`} className={likeAButton('bench')}>
            Its page in the Book
          </Link>
        )}
      </div>
      <div className="mt-3 empty:hidden">
        <NotesOn
          subject="article"
          of={data.lines.map((l) => l.article_id)}
          title="What use taught of these articles"
          write={false}
        />
      </div>
      <Trouble error={choose.error} />
      {data.standing !== 'open' && (
        <p role="status" className="docket mt-3 border-l-4 border-brass px-4 py-2 text-lg">
          This batch is {data.standing}.
        </p>
      )}
      {data.leather_changed && (
        <p role="alert" className="docket mt-3 border-l-4 border-unsound px-4 py-2">
          Leather that a lay of this batch lies on was changed since: the lay says what is hit.
        </p>
      )}
      {data.materials.map((need) => (
        <MaterialDocket
          key={need.material}
          batchId={id}
          need={need}
          rack={rack.data ?? []}
          onToggle={toggle}
        />
      ))}
    </div>
  )
}

/** Hold a batch, take it up again, give it up, or order the same once more. */
function Standing({ batch }: { batch: Schemas['BatchOut'] }) {
  const queries = useQueryClient()
  const go = useNavigate()
  const ask = useAsk()
  const path = { batch_id: batch.id }
  const onSettled = async () => {
    await queries.invalidateQueries(readFrom('/api/batches/{batch_id}'))
    await queries.invalidateQueries(readFrom('/api/batches'))
  }
  const stand = useMutation({
    mutationFn: (standing: 'open' | 'held' | 'given up') =>
      told(api.PUT('/api/batches/{batch_id}/standing', { params: { path }, body: { standing } })),
    onSettled,
  })
  const copy = useMutation({
    mutationFn: (number: string) =>
      told(api.POST('/api/batches/{batch_id}/copies', { params: { path }, body: { number } })),
    onSuccess: async (made) => {
      await onSettled()
      await go(`/batches/${made.id}`)
    },
  })
  return (
    <Only may="stand_batch">
      {batch.standing === 'open' ? (
        <>
          <Button
            look="bench"
            onClick={() => {
              stand.mutate('held')
            }}
          >
            Hold it
          </Button>
          <Button
            look="bench"
            onClick={async () => {
              const sure = await ask.sure({
                title: `Give ${batch.number} up?`,
                words: 'Its lays are given up, and its leather is free again.',
                go: 'Give it up',
              })
              if (sure) stand.mutate('given up')
            }}
          >
            Give it up
          </Button>
        </>
      ) : (
        <Button
          look="bench"
          onClick={() => {
            stand.mutate('open')
          }}
        >
          Take it up again
        </Button>
      )}
      <Button
        look="bench"
        onClick={async () => {
          const number = await ask.words({
            title: `Order ${batch.number} again`,
            label: 'The number of the new batch',
            text: `${batch.number} again`,
            go: 'Order it',
          })
          if (number) copy.mutate(number)
        }}
      >
        Order the same again
      </Button>
      <Trouble error={stand.error ?? copy.error} />
    </Only>
  )
}

function Short({ words, where }: { words: string[]; where: string }) {
  if (words.length === 0) return null
  return (
    <div role="alert" className="mt-2 border-l-4 border-unsound bg-unsound/10 px-3 py-1">
      <b>{where} cannot be enough:</b>
      <ul>
        {words.slice(0, 6).map((w) => (
          <li key={w}>
            <Said words={w} />
          </li>
        ))}
      </ul>
    </div>
  )
}

function MaterialDocket({
  batchId,
  need,
  rack,
  onToggle,
}: {
  batchId: number
  need: Schemas['MaterialNeed']
  rack: Schemas['RackHideOut'][]
  onToggle: (offer: Schemas['LeatherOffer']) => void
}) {
  const units = useUnits()
  const enough = need.chosen_m2 / need.area_m2
  return (
    <section className="docket torn mt-5 px-5 pb-4" aria-label={need.material}>
      <div className="flex flex-wrap items-baseline gap-x-6 gap-y-1 pt-2">
        <h2 className="font-stamp text-2xl font-bold first-letter:uppercase">{need.material}</h2>
        <span className="text-lg">
          {plural(need.pieces, 'piece')}, <b className="figure">{units.area(need.area_m2)}</b>{' '}
          before waste
          {typeof need.likely_m2 === 'number' && (
            <>
              , about <b className="figure">{units.area(need.likely_m2)}</b> at the yield that you
              took from the Book
            </>
          )}
        </span>
        <span className="text-lg">
          {need.chosen_m2 > 0 ? (
            <>
              <b className="figure">{units.area(need.chosen_m2)}</b> chosen, {enough.toFixed(1)}{' '}
              times the pieces
            </>
          ) : (
            'choose leather below'
          )}
        </span>
        <span className="ml-auto flex gap-3">
          {need.lays[0] && (
            <Link to={`/lay/${need.lays[0].id}`} className={likeAButton()}>
              Its lay: {need.lays[0].placed} of {need.lays[0].wanted}
            </Link>
          )}
          {need.chosen_m2 > 0 && (
            <Only may="begin_lay">
              <Link
                to={`/lay/new?batch=${batchId}&material=${encodeURIComponent(need.material)}`}
                className={likeAButton('brass')}
              >
                Lay it
              </Link>
            </Only>
          )}
        </span>
      </div>
      {need.short.length > 0 ? (
        <Short words={need.short} where="The leather chosen" />
      ) : (
        <Short words={need.short_on_rack} where="All that is on the rack" />
      )}
      <div className="mt-3 grid gap-6 lg:grid-cols-[minmax(380px,5fr)_6fr]">
        <ul className="max-h-[330px] overflow-auto border-y border-docket-line">
          {need.items.map((item) => (
            <li
              key={item.id}
              className="grid grid-cols-[3.2rem_60px_1fr_auto] items-center gap-3 border-b border-docket-line py-1.5 last:border-0"
            >
              <span className="figure text-right text-2xl font-bold">{item.quantity}</span>
              <PieceCard rings={item.rings} grainDeg={item.grain_deg} size={56} />
              <span>
                <span className="block text-lg leading-tight">
                  {item.name} <span className="text-ink-soft">{item.article}</span>
                </span>
                <span className="block text-[13px] leading-snug text-ink-soft">
                  <Said words={item.needs.join(' · ')} />
                </span>
              </span>
              <span className="figure">{units.area(item.area_m2)}</span>
            </li>
          ))}
        </ul>
        <ul
          className="grid max-h-[330px] auto-rows-min grid-cols-[repeat(auto-fill,minmax(165px,1fr))] gap-3 overflow-auto"
          aria-label={`Leather for ${need.material}`}
        >
          {need.offers.length === 0 && (
            <li className="text-lg">There is no {need.material} on the rack.</li>
          )}
          {need.offers.map((offer) => {
            const hide = rack.find((h) => h.id === offer.hide_id)
            return (
              hide && (
                <Offer
                  key={offer.hide_id}
                  offer={offer}
                  hide={hide}
                  onToggle={() => {
                    onToggle(offer)
                  }}
                />
              )
            )
          })}
        </ul>
      </div>
    </section>
  )
}
