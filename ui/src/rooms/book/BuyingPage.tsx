import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import { api, server, told, type Schemas } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { FIELD } from '../../parts/fields'
import { dayOf, plural, useUnits } from '../../parts/units'
import { Only } from '../people/Only'
import { BookFrame } from './BookFrame'
import { Sheet } from './Sheet'

/** How many hides to buy: what for, of which leather, how sure. */
export function BuyingPage() {
  const [params] = useSearchParams()
  const batches = server.useQuery('get', '/api/batches')
  const articles = server.useQuery('get', '/api/articles')
  const before = server.useQuery('get', '/api/buying')
  const [what, setWhat] = useState(params.get('batch') ? `b${params.get('batch') ?? ''}` : '')
  const [quantity, setQuantity] = useState(10)
  const [season, setSeason] = useState<Record<number, number>>({})
  const [material, setMaterial] = useState('')
  const [margin, setMargin] = useState(5)
  const [rack, setRack] = useState(false)
  const [chosen, setChosen] = useState<string[]>([])
  const [stated, setStated] = useState<Schemas['StatedIn'] | null>(null)
  const go = useNavigate()
  const open = batches.data?.filter((b) => b.standing === 'open' && b.state !== 'cut') ?? []
  const batch = what.startsWith('b') ? open.find((b) => b.id === Number(what.slice(1))) : undefined
  const article = what.startsWith('a')
    ? articles.data?.find((a) => a.id === Number(what.slice(1)))
    : undefined
  const wanted =
    what === 's'
      ? Object.entries(season)
          .filter(([, n]) => n > 0)
          .map(([a, n]) => ({ article_id: Number(a), quantity: n }))
      : article
        ? [{ article_id: article.id, quantity }]
        : []
  const made = articles.data?.filter((a) => wanted.some((w) => w.article_id === a.id)) ?? []
  const materials = batch
    ? [
        ...new Set(
          batch.lines.flatMap(
            (l) =>
              articles.data?.find((a) => a.name === l.name)?.pieces.map((p) => p.material) ?? [],
          ),
        ),
      ]
    : [...new Set(made.flatMap((a) => a.pieces.map((p) => p.material)))]
  const leather = materials.includes(material) ? material : (materials[0] ?? '')
  const sources = server.useQuery(
    'get',
    '/api/buying/sources',
    { params: { query: { material: leather } } },
    { enabled: leather !== '' },
  )
  const own = chosen.filter((c) => sources.data?.some((s) => s.name === c))
  const begin = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/buying', {
          body: {
            batch_id: batch?.id ?? null,
            lines: wanted,
            material: leather,
            sources: [
              ...own.map((name) => ({ name, price_per_m2: null, stated: null })),
              ...(stated ? [{ name: '', price_per_m2: null, stated }] : []),
            ],
            margin: margin / 100,
            use_rack: rack,
            gap_mm: 0,
          },
        }),
      ),
    onSuccess: (job) => go(`/book/buying/${job.id}`),
  })
  return (
    <BookFrame>
      <div className="grid max-w-6xl gap-4 lg:grid-cols-[minmax(0,1fr)_340px]">
        <Sheet title="How many hides to buy">
          <p className="mb-3 text-ink-soft">
            The order is laid on many made-up hides, flawed as yours are. A rough answer stands here
            within ten seconds; a firm one follows by itself.
          </p>
          <div className="grid gap-3">
            <div className="flex flex-wrap items-center gap-3">
              <label className="flex items-center gap-2 text-lg">
                for
                <select
                  aria-label="what for"
                  className={`${FIELD} text-lg`}
                  value={what}
                  onChange={(e) => {
                    setWhat(e.target.value)
                  }}
                >
                  <option value="">a batch, an article, a season</option>
                  <option value="s">a season: several articles</option>
                  {open.map((b) => (
                    <option key={b.id} value={`b${b.id}`}>
                      batch {b.number} {b.name}
                    </option>
                  ))}
                  {articles.data?.map((a) => (
                    <option key={a.id} value={`a${a.id}`}>
                      {a.name}
                    </option>
                  ))}
                </select>
              </label>
              {article && (
                <label className="flex items-center gap-2 text-lg">
                  how many
                  <input
                    type="number"
                    min={1}
                    max={100000}
                    className={`${FIELD} w-28 text-lg`}
                    value={quantity}
                    onChange={(e) => {
                      setQuantity(Math.max(1, Number(e.target.value)))
                    }}
                  />
                </label>
              )}
              {what === 's' && (
                <div className="grid w-full gap-x-8 gap-y-1.5 sm:grid-cols-2">
                  {articles.data?.map((a) => (
                    <label key={a.id} className="flex items-center justify-between gap-3">
                      {a.name}
                      <input
                        type="number"
                        min={0}
                        max={100000}
                        className={`${FIELD} w-28`}
                        value={season[a.id] ?? 0}
                        onChange={(e) => {
                          setSeason({ ...season, [a.id]: Math.max(0, Number(e.target.value)) })
                        }}
                      />
                    </label>
                  ))}
                </div>
              )}
              {materials.length > 1 && (
                <label className="flex items-center gap-2 text-lg">
                  of
                  <select
                    aria-label="material"
                    className={`${FIELD} text-lg`}
                    value={leather}
                    onChange={(e) => {
                      setMaterial(e.target.value)
                    }}
                  >
                    {materials.map((m) => (
                      <option key={m}>{m}</option>
                    ))}
                  </select>
                </label>
              )}
            </div>
            {leather !== '' && (
              <fieldset>
                <legend className="text-lg">of which leather</legend>
                {sources.data?.length === 0 && (
                  <p className="text-ink-soft">
                    The shop has no records of {leather} yet: say below what it is like.
                  </p>
                )}
                <div className="mt-1 grid gap-1">
                  {sources.data?.map((s) => (
                    <SourceChoice
                      key={s.name}
                      source={s}
                      on={own.includes(s.name)}
                      onChange={(on) => {
                        setChosen(on ? [...own, s.name] : own.filter((c) => c !== s.name))
                      }}
                    />
                  ))}
                  <Stated stated={stated} onChange={setStated} />
                </div>
              </fieldset>
            )}
            <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
              <label className="flex items-center gap-2 text-lg">
                may be short once in
                <select
                  aria-label="may be short"
                  className={`${FIELD} text-lg`}
                  value={margin}
                  onChange={(e) => {
                    setMargin(Number(e.target.value))
                  }}
                >
                  <option value={20}>5 orders</option>
                  <option value={10}>10 orders</option>
                  <option value={5}>20 orders</option>
                  <option value={2}>50 orders</option>
                </select>
              </label>
              <label className="flex min-h-11 items-center gap-2 text-lg">
                <input
                  type="checkbox"
                  className="size-5"
                  checked={rack}
                  onChange={(e) => {
                    setRack(e.target.checked)
                  }}
                />
                use up what is free on the rack first
              </label>
            </div>
            <Only may="begin_forecast">
              <div>
                <Button
                  look="brass"
                  className="min-h-14 px-8 text-lg"
                  disabled={
                    begin.isPending || leather === '' || (own.length === 0 && stated === null)
                  }
                  onClick={() => {
                    begin.mutate()
                  }}
                >
                  Find out
                </Button>
              </div>
            </Only>
            <Trouble error={begin.error} onPaper />
          </div>
        </Sheet>
        <Sheet title="Asked before">
          {before.data?.length === 0 && <p className="text-ink-soft">Nothing yet.</p>}
          <ul className="grid gap-1.5">
            {before.data?.map((f) => (
              <li key={f.job_id}>
                <Link className="underline" to={`/book/buying/${f.job_id}`}>
                  {f.title}
                </Link>
                <span className="block text-[13px] text-ink-soft">
                  {dayOf(f.asked_at)}, {f.state}
                </span>
              </li>
            ))}
          </ul>
        </Sheet>
      </div>
    </BookFrame>
  )
}

