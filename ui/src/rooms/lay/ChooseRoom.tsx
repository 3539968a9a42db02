import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import { api, server, told } from '../../api/client'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { plural, useUnits } from '../../parts/units'
import { mayShare, Offer } from '../batches/Offer'

const AIMS = [
  { value: 'order', name: 'Everything, from the least leather' },
  { value: 'sets', name: 'As many whole articles as go' },
  { value: 'fill', name: 'Fill these hides' },
] as const

/** Before laying: which hides, and to what end. */
export function ChooseRoom() {
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
  const [aim, setAim] = useState<(typeof AIMS)[number]['value']>('order')
  const chosen = changed ?? need?.offers.filter((o) => o.chosen).map((o) => o.hide_id) ?? []
  const begin = useMutation({
    mutationFn: async (shared: boolean) => {
      const made = await told(
        api.POST('/api/batches/{batch_id}/lays', {
          params: { path: { batch_id: batchId } },
          body: { material, hide_ids: chosen, objective: aim, shared },
        }),
      )
      await told(
        api.POST('/api/lays/{lay_id}/run', {
          params: { path: { lay_id: made.id } },
          body: { seconds: 30, seed: 1, hides: [], keep_all: false },
        }),
      )
      return made.id
    },
    onSuccess: (id) => go(`/lay/${id}`),
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
        <ul className="mt-2 grid auto-rows-min grid-cols-[repeat(auto-fill,minmax(170px,1fr))] gap-3">
          {need.offers.map((offer) => {
            const hide = rack.data?.find((h) => h.id === offer.hide_id)
            return (
              hide && (
                <Offer
                  key={offer.hide_id}
                  offer={{ ...offer, chosen: chosen.includes(offer.hide_id) }}
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
        <Trouble error={begin.error} onPaper />
        <div className="mt-3 flex items-center gap-5">
          <Button
            look="brass"
            className="min-h-14 px-8 text-lg"
            disabled={chosen.length === 0 || begin.isPending}
            onClick={() => {
              const kept = need.offers.filter((o) => chosen.includes(o.hide_id) && !o.chosen)
              const word = mayShare(kept)
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
