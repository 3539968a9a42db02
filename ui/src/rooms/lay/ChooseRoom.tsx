import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import { api, server, told } from '../../api/client'
import { useAsk } from '../../parts/Asking'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { percent, plural, useUnits } from '../../parts/units'
import { mayShare, Offer, type Wish } from '../batches/Offer'
import { USUAL_SECONDS } from './useLay'

const AIMS = [
  { value: 'order', name: 'Everything, from the least leather' },
  { value: 'sets', name: 'As many whole articles as go' },
  { value: 'fill', name: 'Fill these hides' },
] as const

type Aim = (typeof AIMS)[number]['value']

/** The page that lays a batch's material anew: on hides and with batches by their numbers, to an end. */
export function chooseFor(
  batchId: number,
  material: string,
  as: { hides: string[]; beside: string[]; aim: Aim },
): string {
  const search = new URLSearchParams({ batch: String(batchId), material, aim: as.aim })
  as.hides.forEach((number) => {
    search.append('hide', number)
  })
  as.beside.forEach((number) => {
    search.append('with', number)
  })
  return `/lay/new?${search.toString()}`
}

/** Before laying: which hides, and to what end. What the address says of them is chosen to begin with. */
export function ChooseRoom() {
  const ask = useAsk()
  const [search] = useSearchParams()
  const batchId = Number(search.get('batch'))
  const material = search.get('material') ?? ''
  const go = useNavigate()
  const units = useUnits()
  const batch = server.useQuery('get', '/api/batches/{batch_id}', {
    params: { path: { batch_id: batchId } },
  })
  const rack = server.useQuery('get', '/api/leather')
  const need = batch.data?.materials.find((m) => m.material === material)
  const [changed, setChanged] = useState<number[] | null>(null)
  const [besides, setBesides] = useState<number[] | null>(null)
  const [said, setSaid] = useState<Record<number, Wish>>({})
  const [aim, setAim] = useState<Aim>(
    AIMS.find((a) => a.value === search.get('aim'))?.value ?? 'order',
  )
  const [onHides, withBatches] = [search.getAll('hide'), search.getAll('with')]
  const asked = need?.offers.filter((o) =>
    onHides.length > 0 ? onHides.includes(o.number) : o.chosen,
  )
  const chosen = changed ?? asked?.map((o) => o.hide_id) ?? []
  const shares = need?.shares_with.filter((s) => withBatches.includes(s.number))
  const beside = besides ?? shares?.map((s) => s.batch_id) ?? []
  const begin = useMutation({
    mutationFn: async (shared: boolean) => {
      const made = await told(
        api.POST('/api/batches/{batch_id}/lays', {
          params: { path: { batch_id: batchId } },
          body: { material, hide_ids: chosen, objective: aim, shared, with_batches: beside },
        }),
      )
      await told(
        api.POST('/api/lays/{lay_id}/run', {
          params: { path: { lay_id: made.id } },
          body: { seconds: USUAL_SECONDS, seed: 1, hides: [], keep_all: false, pieces: [] },
        }),
      )
      return made.id
    },
    onSuccess: (id) => go(`/lay/${id}`),
  })
  const saying = (wish: Wish) =>
    Object.keys(said)
      .filter((id) => said[Number(id)] === wish)
      .join(',')
  const propose = useMutation({
    mutationFn: () =>
      told(
        api.GET('/api/batches/{batch_id}/proposal', {
          params: {
            path: { batch_id: batchId },
            query: { material, fix: saying('always'), leave: saying('never') },
          },
        }),
      ),
    onSuccess: (found) => {
      setChanged(found.hides.map((h) => h.hide_id))
    },
  })
  if (batch.isPending || rack.isPending) return <Waiting what="the leather" />
  if (!need)
    return (
      <div className="p-8">
        <Trouble
          error={batch.error ?? new Error(`This batch cuts nothing from ${material || 'that'}.`)}
        />
      </div>
    )
  const area = need.offers
    .filter((o) => chosen.includes(o.hide_id))
    .reduce((sum, o) => sum + o.usable_m2, 0)
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <Link to={`/batches/${batchId}`} className="text-chalk-dim hover:text-chalk">
        ← {batch.data?.number} {batch.data?.name}
      </Link>
      <h1 className="font-stamp text-2xl font-bold">
        Lay {plural(need.pieces, 'piece')} of {material}
      </h1>
      <section className="docket torn mt-4 px-6 pb-5">
        <h2 className="pt-2 font-stamp text-xl font-bold">On which hides?</h2>
        <div className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1">
          <Button
            disabled={propose.isPending}
            onClick={() => {
              propose.mutate()
            }}
          >
            Propose the cheapest
          </Button>
          {propose.data && (
            <span role="status">
              {propose.data.hides.length === 0
                ? 'No leather here bears these pieces.'
                : `${plural(propose.data.hides.length, 'hide')} for ${units.money(propose.data.cost)}, as lays usually fill ${percent(propose.data.share)} of fair leather`}
              {!propose.data.enough && ': even so it is thought too little'}
            </span>
          )}
          <Trouble error={propose.error} onPaper />
        </div>
        <ul className="mt-2 grid auto-rows-min grid-cols-[repeat(auto-fill,minmax(170px,1fr))] gap-3">
          {need.offers.map((offer) => {
            const hide = rack.data?.find((h) => h.id === offer.hide_id)
            return (
              hide && (
                <Offer
                  key={offer.hide_id}
                  offer={{
                    ...offer,
                    chosen: chosen.includes(offer.hide_id),
                    holds_m2: propose.data?.hides.find((h) => h.hide_id === offer.hide_id)
                      ?.holds_m2,
                  }}
                  wish={said[offer.hide_id] ?? 'free'}
                  onWish={(wish) => {
                    setSaid({ ...said, [offer.hide_id]: wish })
                  }}
                  hide={hide}
                  onToggle={() => {
                    setChanged(
                      chosen.includes(offer.hide_id)
                        ? chosen.filter((h) => h !== offer.hide_id)
                        : [...chosen, offer.hide_id],
                    )
                  }}
                />
              )
            )
          })}
        </ul>
        {need.shares_with.length > 0 && (
          <fieldset className="mt-4">
            <legend className="font-stamp text-xl font-bold">Together with another batch?</legend>
            {need.shares_with.map((s) => (
              <label key={s.batch_id} className="mr-6 inline-flex min-h-11 items-center gap-2">
                <input
                  type="checkbox"
                  className="size-5"
                  checked={beside.includes(s.batch_id)}
                  onChange={(e) => {
                    setBesides(
                      e.target.checked
                        ? [...beside, s.batch_id]
                        : beside.filter((b) => b !== s.batch_id),
                    )
                  }}
                />
                {s.number} {s.name}
              </label>
            ))}
          </fieldset>
        )}
        <fieldset className="mt-4">
          <legend className="font-stamp text-xl font-bold">To what end?</legend>
          {AIMS.map((a) => (
            <label key={a.value} className="mr-6 inline-flex min-h-11 items-center gap-2 text-lg">
              <input
                type="radio"
                name="aim"
                className="size-5 accent-ink"
                checked={aim === a.value}
                onChange={() => {
                  setAim(a.value)
                }}
              />{' '}
              {a.name}
            </label>
          ))}
        </fieldset>
        {aim === 'order' && chosen.length > 0 && need.ordered_m2 > area && (
          <p
            role="status"
            className="mt-2 flex flex-wrap items-center gap-4 border-l-4 border-brass bg-brass/15 px-3 py-1"
          >
            Not everything can lie on so little: as many pieces as go are laid, small ones first.
            <Button
              onClick={() => {
                setAim('sets')
              }}
            >
              Rather whole articles
            </Button>
          </p>
        )}
        <Trouble error={begin.error} onPaper />
        <div className="mt-3 flex items-center gap-5">
          <Button
            look="brass"
            className="min-h-14 px-8 text-lg"
            disabled={chosen.length === 0 || begin.isPending}
            onClick={async () => {
              const kept = need.offers.filter((o) => chosen.includes(o.hide_id) && !o.chosen)
              const word = await mayShare(ask, kept)
              if (word !== null) begin.mutate(word)
            }}
          >
            Lay them
          </Button>
          <span className="text-lg">
            {chosen.length === 0
              ? 'Choose at least one hide.'
              : `${units.area(need.area_m2)} of pieces onto ${units.area(area)} of usable leather`}
          </span>
        </div>
      </section>
    </div>
  )
}
