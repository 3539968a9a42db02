import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, told, type Schemas } from '../../api/client'
import { HideView } from '../../hide/HideView'
import { MarkShape } from '../../hide/MarkShape'
import { boundsOf, pathOf } from '../../hide/paths'
import { GrainArrow } from '../../hide/PieceCard'
import { Button, Trouble } from '../../parts/controls'
import { PickFile } from '../../parts/PickFile'
import { Reading } from '../../parts/Reading'
import { afterJob, type Job } from '../../parts/job'
import { Choice, FIELD, LengthField } from '../../parts/fields'
import { plural } from '../../parts/units'
import type { Hand } from './article'
import { FoundRow, placeOf, type Found } from './FoundRow'
import { ContourPaths, ContourUse, withSaid, type Said } from './Contours'
import { addPieces, draftFor, MATERIALS, useStarts, type Draft } from './drafts'
import { sendFile } from './files'

type Use = Schemas['LayerOut']['suggested']
const USES: Use[] = [
  'outline',
  'window',
  'stitch',
  'hole',
  'fold',
  'glue',
  'skive',
  'place',
  'leave out',
]
const INK: Record<Use, string> = {
  outline: '#f4f1e8',
  window: '#f4f1e8',
  stitch: '#9fd0ac',
  hole: '#e8a59a',
  fold: '#9cc3e6',
  glue: '#e0bd74',
  skive: '#e0bd74',
  place: '#c9c1b4',
  'leave out': '#5d6a6c',
}

const middleOf = (rings: number[][][]) => {
  const [x0, y0, x1, y1] = boundsOf(rings)
  return { x: (x0 + x1) / 2, y: (y0 + y1) / 2 }
}

/**
 * Pieces from a drawing made elsewhere: say what its units and layers are; see what was found,
 * closed and left out.
 */
export function FromDrawing({ hand, onAdded }: { hand: Hand; onAdded: () => void }) {
  const [file, setFile] = useState<Schemas['FileOut'] | null>(null)
  const send = useMutation({ mutationFn: sendFile, onSuccess: setFile })
  if (file)
    return (
      <OneDrawing
        key={file.id}
        file={file}
        hand={hand}
        onAgain={() => {
          setFile(null)
        }}
        onAdded={onAdded}
      />
    )
  return (
    <div className="mx-auto mt-10 max-w-lg">
      <div className="docket torn px-6 pt-6 pb-6">
        <h2 className="font-stamp text-xl font-bold">SVG or DXF</h2>
        <p className="mt-2">
          Outlines, windows, stitch lines, holes and folds may stand on layers, or in colours, of
          their own; you say what each is. Units are asked for where the file does not say.
        </p>
        <PickFile
          label="Drawing"
          accept=".svg,.svgz,.dxf"
          look="brass"
          className="mt-4 min-h-14 w-full text-lg"
          onPick={(file) => {
            send.mutate(file)
          }}
          disabled={send.isPending}
        >
          Bring in a drawing
        </PickFile>
        <div className="mt-3">
          <Trouble error={send.error} onPaper />
        </div>
      </div>
    </div>
  )
}

