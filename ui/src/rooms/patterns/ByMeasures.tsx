import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, server, told, type Schemas } from '../../api/client'
import { HideView } from '../../hide/HideView'
import { boundsOf, pathOf } from '../../hide/paths'
import { PieceCard } from '../../hide/PieceCard'
import { Trouble } from '../../parts/controls'
import { Choice, LengthField, NumberField } from '../../parts/fields'
import { useUnits } from '../../parts/units'
import type { Hand } from './article'
import { AddOne } from './drafts'

type Measures = Record<string, number>
const KIND: Record<string, string> = { strap: 'strap', disc: 'crumb', ring: 'crumb' }

const drawn = (kind: string, measures: Measures) =>
  told(api.POST('/api/ways-in/shapes/{kind}', { params: { path: { kind } }, body: { measures } }))

/** A shape from its few measures, drawn as they are typed. */
export function ByMeasures({ hand, onAdded }: { hand: Hand; onAdded: () => void }) {
  const shapes = server.useQuery('get', '/api/ways-in/shapes', {}, { staleTime: Infinity })
  const [kind, setKind] = useState('strap')
  const [typed, setTyped] = useState<Record<string, Measures>>({})
  const shape = shapes.data?.find((s) => s.kind === kind)
  const measures = {
    ...Object.fromEntries((shape?.measures ?? []).map((m) => [m.name, m.usual])),
    ...typed[kind],
  }
  const preview = useQuery({
    queryKey: ['shape', kind, measures],
    enabled: !!shape,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => drawn(kind, measures),
  })
  const units = useUnits()
  const bounds = preview.data ? box(preview.data.rings) : { x0: 0, y0: 0, x1: 100, y1: 50 }
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[170px_minmax(0,1fr)_410px]">
      <Shapes shapes={shapes.data ?? []} at={kind} onChoose={setKind} />
      <HideView key={kind} bounds={bounds} centred label={`A ${kind} drawn to scale`}>
        {(scale) =>
          preview.data && (
            <path
              d={pathOf(preview.data.rings)}
              fill="#efe2c4"
              fillRule="evenodd"
              stroke="#3a3128"
              strokeWidth={1.6 / scale}
              data-shape={kind}
            />
          )
        }
      </HideView>
      <section className="docket overflow-auto px-5 py-4" aria-label={`Measures of the ${kind}`}>
        <h2 className="font-stamp text-xl font-bold">{shape?.says}</h2>
        <div className="mt-2 grid grid-cols-2 gap-x-4 gap-y-2">
          {shape?.measures.map((m) => {
            const set = (value: number) => {
              setTyped({ ...typed, [kind]: { ...typed[kind], [m.name]: value } })
            }
            const value = measures[m.name] ?? m.usual
            if (m.choices.length > 0)
              return (
                <Choice
                  key={m.name}
                  label={m.says}
                  value={String(value)}
                  options={m.choices.map((c, i) => [String(i), c] as const)}
                  onChange={(v) => {
                    set(Number(v))
                  }}
                />
              )
            if (m.whole)
              return (
                <NumberField
                  key={m.name}
                  label={m.says}
                  value={value}
                  least={m.least}
                  most={m.most}
                  onChange={set}
                />
              )
            return <LengthField key={m.name} label={m.says} mm={value} onChange={set} />
          })}
        </div>
        {preview.data && !preview.error && (
          <p className="mt-2 figure text-lg font-bold">
            {units.length(preview.data.length_mm)} × {units.length(preview.data.width_mm)}
          </p>
        )}
        <Trouble error={shapes.error ?? preview.error} onPaper />
        <AddOne
          key={kind}
          hand={hand}
          kind={KIND[kind] ?? 'inner part'}
          suggested={kind === 'strap' ? 'Strap' : kind.charAt(0).toUpperCase() + kind.slice(1)}
          shape={preview.data && !preview.error ? preview.data : null}
          onAdded={onAdded}
        />
      </section>
    </div>
  )
}

export function box(rings: number[][][]): Schemas['Bounds'] {
  const [x0, y0, x1, y1] = boundsOf(rings)
  return { x0, y0, x1, y1 }
}

function Shapes({
  shapes,
  at,
  onChoose,
}: {
  shapes: Schemas['ShapeOut'][]
  at: string
  onChoose: (kind: string) => void
}) {
  const usual = useQueries({
    queries: shapes.map((s) => ({
      queryKey: ['shape', s.kind, 'usual'],
      staleTime: Infinity,
      queryFn: () => drawn(s.kind, {}),
    })),
  })
  return (
    <ul className="overflow-auto border-r border-bench-line bg-bench-deep py-2" aria-label="Shapes">
      {shapes.map((s, i) => (
        <li key={s.kind}>
          <button
            type="button"
            aria-pressed={s.kind === at}
            onClick={() => {
              onChoose(s.kind)
            }}
            className={`flex min-h-16 w-full items-center gap-3 px-3 text-left ${s.kind === at ? 'bg-brass/25' : 'hover:bg-chalk/8'}`}
          >
            {usual[i]?.data ? (
              <PieceCard rings={usual[i].data.rings} grainDeg={null} size={54} />
            ) : (
              <span className="size-[54px]" />
            )}
            {s.kind}
          </button>
        </li>
      ))}
    </ul>
  )
}
