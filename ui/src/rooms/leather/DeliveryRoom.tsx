import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, readUnder, server, told } from '../../api/client'
import { leatherColour, pathOf } from '../../hide/paths'
import { useAsk } from '../../parts/Asking'
import { Button, Figure, Trouble, Waiting, Said } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { Choice, LengthField, TextField, Tick } from '../../parts/fields'
import { dayOf, FT2_PER_M2, percent, plural, useUnits } from '../../parts/units'
import { useBegun } from './hide'
import { InvoiceFields, type Invoice } from './ReceiveRoom'

const KINDS = ['side', 'whole', 'bend', 'shoulder', 'belly', 'offcut', 'roll'] as const
const SEVERAL: Partial<Record<(typeof KINDS)[number], string>> = {
  whole: 'whole hides',
  belly: 'bellies',
}

/** One delivery: hides off the lorry, tags, and measured area against invoiced. */
export function DeliveryRoom() {
  const ask = useAsk()
  const id = Number(useParams().id)
  const found = server.useQuery('get', '/api/leather/deliveries/{delivery_id}', {
    params: { path: { delivery_id: id } },
  })
  const queries = useQueryClient()
  const units = useUnits()
  const [kind, setKind] = useState<(typeof KINDS)[number]>('side')
  const [prefix, setPrefix] = useState<string | null>(null)
  const [width, setWidth] = useState(1400)
  const [areas, setAreas] = useBegun<string>(`areas.${id}`)
  const [changing, setChanging] = useState<Invoice | null>(null)
  const [note, setNote] = useState<string | null>(null)
  const fresh = async () => {
    await queries.invalidateQueries(readUnder('/api/leather'))
  }
  const receive = useMutation({
    mutationFn: (own: number[]) =>
      told(
        api.POST('/api/leather/deliveries/{delivery_id}/hides', {
          params: { path: { delivery_id: id } },
          body: {
            kind,
            areas: own,
            prefix: prefix ?? usual,
            width_mm: kind === 'roll' ? width : null,
          },
        }),
      ),
    onSuccess: () => {
      setAreas(null)
      return fresh()
    },
  })
  const [correct, setCorrect] = useState(false)
  const change = useMutation({
    mutationFn: (to: { invoice: Invoice; closed: boolean; correct: boolean }) =>
      told(
        api.PUT('/api/leather/deliveries/{delivery_id}', {
          params: { path: { delivery_id: id } },
          body: { ...to, note: note ?? found.data?.note ?? '' },
        }),
      ),
    onSuccess: () => {
      setChanging(null)
      setNote(null)
      return fresh()
    },
  })
  const back = useMutation({
    mutationFn: (hide: number) =>
      told(api.DELETE('/api/leather/hides/{hide_id}', { params: { path: { hide_id: hide } } })),
    onSuccess: fresh,
  })
  const choices = server.useQuery('get', '/api/leather/settings')
  const here =
    choices.data?.address === '' &&
    ['localhost', '127.0.0.1', '[::1]'].includes(window.location.hostname) &&
    (found.data?.hides.length ?? 0) > 0
  if (found.isPending) return <Waiting what="the delivery" />
  if (!found.data)
    return (
      <div className="p-8">
        <Trouble error={found.error} />
      </div>
    )
  const d = found.data
  const usual = `${d.invoice.mill.charAt(0).toUpperCase()}-`
  const typed = (areas ?? '')
    .split(/[\s;]+/)
    .filter(Boolean)
    .map((a) => Number(a.replace(',', '.')))
  const sound = typed.length > 0 && typed.every((a) => Number.isFinite(a) && a > 0)
  const foreign = (d.invoice.unit === 'ft2') === (units.system === 'metric')
  const asInvoiced = (m2: number) =>
    d.invoice.unit === 'ft2' ? `${Number((m2 * FT2_PER_M2).toFixed(2))} ft²` : `${m2.toFixed(2)} m²`
  const out = [d.out_hides > 0 && plural(d.out_hides, 'hide'), d.out_m2 > 0 && asInvoiced(d.out_m2)]
    .filter(Boolean)
    .join(' and ')
  const over = [
    d.out_hides < 0 && plural(-d.out_hides, 'hide'),
    d.out_m2 < 0 && asInvoiced(-d.out_m2),
  ]
    .filter(Boolean)
    .join(' and ')
  const toCome = [
    out &&
      `By the invoice ${out} ${d.out_hides === 1 && d.out_m2 <= 0 ? 'is' : 'are'} still to come.`,
    over && `What came is ${over} more than the invoice states: look at the areas again.`,
  ]
    .filter(Boolean)
    .join(' ')
  const longest = Math.max(
    1,
    ...d.hides.flatMap((h) => (h.kind === 'roll' ? [[2400]] : h.outline).map((p) => p[0] ?? 0)),
  )
  return (
    <div className="h-full overflow-auto px-5 pb-6">
      <div className="flex items-baseline gap-4 pt-3">
        <Link
          to="/leather/receive"
          className="min-h-9 content-center text-chalk-dim hover:text-chalk"
        >
          ← Receiving
        </Link>
        <h1 className="font-stamp text-2xl font-bold">
          Lot {d.invoice.lot} of {d.invoice.mill}
        </h1>
        <span className="text-chalk-dim">
          {dayOf(d.received_on)} · {d.invoice.colour} {d.invoice.material}, {d.invoice.tannage},{' '}
          {units.thickness(d.invoice.thickness_mm)}, grade {d.invoice.grade} ·{' '}
          {units.money(d.invoice.price)} per {d.invoice.unit === 'ft2' ? 'ft²' : 'm²'}
        </span>
      </div>
      {d.note && !changing && <p className="mt-1 text-chalk-dim">{d.note}</p>}
      {changing ? (
        <section className="docket torn mt-3 px-6 pt-4 pb-5" aria-label="The invoice">
          <InvoiceFields invoice={changing} onChange={setChanging} />
          <TextField label="Note" value={note ?? d.note} onChange={setNote} live className="mt-3" />
          {d.hides.length > 0 && (
            <Tick
              label={`It was typed wrong: the ${plural(d.hides.length, 'hide')} received get it too, and say so in their history`}
              checked={correct}
              onChange={setCorrect}
            />
          )}
          <Trouble error={change.error} onPaper />
          <div className="mt-3 flex gap-3">
            <Button
              look="brass"
              onClick={() => {
                change.mutate({ invoice: changing, closed: d.closed, correct })
              }}
            >
              Keep it
            </Button>
            <Button
              onClick={() => {
                setChanging(null)
                setNote(null)
              }}
            >
              Leave it
            </Button>
          </div>
        </section>
      ) : (
        <div className="mt-2 flex flex-wrap gap-3">
          <Button
            look="bench"
            onClick={() => {
              setChanging(d.invoice)
            }}
          >
            Change the invoice
          </Button>
          <Button
            look="bench"
            onClick={() => {
              change.mutate({ invoice: d.invoice, closed: !d.closed, correct: false })
            }}
          >
            {d.closed ? 'More is coming in' : 'All of it is here'}
          </Button>
          {d.hides.length > 0 && (
            <a
              className={likeAButton('bench')}
              href={`/api/leather/tags.pdf?ids=${d.hides.map((h) => h.id).join(',')}`}
            >
              Print {plural(d.hides.length, 'tag')}
            </a>
          )}
          {(d.measured > 0 || d.claim) && (
            <a
              className={likeAButton(d.claim ? 'brass' : 'bench')}
              href={`/api/leather/deliveries/${d.id}/claim.pdf`}
            >
              {d.claim ? 'Print the claim' : 'Print the measured areas'}
            </a>
          )}
          {here && (
            <span className="self-center text-sm text-chalk-dim">
              Their codes open on this computer alone:{' '}
              <Link className="underline" to="/leather/chalk">
                give the shop’s address
              </Link>
              .
            </span>
          )}
        </div>
      )}
      {!d.closed && (
        <section className="docket torn mt-3 px-6 pt-4 pb-4">
          <h2 className="font-stamp text-xl font-bold">Off the lorry</h2>
          <div className="mt-2 flex flex-wrap items-end gap-4">
            <Choice
              label="They are"
              value={kind}
              options={KINDS.map((k) => [k, SEVERAL[k] ?? `${k}s`] as const)}
              onChange={setKind}
            />
            {kind === 'roll' && <LengthField label="Width" mm={width} onChange={setWidth} />}
            <TextField
              label="Numbered from"
              value={prefix ?? usual}
              onChange={setPrefix}
              live
              className="w-28"
            />
            <TextField
              label={`Areas by the invoice in ${d.invoice.unit === 'ft2' ? 'ft²' : 'm²'}, one a ${kind === 'roll' ? 'roll' : 'hide'}`}
              value={areas ?? ''}
              onChange={setAreas}
              live
              className="min-w-64 flex-1"
            />
            <Button
              look="brass"
              className="min-h-12"
              disabled={!sound || receive.isPending}
              onClick={() => {
                receive.mutate(typed)
              }}
            >
              {sound
                ? `Receive ${plural(typed.length, kind === 'roll' ? 'roll' : 'hide')}`
                : 'Receive them'}
            </Button>
          </div>
          {toCome && <p className="mt-1 text-ink-soft">{toCome}</p>}
          {!sound && (areas ?? '').trim() !== '' && (
            <p className="mt-1 text-unsound">
              Areas are numbers with a space between, as 21.25 22.5.
            </p>
          )}
          <Trouble error={receive.error} onPaper />
        </section>
      )}
      <section className="docket torn mt-3 px-6 pt-4 pb-5">
        <div className="grid grid-cols-[repeat(4,auto)_1fr] gap-8">
          <Figure label="Hides" note={`${d.measured} measured`}>
            {d.hides.length}
            {d.invoice.hides > 0 && ` of ${d.invoice.hides}`}
          </Figure>
          <Figure label="Invoiced, of those measured">{units.area(d.invoice_m2)}</Figure>
          <Figure label="Measured" note={d.measured ? percent(d.off_share, 1) : ''}>
            {units.area(d.measured_m2)}
          </Figure>
          <Figure
            label="In money"
            note={d.doubt_money > 0 ? `may be off by ± ${units.money(d.doubt_money)}` : ''}
          >
            {d.off_money > 0 ? '+' : ''}
            {units.money(d.off_money)}
          </Figure>
          <p className={`self-center ${d.claim ? 'font-semibold text-unsound' : 'text-ink-soft'}`}>
            <Said words={d.words.charAt(0).toUpperCase() + d.words.slice(1)} />.
            {d.closed && over && ` ${toCome}`}
          </p>
        </div>
        <Trouble error={back.error ?? change.error} onPaper />
        <table className="mt-4 w-full">
          <thead>
            <tr className="text-left text-[13px] text-ink-soft">
              <th className="font-normal">hide</th>
              <th />
              <th className="text-right font-normal">invoiced</th>
              <th className="text-right font-normal">measured</th>
              <th className="text-right font-normal">off</th>
              <th className="text-right font-normal">in money</th>
              <th className="pl-6 font-normal">how far</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {d.hides.map((h) => (
              <tr key={h.id} className="border-t border-docket-line">
                <th scope="row" className="figure text-left text-xl font-bold">
                  <Link className="hover:underline" to={`/leather/${h.id}`}>
                    {h.number}
                  </Link>
                </th>
                <td className="py-1">
                  <svg
                    width={120}
                    height={58}
                    viewBox={`0 0 ${longest} ${longest * 0.483}`}
                    aria-hidden
                  >
                    <path
                      d={pathOf([h.outline])}
                      fill={h.measured ? leatherColour(d.invoice.colour) : 'none'}
                      stroke="#5b5044"
                      strokeWidth={longest / 90}
                      strokeDasharray={h.measured ? undefined : `${longest / 30} ${longest / 40}`}
                    />
                  </svg>
                </td>
                <td className="figure text-right">
                  {units.area(h.invoice_m2)}
                  {foreign && (
                    <span className="block text-sm text-ink-soft">{asInvoiced(h.invoice_m2)}</span>
                  )}
                </td>
                <td className="figure text-right">
                  {h.measured_m2 === null ? '–' : units.area(h.measured_m2)}
                </td>
                <td className="figure text-right">
                  {h.measured_m2 === null ? '' : percent(h.off_share, 1)}
                </td>
                <td className="figure text-right">
                  {h.measured_m2 === null ? '' : units.money(h.off_money)}
                </td>
                <td className="pl-6 text-ink-soft">{h.measured ? h.looked : 'not measured yet'}</td>
                <td className="text-right">
                  <Link
                    className={likeAButton(h.measured ? 'paper' : 'brass')}
                    to={h.measured ? `/leather/${h.id}` : `/leather/${h.id}/measure`}
                    aria-label={`${h.kind === 'roll' ? 'Open' : h.measured ? 'Look over' : 'Measure'} ${h.number}`}
                  >
                    {h.kind === 'roll' ? 'Open it' : h.measured ? 'Look it over' : 'Measure it'}
                  </Link>{' '}
                  <button
                    type="button"
                    className="min-h-11 px-2 underline"
                    aria-label={`Take ${h.number} back out`}
                    onClick={async () => {
                      if (
                        await ask.sure({
                          title: `Take ${h.number} off the rack?`,
                          words: 'It was counted by mistake, or goes back to the mill.',
                          go: 'Take it off',
                        })
                      )
                        back.mutate(h.id)
                    }}
                  >
                    back out
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </div>
  )
}