function SourceChoice({
  source: s,
  on,
  onChange,
}: {
  source: Schemas['SourceOut']
  on: boolean
  onChange: (on: boolean) => void
}) {
  const units = useUnits()
  return (
    <label className="flex min-h-11 items-center gap-3 border-b border-docket-line">
      <input
        type="checkbox"
        className="size-5"
        checked={on}
        onChange={(e) => {
          onChange(e.target.checked)
        }}
      />
      <span className="min-w-0 flex-1">
        <span className="text-lg">{s.name}</span>
        <span className="block text-[13px] text-ink-soft">
          {units.area(s.area_m2)} each ·{' '}
          {((s.flaws_per_m2[1] ?? 0) + (s.flaws_per_m2[2] ?? 0)).toFixed(1)} blemishes and unsound
          places a m² · known from {plural(s.n, 'hide')}
        </span>
      </span>
      <span className="figure text-lg">{units.money(s.price_per_m2)} a m²</span>
    </label>
  )
}

function Stated({
  stated,
  onChange,
}: {
  stated: Schemas['StatedIn'] | null
  onChange: (s: Schemas['StatedIn'] | null) => void
}) {
  const set = (more: Partial<Schemas['StatedIn']>) => {
    if (stated) onChange({ ...stated, ...more })
  }
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <label className="flex min-h-11 items-center gap-3 text-lg">
        <input
          type="checkbox"
          className="size-5"
          checked={stated !== null}
          onChange={(e) => {
            onChange(
              e.target.checked
                ? { kind: 'side', area_m2: 2, price_per_m2: 60, quality: 'seconds' }
                : null,
            )
          }}
        />
        leather that you never had:
      </label>
      {stated && (
        <>
          <select
            aria-label="quality"
            className={FIELD}
            value={stated.quality}
            onChange={(e) => {
              set({ quality: e.target.value as Schemas['StatedIn']['quality'] })
            }}
          >
            {['clean', 'middling', 'seconds'].map((q) => (
              <option key={q}>{q}</option>
            ))}
          </select>
          <select
            aria-label="kind of hide"
            className={FIELD}
            value={stated.kind}
            onChange={(e) => {
              set({ kind: e.target.value as Schemas['StatedIn']['kind'] })
            }}
          >
            {['side', 'shoulder', 'bend', 'belly'].map((k) => (
              <option key={k}>{k}</option>
            ))}
          </select>
          <label className="flex items-center gap-1.5">
            <input
              type="number"
              step={0.05}
              min={0.05}
              max={8}
              className={`${FIELD} w-20`}
              value={stated.area_m2}
              onChange={(e) => {
                set({ area_m2: Number(e.target.value) })
              }}
            />
            m² each, at
          </label>
          <label className="flex items-center gap-1.5">
            <input
              type="number"
              step={1}
              min={0}
              aria-label="price of a square metre"
              className={`${FIELD} w-24`}
              value={stated.price_per_m2}
              onChange={(e) => {
                set({ price_per_m2: Number(e.target.value) })
              }}
            />
            a m²
          </label>
        </>
      )}
    </div>
  )
}
