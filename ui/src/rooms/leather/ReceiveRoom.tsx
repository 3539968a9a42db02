import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Link, useNavigate } from 'react-router'
import { api, readUnder, server, told, type Schemas } from '../../api/client'
import { Button, Trouble, Waiting, Said } from '../../parts/controls'
import { Choice, NumberField, TextField, ThicknessField } from '../../parts/fields'
import { dayOf, plural, useUnits } from '../../parts/units'
import { useBegun } from './hide'

export type Invoice = Schemas['InvoiceIO']
const UNITS = [
  ['ft2', 'per square foot'],
  ['m2', 'per square metre'],
] as const
const BLANK: Invoice = {
  mill: '',
  lot: '',
  price: 0,
  unit: 'ft2',
  material: 'body leather',
  tannage: 'vegetable',
  finish: '',
  colour: '',
  temper: 'medium',
  thickness_mm: 2.2,
  grade: '1',
  area: 0,
  hides: 0,
}

/** Deliveries: what came, what is still to be measured, which lots are short. */
export function ReceiveRoom() {
  const found = server.useQuery('get', '/api/leather/deliveries')
  const [invoice, setInvoice] = useBegun<Invoice>('invoice')
  const queries = useQueryClient()
  const go = useNavigate()
  const units = useUnits()
  const begin = useMutation({
    mutationFn: (own: Invoice) =>
      told(
        api.POST('/api/leather/deliveries', {
          body: { invoice: own, received_on: null, note: '' },
        }),
      ),
    onSuccess: async (made) => {
      setInvoice(null)
      await queries.invalidateQueries(readUnder('/api/leather'))
      await go(`/leather/receive/${made.id}`)
    },
  })
  if (found.isPending) return <Waiting what="the deliveries" />
  return (
    <div className="h-full overflow-auto px-5 pb-6">
      <div className="flex items-baseline gap-4 pt-3">
        <Link to="/leather" className="min-h-9 content-center text-chalk-dim hover:text-chalk">
          ← The rack
        </Link>
        <h1 className="font-stamp text-2xl font-bold">Receiving</h1>
        {!invoice && (
          <Button
            look="brass"
            className="ml-auto"
            onClick={() => {
              setInvoice(BLANK)
            }}
          >
            A delivery has come
          </Button>
        )}
      </div>
      <Trouble error={found.error} />
      {invoice && (
        <section className="docket torn mt-3 px-6 pt-4 pb-5" aria-label="The invoice">
          <h2 className="font-stamp text-xl font-bold">What does the invoice say?</h2>
          <InvoiceFields invoice={invoice} onChange={setInvoice} />
          <Trouble error={begin.error} onPaper />
          <div className="mt-4 flex gap-3">
            <Button
              look="brass"
              className="min-h-12"
              disabled={!invoice.mill.trim() || !invoice.lot.trim() || begin.isPending}
              onClick={() => {
                begin.mutate(invoice)
              }}
            >
              Begin the delivery
            </Button>
            <Button
              className="min-h-12"
              onClick={() => {
                setInvoice(null)
              }}
            >
              Leave it
            </Button>
          </div>
        </section>
      )}
      {found.data?.length === 0 && !invoice && (
        <p className="mt-10 text-center text-chalk-dim">
          Nothing was received yet. Begin with what the invoice says; each hide gets a number and a
          tag as it comes off the lorry.
        </p>
      )}
      <ul className="mt-4 grid gap-3">
        {found.data?.map((d) => (
          <li key={d.id}>
            <Link
              to={`/leather/receive/${d.id}`}
              className="docket grid grid-cols-[190px_1fr_auto] items-baseline gap-x-6 px-5 py-3 hover:bg-white"
            >
              <span className="figure text-xl font-bold">{d.invoice.lot}</span>
              <span>
                {d.invoice.mill}: {d.invoice.colour} {d.invoice.material},{' '}
                {units.thickness(d.invoice.thickness_mm)}, grade {d.invoice.grade}
              </span>
              <span className="text-ink-soft">
                {dayOf(d.received_on)}
                {d.closed
                  ? ''
                  : d.out_hides > 0
                    ? `, ${d.out_hides} still to come`
                    : d.invoice.hides > 0
                      ? ', all of it counted'
                      : ', still coming in'}
              </span>
              <span>
                {plural(d.count, 'hide')}, {d.measured} measured
              </span>
              <span className={d.claim ? 'font-semibold text-unsound' : 'text-ink-soft'}>
                <Said words={d.words} />
              </span>
              {d.claim && <span className="font-semibold text-unsound">to claim</span>}
            </Link>
          </li>
        ))}
      </ul>
    </div>
  )
}