function OneDrawing({
  file,
  hand,
  onAgain,
  onAdded,
}: {
  file: Schemas['FileOut']
  hand: Hand
  onAgain: () => void
  onAdded: () => void
}) {
  const path = { file_id: file.id }
  const [reading, setReading] = useState<Job | null>(null)
  const drawing = useQuery({
    queryKey: ['drawing', file.id],
    retry: false,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      afterJob(
        told(api.POST('/api/ways-in/files/{file_id}/drawing', { params: { path } })),
        (job_id) =>
          told(api.GET('/api/ways-in/readings/{job_id}/drawing', { params: { path: { job_id } } })),
        setReading,
        signal,
      ),
  })
  const [unit, setUnit] = useState<string | null>(null)
  const [bar, setBar] = useState(100)
  const [uses, setUses] = useState<Record<string, Use>>({})
  const [allWindows, setAllWindows] = useState(false)
  const [said, setSaid] = useState<Said[]>([])
  const [lookedAt, setLookedAt] = useState(-1)
  const [drafts, setDrafts] = useState<Record<string, Draft>>({})
  const [out, setOut] = useState<Record<string, boolean>>({})
  const [material, setMaterial] = useState<string | null>(null)
  const [trouble, setTrouble] = useState<Error | null>(null)
  const starts = useStarts()
  const d = drawing.data
  const unitMm = d ? ((unit ? d.units_mm[unit] : undefined) ?? d.unit_mm ?? null) : null
  const mm = unitMm === null ? null : (unitMm * 100) / bar
  const sorted = useQuery({
    queryKey: ['sorted', file.id, mm, uses, allWindows, said],
    enabled: mm !== null,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      afterJob(
        told(
          api.POST('/api/ways-in/files/{file_id}/sorted', {
            params: { path },
            body: { unit_mm: mm ?? 1, uses, all_windows: allWindows, contours: said },
          }),
        ),
        (job_id) =>
          told(api.GET('/api/ways-in/readings/{job_id}/sorted', { params: { path: { job_id } } })),
        setReading,
        signal,
      ),
  })
  if (drawing.error)
    return (
      <div className="mx-auto mt-8 grid max-w-lg gap-3">
        <Trouble error={drawing.error} />
        <Button look="bench" onClick={onAgain}>
          Another drawing
        </Button>
      </div>
    )
  if (!hand.view) return null
  if (!d)
    return (
      <div className="mx-auto mt-8 w-full max-w-lg">
        <Reading job={reading} what={file.name} />
      </div>
    )
  const article = hand.view.article
  const purpose = (name: string) =>
    uses[name] ?? d.layers.find((l) => l.name === name)?.suggested ?? 'outline'
  const k = mm ?? 1
  const xs = d.strokes.flatMap((s) => s.points.map((p) => (p[0] ?? 0) * k))
  const ys = d.strokes.flatMap((s) => s.points.map((p) => (p[1] ?? 0) * k))
  const least = (v: number[]) => v.reduce((a, b) => Math.min(a, b), Infinity)
  const most = (v: number[]) => v.reduce((a, b) => Math.max(a, b), -Infinity)
  const [x0, y0] = [least(xs), least(ys)]
  const bounds = { x0: 0, y0: 0, x1: Math.max(1, most(xs) - x0), y1: Math.max(1, most(ys) - y0) }
  const pieces = sorted.data?.pieces ?? []
  const contours = sorted.data?.contours ?? []
  const notes = [...d.notes, ...(sorted.data?.notes ?? [])]
  const ofAll = material ?? article.pieces.at(-1)?.material ?? 'body leather'
  const draft = (p: Found): Draft => ({
    ...(drafts[placeOf(p)] ?? {
      ...draftFor(p.pattern.name, article),
      each: p.pattern.each,
      pair: p.pattern.pair,
    }),
    material: ofAll,
  })
  const taken = pieces.filter((p) => !out[placeOf(p)])
  const add = async () => {
    try {
      if (
        await addPieces(
          hand,
          taken.map((p) => ({ draft: draft(p), pattern: p.pattern })),
        )
      )
        onAdded()
    } catch (error) {
      setTrouble(error instanceof Error ? error : new Error(String(error)))
    }
  }
  return (
    <div className="beside min-h-0 flex-1">
      <HideView
        key={k}
        bounds={bounds}
        centred
        label="The drawing, by layers, with the pieces found"
      >
        {(scale) => {
          const px = 1 / scale
          return (
            <g transform={`translate(${-x0},${-y0})`}>
              {pieces.map((p, i) => (
                <g
                  key={i}
                  transform={`translate(${p.at.x},${p.at.y})`}
                  opacity={out[placeOf(p)] ? 0.25 : 1}
                >
                  <path
                    d={pathOf(p.rings)}
                    fill="#efe2c4"
                    fillRule="evenodd"
                    stroke="#3a3128"
                    strokeWidth={1.4 * px}
                    data-found={i}
                  />
                  {p.marks.map((m, j) => (
                    <MarkShape key={j} mark={m} px={px} />
                  ))}
                  {p.grain_deg !== null && (
                    <GrainArrow
                      {...middleOf(p.rings)}
                      deg={p.grain_deg}
                      length={Math.min(60 * px, p.width_mm * 0.7)}
                      width={1.5 * px}
                    />
                  )}
                  <text
                    x={p.length_mm * 0.02}
                    y={-6 * px}
                    fontSize={13 * px}
                    fill="#f4f1e8"
                    stroke="#2c3538"
                    strokeWidth={4 * px}
                    paintOrder="stroke"
                    pointerEvents="none"
                  >
                    {draft(p).name || `piece ${i + 1}`}
                  </text>
                </g>
              ))}
              {mm === null ||
              pieces.length === 0 ||
              d.layers.some((l) => purpose(l.name) === 'leave out')
                ? d.strokes
                    .filter((s) => pieces.length === 0 || purpose(s.layer) === 'leave out')
                    .map((s, i) => (
                      <path
                        key={i}
                        d={`M${s.points.map((p) => `${(p[0] ?? 0) * k},${(p[1] ?? 0) * k}`).join('L')}${s.closed ? 'Z' : ''}`}
                        fill="none"
                        stroke={INK[purpose(s.layer)]}
                        strokeWidth={1.2 * px}
                      />
                    ))
                : null}
              <ContourPaths contours={contours} at={lookedAt} px={px} onChoose={setLookedAt} />
              {sorted.data?.open_lines.map((line, i) => (
                <path
                  key={i}
                  d={`M${line.map((p) => `${p[0] ?? 0},${p[1] ?? 0}`).join('L')}`}
                  fill="none"
                  stroke="#ff8a75"
                  strokeWidth={2.4 * px}
                  strokeDasharray={`${6 * px} ${4 * px}`}
                />
              ))}
              {sorted.data?.gaps.map((g, i) => (
                <circle
                  key={i}
                  cx={g.x}
                  cy={g.y}
                  r={9 * px}
                  fill="none"
                  stroke={g.closed ? '#d9a441' : '#ff8a75'}
                  strokeWidth={2.4 * px}
                >
                  <title>{g.closed ? `a gap of ${g.mm} mm, closed` : `open by ${g.mm} mm`}</title>
                </circle>
              ))}
            </g>
          )
        }}
      </HideView>
      <section className="docket overflow-auto px-5 py-3" aria-label="What the drawing holds">
        <div className="flex items-baseline gap-3">
          <h2 className="min-w-0 truncate font-stamp text-xl font-bold">{d.name}</h2>
          <Button className="ml-auto" onClick={onAgain}>
            Another
          </Button>
        </div>
        <p
          className={
            d.unit_mm === null && unit === null
              ? 'mt-1 border-l-4 border-unsound bg-unsound/10 px-3 py-2 font-semibold'
              : 'text-sm text-ink-soft'
          }
        >
          {d.unit_says}
          {d.unit_mm === null && unit === null && ' Say which, below.'}
        </p>
        <div className="mt-2 grid grid-cols-2 gap-4">
          <Choice
            label="One unit of it is"
            value={unit ?? ''}
            options={[
              ['', d.unit_mm === null ? 'choose …' : 'as the file says'],
              ...Object.keys(d.units_mm).map(
                (u) => [u, `${u}: ${sizeIn(d.width * (d.units_mm[u] ?? 1))} across`] as const,
              ),
            ]}
            onChange={(u) => {
              setSaid([])
              setUnit(u || null)
            }}
          />
          <LengthField
            label="A bar of 100 mm in it measures"
            mm={bar}
            onChange={(mm) => {
              setSaid([])
              setBar(mm)
            }}
            hint={
              bar === 100
                ? undefined
                : `made ${bar < 100 ? 'larger' : 'smaller'} by ${Math.abs(10000 / bar - 100).toFixed(1)} %`
            }
          />
        </div>
        <table className="mt-3 w-full">
          <thead>
            <tr className="text-left text-[13px] text-ink-soft">
              <th className="font-normal">Layer or colour</th>
              <th className="font-normal">lines</th>
              <th className="font-normal">what it is</th>
            </tr>
          </thead>
          <tbody>
            {d.layers.map((l) => (
              <tr key={l.name} className="border-t border-docket-line">
                <td className="max-w-[150px] truncate py-1">
                  <span
                    className="mr-2 inline-block size-3 border border-ink/40"
                    style={{ background: l.colour || 'transparent' }}
                  />
                  {l.name}
                </td>
                <td className="figure">{l.strokes}</td>
                <td>
                  <select
                    aria-label={`What ${l.name} is`}
                    className={`${FIELD} w-full`}
                    value={purpose(l.name)}
                    onChange={(e) => {
                      setUses({ ...uses, [l.name]: e.target.value as Use })
                    }}
                  >
                    {USES.map((u) => (
                      <option key={u}>{u}</option>
                    ))}
                  </select>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <label className="mt-2 flex min-h-11 items-center gap-2">
          <input
            type="checkbox"
            className="size-5"
            checked={allWindows}
            onChange={(e) => {
              setAllWindows(e.target.checked)
            }}
          />
          All that is closed inside an outline is a window
        </label>
        {contours.length > 0 && (
          <ContourUse
            contours={contours}
            at={lookedAt}
            said={said}
            onChoose={setLookedAt}
            onSay={(of, use) => {
              setSaid(withSaid(said, of, use))
            }}
          />
        )}
        {notes.length > 0 && (
          <ul className="mt-2 grid gap-1 border-l-4 border-brass bg-brass/15 px-3 py-1.5 text-sm">
            {notes.map((note) => (
              <li key={note}>{note}</li>
            ))}
          </ul>
        )}
        {sorted.isFetching && <Reading job={reading} what="its pieces" />}
        <Trouble error={sorted.error} onPaper />
        {sorted.error && said.length > 0 && (
          <Button
            className="mt-2"
            onClick={() => {
              setSaid(said.slice(0, -1))
            }}
          >
            Take back what was said of a contour
          </Button>
        )}
        {pieces.length > 0 && (
          <form
            className="mt-4 border-t border-docket-line pt-3"
            onSubmit={(e) => {
              e.preventDefault()
              void add()
            }}
          >
            <h3 className="font-stamp text-lg font-bold">{plural(pieces.length, 'piece')} found</h3>
            <label className="mt-1 block text-[13px] text-ink-soft">
              Material of all of them
              <input
                list="materials"
                className={`${FIELD} block w-full`}
                value={ofAll}
                onChange={(e) => {
                  setMaterial(e.target.value)
                }}
              />
            </label>
            <datalist id="materials">
              {MATERIALS.map((m) => (
                <option key={m} value={m} />
              ))}
            </datalist>
            {pieces.map((p, i) => (
              <FoundRow
                key={placeOf(p)}
                number={i + 1}
                piece={p}
                draft={draft(p)}
                taken={!out[placeOf(p)]}
                kinds={(starts.data ?? []).map((k) => k.name)}
                onTake={(taken) => {
                  setOut({ ...out, [placeOf(p)]: !taken })
                }}
                onChange={(to) => {
                  setDrafts({ ...drafts, [placeOf(p)]: to })
                }}
              />
            ))}
            <Trouble error={trouble ?? hand.refused} onPaper />
            <Button
              look="brass"
              type="submit"
              className="mt-3 min-h-14 w-full text-lg"
              disabled={taken.length === 0 || !hand.open}
            >
              Add {plural(taken.length, 'piece')} to {article.name}
            </Button>
          </form>
        )}
      </section>
    </div>
  )
}

const sizeIn = (mm: number) =>
  mm >= 10_000 ? `${(mm / 1000).toFixed(0)} m` : `${mm.toFixed(mm < 10 ? 1 : 0)} mm`
