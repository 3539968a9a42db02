import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, server, told, type Schemas } from '../../api/client'
import { Button, Trouble, Waiting } from '../../parts/controls'
import { Choice, LengthField, NumberField, TextField } from '../../parts/fields'

type Settings = Schemas['LeatherSettingsIO']
const MEANS = [
  ['surface', 'surface: only a mark'],
  ['blemish', 'blemish: plain, but sound'],
  ['unsound', 'unsound: no piece may use it'],
  ['line', 'lines: backbone, least stretch'],
] as const
const hex = (c: Settings['chalks'][number]) =>
  `#${[c.red, c.green, c.blue].map((v) => v.toString(16).padStart(2, '0')).join('')}`

/** The shop's own chalk table, limits of the pull test, and tolerance of a lot. */
export function ChalkRoom() {
  const found = server.useQuery('get', '/api/leather/settings')
  const queries = useQueryClient()
  const [changed, setChanged] = useState<Settings | null>(null)
  const keep = useMutation({
    mutationFn: (to: Settings) => told(api.PUT('/api/leather/settings', { body: to })),
    onSuccess: async () => {
      setChanged(null)
      await queries.invalidateQueries()
    },
  })
  if (found.isPending) return <Waiting what="the shop’s choices" />
  if (!found.data)
    return (
      <div className="p-8">
        <Trouble error={found.error} />
      </div>
    )
  const own = changed ?? found.data
  const set = (to: Partial<Settings>) => {
    setChanged({ ...own, ...to })
  }
  const chalk = (i: number, to: Partial<Settings['chalks'][number]>) => {
    set({ chalks: own.chalks.map((c, k) => (k === i ? { ...c, ...to } : c)) })
  }
  return (
    <div className="h-full overflow-auto px-5 pb-6">
      <div className="flex items-baseline gap-4 pt-3">
        <Link to="/leather" className="min-h-9 content-center text-chalk-dim hover:text-chalk">
          ← The rack
        </Link>
        <h1 className="font-stamp text-2xl font-bold">Chalk and limits</h1>
      </div>
      <section className="docket torn mx-auto mt-4 max-w-4xl px-6 pt-4 pb-6">
        <h2 className="font-stamp text-xl font-bold">What each chalk means</h2>
        <ul className="mt-2">
          {own.chalks.map((c, i) => (
            <li
              key={i}
              className="grid grid-cols-[60px_180px_1fr_auto] items-end gap-4 border-b border-docket-line py-2"
            >
              <input
                type="color"
                aria-label={`Colour of ${c.name}`}
                className="h-11 w-14 border border-ink/40"
                value={hex(c)}
                onChange={(e) => {
                  const v = e.target.value
                  chalk(i, {
                    red: parseInt(v.slice(1, 3), 16),
                    green: parseInt(v.slice(3, 5), 16),
                    blue: parseInt(v.slice(5, 7), 16),
                  })
                }}
              />
              <TextField
                label="Called"
                value={c.name}
                onChange={(name) => {
                  chalk(i, { name })
                }}
                live
              />
              <Choice
                label="Means"
                value={c.means}
                options={MEANS}
                onChange={(means) => {
                  chalk(i, { means })
                }}
              />
              <Button
                disabled={own.chalks.length < 2}
                onClick={() => {
                  set({ chalks: own.chalks.filter((_, k) => k !== i) })
                }}
              >
                Take it out
              </Button>
            </li>
          ))}
        </ul>
        <Button
          className="mt-2"
          onClick={() => {
            set({
              chalks: [
                ...own.chalks,
                { name: 'green', red: 70, green: 150, blue: 90, means: 'surface' },
              ],
            })
          }}
        >
          Another chalk
        </Button>
        <h2 className="mt-5 font-stamp text-xl font-bold">How far leather gives, per 100 mm</h2>
        <div className="mt-2 flex flex-wrap gap-5">
          {['Tight up to', 'Firm up to', 'Loose up to'].map((words, k) => (
            <NumberField
              key={words}
              label={words}
              after="mm"
              least={0.1}
              most={40}
              value={own.limits[k] ?? 0}
              onChange={(v) => {
                set({ limits: own.limits.map((x, j) => (j === k ? v : x)) })
              }}
            />
          ))}
        </div>
        <h2 className="mt-5 font-stamp text-xl font-bold">Other choices</h2>
        <div className="mt-2 flex flex-wrap gap-5">
          <NumberField
            label="A lot may be short by"
            after="%"
            least={0}
            most={49}
            value={own.tolerance * 100}
            onChange={(v) => {
              set({ tolerance: v / 100 })
            }}
          />
          <LengthField
            label="Width of a strap"
            mm={own.strap_mm}
            onChange={(strap_mm) => {
              set({ strap_mm })
            }}
          />
          <LengthField
            label="Margin along the edge"
            mm={own.edge_margin_mm}
            onChange={(edge_margin_mm) => {
              set({ edge_margin_mm })
            }}
            hint="of hides received from now on"
          />
          <TextField
            label="Currency"
            value={own.currency}
            onChange={(currency) => {
              set({ currency })
            }}
            live
            className="w-24"
          />
          <TextField
            label="The shop’s name, on a claim"
            value={own.shop}
            onChange={(shop) => {
              set({ shop })
            }}
            live
            className="w-64"
          />
          <div className="w-80">
            <TextField
              label="Address that the codes on tags open"
              value={own.address}
              onChange={(address) => {
                set({ address })
              }}
              live
            />
            <span className="block text-[13px] text-ink-soft">
              This machine as others in the shop reach it, as http://bench.local:8000. Empty:{' '}
              {window.location.origin}
            </span>
          </div>
        </div>
        <Trouble error={keep.error} onPaper />
        <div className="mt-4 flex gap-3">
          <Button
            look="brass"
            className="min-h-12"
            disabled={!changed || keep.isPending}
            onClick={() => {
              if (changed) keep.mutate(changed)
            }}
          >
            Keep these choices
          </Button>
          {changed && (
            <Button
              className="min-h-12"
              onClick={() => {
                setChanged(null)
              }}
            >
              Leave them as they were
            </Button>
          )}
        </div>
      </section>
    </div>
  )
}