/** What a lot was bought as. */
export function InvoiceFields({
  invoice,
  onChange,
}: {
  invoice: Invoice
  onChange: (invoice: Invoice) => void
}) {
  const set = (to: Partial<Invoice>) => {
    onChange({ ...invoice, ...to })
  }
  const rack = server.useQuery('get', '/api/leather', {}, { staleTime: 60_000 })
  const drawers = server.useQuery('get', '/api/patterns', {}, { staleTime: 60_000 })
  const known = (k: 'mill' | 'tannage' | 'finish' | 'colour' | 'grade') =>
    [...new Set((rack.data ?? []).map((h) => h[k]).filter(Boolean))].sort()
  const cutFrom = [
    ...new Set((drawers.data ?? []).flatMap((a) => Object.keys(a.leather_m2))),
  ].sort()
  const materials = [...new Set([...cutFrom, ...(rack.data ?? []).map((h) => h.material)])].sort()
  const unused =
    cutFrom.length > 0 && invoice.material.trim() !== '' && !cutFrom.includes(invoice.material)
  return (
    <div className="mt-3 grid grid-cols-4 items-start gap-x-4 gap-y-3">
      <TextField
        label="Mill"
        value={invoice.mill}
        known={known('mill')}
        most={64}
        onChange={(mill) => {
          set({ mill })
        }}
        live
      />
      <TextField
        label="Lot"
        value={invoice.lot}
        most={64}
        onChange={(lot) => {
          set({ lot })
        }}
        live
      />
      <NumberField
        label="Price"
        value={invoice.price || undefined}
        least={0}
        onChange={(price) => {
          set({ price })
        }}
      />
      <Choice
        label="Areas and price"
        value={invoice.unit}
        options={UNITS}
        onChange={(u) => {
          set({ unit: u })
        }}
      />
      <div>
        <TextField
          label="Material"
          value={invoice.material}
          known={materials}
          most={64}
          onChange={(material) => {
            set({ material })
          }}
          live
        />
        {unused && (
          <p className="text-[13px] text-brass-deep">
            No article is cut from this. They are cut from {cutFrom.join(', ')}.
          </p>
        )}
      </div>
      <TextField
        label="Tannage"
        value={invoice.tannage}
        known={known('tannage')}
        most={32}
        onChange={(tannage) => {
          set({ tannage })
        }}
        live
      />
      <TextField
        label="Finish"
        value={invoice.finish}
        known={known('finish')}
        most={64}
        onChange={(finish) => {
          set({ finish })
        }}
        live
      />
      <TextField
        label="Colour"
        value={invoice.colour}
        known={known('colour')}
        most={32}
        onChange={(colour) => {
          set({ colour })
        }}
        live
      />
      <Choice
        label="Temper"
        value={invoice.temper}
        options={[
          ['soft', 'soft'],
          ['medium', 'medium'],
          ['firm', 'firm'],
        ]}
        onChange={(temper) => {
          set({ temper })
        }}
      />
      <ThicknessField
        label="Thickness"
        mm={invoice.thickness_mm}
        onChange={(thickness_mm) => {
          set({ thickness_mm })
        }}
      />
      <TextField
        label="Grade bought"
        value={invoice.grade}
        known={known('grade')}
        most={16}
        onChange={(grade) => {
          set({ grade })
        }}
        live
      />
      <span className="flex gap-4">
        <NumberField
          label="Hides in all"
          value={invoice.hides || undefined}
          least={0}
          most={10_000}
          width="w-20"
          onChange={(hides) => {
            set({ hides: Math.round(hides) })
          }}
        />
        <NumberField
          label="Area in all"
          after={invoice.unit === 'ft2' ? 'ft²' : 'm²'}
          value={invoice.area || undefined}
          least={0}
          most={1_000_000}
          onChange={(area) => {
            set({ area })
          }}
        />
      </span>
    </div>
  )
}
