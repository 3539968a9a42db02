import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Figure, Said, Trouble, Waiting } from '../../parts/controls'
import { FIELD } from '../../parts/fields'
import { isLive, useFollowedJob } from '../../parts/job'
import { cssShare, useUnits } from '../../parts/units'
import { Only } from '../people/Only'
import { BookFrame } from './BookFrame'
import { Sheet, Table } from './Sheet'

const CLASS = ['', 'tight', 'firm', 'loose', 'any']

/** What an article costs: leather by piece, thread, hardware, minutes; and what rules would save. */
export function CostingPage() {
  const asked = useParams()['id']
  const go = useNavigate()
  const articles = server.useQuery('get', '/api/articles')
  const id = asked === undefined ? articles.data?.[0]?.id : Number(asked)
  return (
    <BookFrame>
      <div className="mb-4 flex flex-wrap gap-2" role="radiogroup" aria-label="Article">
        {articles.data?.map((a) => (
          <button
            key={a.id}
            type="button"
            role="radio"
            aria-checked={a.id === id}
            className={`min-h-11 rounded-sm border px-4 text-lg ${a.id === id ? 'border-brass bg-brass font-semibold text-ink' : 'border-chalk/40 hover:bg-chalk/10'}`}
            onClick={() => go(`/book/costing/${a.id}`)}
          >
            {a.name}
          </button>
        ))}
      </div>
      {articles.data?.length === 0 && (
        <p className="docket torn max-w-xl px-6 pt-5 pb-5 text-lg">
          No article is drawn yet.{' '}
          <Link className="underline" to="/patterns">
            To the patterns
          </Link>
        </p>
      )}
      {id !== undefined && <Costing key={id} id={id} />}
    </BookFrame>
  )
}

function Costing({ id }: { id: number }) {
  const [material, setMaterial] = useState('')
  const units = useUnits()
  const queries = useQueryClient()
  const found = server.useQuery('get', '/api/buying/costing/{article_id}', {
    params: { path: { article_id: id }, query: material ? { material } : {} },
  })
  const jobId = found.data?.job_id ?? null
  const forecast = server.useQuery(
    'get',
    '/api/buying/{job_id}',
    { params: { path: { job_id: jobId ?? 0 } } },
    { enabled: jobId !== null },
  )
  const again = () => {
    void queries.invalidateQueries(readFrom('/api/buying/costing/{article_id}'))
    void queries.invalidateQueries(readFrom('/api/buying/{job_id}'))
  }
  const job = useFollowedJob(forecast.data?.job, again)
  if (found.isPending) return <Waiting what="what it costs" />
  if (found.error) return <Trouble error={found.error} />
  const c = found.data
  const sizes = forecast.data?.parts.filter((p) => p.variant === '') ?? []
  return (
    <div className="grid gap-4 xl:grid-cols-[minmax(0,1fr)_420px]">
      <div className="grid content-start gap-4">
        <Sheet
          title={`One ${c.name}`}
          aside={
            c.materials.length > 1 && (
              <select
                aria-label="material"
                className={FIELD}
                value={c.material}
                onChange={(e) => {
                  setMaterial(e.target.value)
                }}
              >
                {c.materials.map((m) => (
                  <option key={m}>{m}</option>
                ))}
              </select>
            )
          }
        >
          <div className="mb-3 flex flex-wrap gap-x-9 gap-y-2">
            <Figure label={`leather: ${c.material}`}>
              {c.leather === null ? 'not found out yet' : units.money(c.leather)}
            </Figure>
            <Figure label="thread" note={units.run(c.thread_m * 1000)}>
              {units.money(c.thread_money)}
            </Figure>
            <Figure label="hardware">
              {units.money(c.hardware.reduce((sum, h) => sum + h.money, 0))}
            </Figure>
            <Figure
              label="cutting"
              note={
                c.minutes === null ? 'nothing of it was cut yet' : `${c.minutes.toFixed(0)} minutes`
              }
            >
              {c.minutes_money === null ? '–' : units.money(c.minutes_money)}
            </Figure>
            <Figure label="all that is known">{units.money(c.total)}</Figure>
          </div>
          <Table
            label="By piece"
            head={['piece', 'each', 'needs', 'area', 'leather', 'minutes']}
            rows={c.pieces.map((p) => ({
              key: p.piece,
              cells: [
                p.name,
                p.each,
                <span key="t" className="font-text text-[15px]">
                  {CLASS[p.tightness]}
                </span>,
                units.area(p.m2),
                p.money === null ? '–' : units.money(p.money),
                p.minutes === null ? '–' : p.minutes.toFixed(1),
              ],
            }))}
          />
          <p className="mt-2 text-[13px] text-ink-soft">
            A piece pays for its leather by its area and by how tight its leather must be.
          </p>
          {c.unpriced.length > 0 && (
            <p className="mt-1 text-[13px] text-ink-soft">
              Without a price yet: {c.unpriced.join(', ')}.
            </p>
          )}
        </Sheet>
        <PricesSheet hardware={c.hardware.map((h) => h.name)} />
      </div>
      <div className="grid content-start gap-4">
        <Begin id={id} material={c.material} onBegun={again} />
        {forecast.data && (
          <Sheet title="By size of the batch">
            {isLive(job) && (
              <div role="status" className="mb-2">
                {forecast.data.worlds} of {forecast.data.of} deliveries laid
                <div className="mt-1 h-3 border border-ink/60">
                  <div
                    className="h-full bg-brass"
                    style={{ width: cssShare(forecast.data.worlds / forecast.data.of) }}
                  />
                </div>
              </div>
            )}
            <Table
              label="By size of the batch"
              head={['a batch of', 'leather each', 'eight of ten', 'hides']}
              rows={sizes.map((p) => ({
                key: p.name,
                cells: [
                  p.size,
                  units.money(p.each.mean),
                  `${units.money(p.each.least)} to ${units.money(p.each.most)}`,
                  p.hides.toFixed(1),
                ],
              }))}
            />
            <p className="mt-2 text-[13px] text-ink-soft">
              {sizes[0] && `${sizes[0].source.name}; `}what is left of the last hide is counted as
              leather on the rack.
            </p>
          </Sheet>
        )}
        {c.variants.length > 0 && (
          <Sheet title="What a rule costs">
            <Table
              label="What a rule costs"
              head={['if', 'an article saves', 'likely']}
              rows={c.variants.map((v) => ({
                key: v.words,
                cells: [
                  <Said key="w" words={v.words} />,
                  v.firm ? units.money(v.saves) : 'nothing sure',
                  `${units.money(v.low)} to ${units.money(v.high)}`,
                ],
              }))}
            />
            <p className="mt-2 text-[13px] text-ink-soft">
              Laid on the same made-up hides with the rule eased, in batches of ten.
            </p>
          </Sheet>
        )}
      </div>
    </div>
  )
}

