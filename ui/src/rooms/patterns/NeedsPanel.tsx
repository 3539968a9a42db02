import { useMutation } from '@tanstack/react-query'
import { api, told } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { Choice, LengthField, NumberField, TextField, Tick } from '../../parts/fields'
import type { Article, Drawn, Pattern } from './article'
import { useStarts } from './drafts'
import type { Act } from './pieceTools'

interface Shown {
  p: Pattern
  drawn: Drawn
  article: Article
  change: (alter: (p: Pattern) => Pattern) => void
  onAct: (act: Act) => void
}

/** What a piece needs of the leather. */
export function NeedsPanel({ p, drawn, article, change, onAct }: Shown) {
  const starts = useStarts()
  const n = p.needs
  const need = (to: Partial<Pattern['needs']>) => {
    change((q) => ({ ...q, needs: { ...q.needs, ...to } }))
  }
  const begin = useMutation({
    mutationFn: (name: string) =>
      told(api.POST('/api/patterns/starts/{name}', { params: { path: { name } }, body: p })),
    onSuccess: (piece) => {
      change(() => piece)
    },
  })
  const anyWay = n.grain_tolerance_deg >= 180
  const others = article.pieces.filter((q) => q.slug !== p.slug)
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-2.5">
      <TextField
        label="Name"
        value={p.name}
        onChange={(name) => {
          change((q) => ({ ...q, name }))
        }}
        className="col-span-2"
      />
      <Choice
        label="Needs of a"
        value={n.template}
        options={[
          ...(starts.data?.some((s) => s.name === n.template)
            ? []
            : [[n.template, n.template || 'not stated yet'] as const]),
          ...(starts.data ?? []).map((s) => [s.name, s.name] as const),
        ]}
        onChange={(name) => {
          begin.mutate(name)
        }}
      />
      <TextField
        label="Material"
        value={p.material}
        onChange={(material) => {
          change((q) => ({ ...q, material }))
        }}
      />
      <NumberField
        label="in each article"
        value={p.each}
        least={0}
        most={1000}
        onChange={(each) => {
          change((q) => ({ ...q, each: Math.round(each) }))
        }}
      />
      <Tick
        label="a pair: half mirrored"
        checked={p.pair}
        onChange={(pair) => {
          change((q) => ({ ...q, pair }))
        }}
      />
      <h3 className="col-span-2 mt-1 border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        Grain
      </h3>
      <Tick
        label="may lie any way"
        checked={anyWay}
        onChange={(on) => {
          need({ grain_tolerance_deg: on ? 180 : 10 })
        }}
      />
      <Tick
        label="the other way round will do"
        checked={n.reversible}
        disabled={anyWay}
        onChange={(reversible) => {
          need({ reversible })
        }}
      />
      <NumberField
        label="Axis on the pattern"
        value={n.grain_deg}
        after="°"
        disabled={anyWay}
        onChange={(grain_deg) => {
          need({ grain_deg })
        }}
      />
      <NumberField
        label="may be off by"
        value={Math.min(n.grain_tolerance_deg, 90)}
        after="°"
        least={0}
        most={180}
        disabled={anyWay}
        onChange={(grain_tolerance_deg) => {
          need({ grain_tolerance_deg })
        }}
      />
      <h3 className="col-span-2 mt-1 border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        Leather
      </h3>
      <Choice
        label="Loosest tightness"
        value={String(n.max_tightness)}
        options={[
          ['1', '1 tight only'],
          ['2', '2 firm'],
          ['3', '3 loose'],
          ['4', '4 slack: any'],
        ]}
        onChange={(v) => {
          need({ max_tightness: Number(v) })
        }}
      />
      <Choice
        label="Show face bears"
        value={String(n.show_limit)}
        options={[
          ['0', 'no mark'],
          ['1', 'surface marks'],
          ['2', 'any sound mark'],
        ]}
        onChange={(v) => {
          need({ show_limit: Number(v) })
        }}
      />
      <Maybe
        label="Least thickness"
        mm={n.least_mm ?? null}
        onChange={(least_mm) => {
          need({ least_mm })
        }}
      />
      <Maybe
        label="Most thickness"
        mm={n.most_mm ?? null}
        onChange={(most_mm) => {
          need({ most_mm })
        }}
      />
      <Maybe
        label="After skiving"
        mm={n.skived_mm ?? null}
        onChange={(skived_mm) => {
          need({ skived_mm })
        }}
      />
      <NumberField
        label="Layers cut for one"
        value={p.layers}
        least={1}
        most={20}
        onChange={(layers) => {
          change((q) => ({ ...q, layers: Math.round(layers) }))
        }}
      />
      <NumberField
        label="Worth (plain is 1)"
        value={n.value}
        least={0}
        most={100}
        onChange={(value) => {
          need({ value })
        }}
      />
      <NumberField
        label="Spares"
        value={p.spare_rate * 100}
        least={0}
        most={100}
        after="%"
        onChange={(v) => {
          change((q) => ({ ...q, spare_rate: v / 100 }))
        }}
      />
      <h3 className="col-span-2 mt-1 border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        Hidden areas
      </h3>
      <p className="col-span-2 text-sm text-ink-soft">
        {drawn.hidden.length === 0
          ? 'All of it is seen.'
          : 'Shaded on the drawing: marks may lie there.'}{' '}
        What is cut beyond the finished edge, and what a placed piece covers, hides itself.
      </p>
      <Button
        onClick={() => {
          onAct('hidden')
        }}
      >
        Paint one
      </Button>
      {n.hidden.length > 0 && (
        <Button
          onClick={() => {
            need({ hidden: n.hidden.slice(0, -1) })
          }}
        >
          Take the last away
        </Button>
      )}
      <h3 className="col-span-2 mt-1 border-t border-docket-line pt-2 font-stamp text-lg font-bold">
        In the article
      </h3>
      <Choice
        label="It lines"
        value={p.lines}
        options={[['', 'nothing'], ...others.map((q) => [q.slug, q.name] as const)]}
        onChange={(lines) => {
          change((q) => ({ ...q, lines }))
        }}
        className="col-span-2"
      />
      <TextField
        label="A way to make (part)"
        value={p.part}
        onChange={(part) => {
          change((q) => ({ ...q, part }))
        }}
      />
      <TextField
        label="which way"
        value={p.way}
        onChange={(way) => {
          change((q) => ({ ...q, way }))
        }}
      />
      <p className="col-span-2 text-[13px] text-ink-soft">
        Pieces of the same part are alternatives: single from thick, double from thin. A batch
        chooses one way.
      </p>
      <div className="col-span-2">
        <Trouble error={begin.error} onPaper />
      </div>
    </div>
  )
}

function Maybe({
  label,
  mm,
  onChange,
}: {
  label: string
  mm: number | null
  onChange: (mm: number | null) => void
}) {
  if (mm === null)
    return (
      <div>
        <span className="block text-[13px] text-ink-soft">{label}</span>
        <Button
          className="w-full"
          onClick={() => {
            onChange(2)
          }}
        >
          not stated
        </Button>
      </div>
    )
  return (
    <div className="flex items-end gap-1">
      <LengthField label={label} mm={mm} width="w-16" onChange={onChange} />
      <button
        type="button"
        className="min-h-11 px-2 text-lg"
        aria-label={`${label}: not stated`}
        onClick={() => {
          onChange(null)
        }}
      >
        ×
      </button>
    </div>
  )
}