function Begin({ id, material, onBegun }: { id: number; material: string; onBegun: () => void }) {
  const sources = server.useQuery('get', '/api/buying/sources', {
    params: { query: { material } },
  })
  const [name, setName] = useState('')
  const [price, setPrice] = useState(90)
  const own = sources.data?.find((s) => s.name === name) ?? sources.data?.[0]
  const begin = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/buying/costing/{article_id}', {
          params: { path: { article_id: id } },
          body: {
            material,
            source: own
              ? { name: own.name, price_per_m2: null, stated: null }
              : {
                  name: '',
                  price_per_m2: null,
                  stated: { kind: 'side', area_m2: 2, price_per_m2: price, quality: 'middling' },
                },
          },
        }),
      ),
    onSuccess: onBegun,
  })
  return (
    <Only may="begin_costing">
      <Sheet title="Find out what its leather costs">
        {sources.data?.length === 0 ? (
          <label className="flex items-center gap-2">
            No records of this leather yet: sides of 2 m², middling, at
            <input
              type="number"
              min={0}
              className={`${FIELD} w-24`}
              value={price}
              onChange={(e) => {
                setPrice(Number(e.target.value))
              }}
            />
            a m²
          </label>
        ) : (
          <select
            aria-label="leather"
            className={`${FIELD} w-full`}
            value={own?.name ?? ''}
            onChange={(e) => {
              setName(e.target.value)
            }}
          >
            {sources.data?.map((s) => (
              <option key={s.name}>{s.name}</option>
            ))}
          </select>
        )}
        <Button
          look="brass"
          className="mt-3"
          disabled={begin.isPending || sources.isPending}
          onClick={() => {
            begin.mutate()
          }}
        >
          Lay 1, 10 and 100 of it
        </Button>
        <Trouble error={begin.error} onPaper />
      </Sheet>
    </Only>
  )
}

function PricesSheet({ hardware }: { hardware: string[] }) {
  const found = server.useQuery('get', '/api/buying/prices')
  return found.data ? (
    <PricesForm key={hardware.join()} prices={found.data} hardware={hardware} />
  ) : null
}

function PricesForm({ prices, hardware }: { prices: Schemas['Prices']; hardware: string[] }) {
  const queries = useQueryClient()
  const [own, setOwn] = useState(prices)
  const keep = useMutation({
    mutationFn: () => told(api.PUT('/api/buying/prices', { body: own })),
    onSettled: async () => {
      await queries.invalidateQueries(readFrom('/api/buying/prices'))
      await queries.invalidateQueries(readFrom('/api/buying/costing/{article_id}'))
    },
  })
  const field = (label: string, value: number, set: (v: number) => void) => (
    <label key={label} className="flex items-center justify-between gap-3">
      {label}
      <input
        type="number"
        min={0}
        step={0.01}
        className={`${FIELD} w-28 text-right`}
        value={value}
        onChange={(e) => {
          set(Math.max(0, Number(e.target.value)))
        }}
      />
    </label>
  )
  return (
    <Only may="put_prices">
      <Sheet title="What else costs">
        <div className="grid gap-2 sm:grid-cols-2">
          {field('a minute of work', own.minute, (minute) => {
            setOwn({ ...own, minute })
          })}
          {field('a metre of thread', own.thread_m, (thread_m) => {
            setOwn({ ...own, thread_m })
          })}
          {field('a metre of strip on the rack', own.strip_m, (strip_m) => {
            setOwn({ ...own, strip_m })
          })}
          {hardware.map((name) =>
            field(name, own.hardware[name] ?? 0, (v) => {
              setOwn({ ...own, hardware: { ...own.hardware, [name]: v } })
            }),
          )}
        </div>
        <Button
          className="mt-3"
          disabled={keep.isPending}
          onClick={() => {
            keep.mutate()
          }}
        >
          Keep these prices
        </Button>
        <Trouble error={keep.error} onPaper />
      </Sheet>
    </Only>
  )
}
