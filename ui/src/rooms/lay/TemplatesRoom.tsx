import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { api, readFrom, told, type Schemas } from '../../api/client'
import { HideView } from '../../hide/HideView'
import { pathOf } from '../../hide/paths'
import { Button, Said, Trouble } from '../../parts/controls'
import { NumberField } from '../../parts/fields'
import { afterJob, type Job } from '../../parts/job'
import { Reading } from '../../parts/Reading'
import { PickFile } from '../../parts/PickFile'
import { plural, useUnits } from '../../parts/units'
import { sendFile } from '../patterns/files'

type Found = Schemas['AsLaidOut']
type Template = Schemas['TemplateOut']
/** A template so far off its place is worth a word. */
const FAR_MM = 3
const SURELY = 0.72

/**
 * Card templates photographed on a hide, read back against the lay: how far each lies from where it
 * was planned, and what it lies on, before the first cut.
 */
export function TemplatesRoom() {
  const { id, hide = '' } = useParams()
  const lay_id = Number(id)
  const [bar, setBar] = useState(100)
  const [job, setJob] = useState<Job | null>(null)
  const read = useMutation({
    mutationFn: async (chosen: File | null) => {
      const path = { lay_id }
      const file = chosen
        ? await sendFile(chosen)
        : await told(
            api.POST('/api/lays/{lay_id}/templates/camera', { params: { path }, body: { hide } }),
          )
      return afterJob(
        told(
          api.POST('/api/lays/{lay_id}/templates', {
            params: { path },
            body: { file: file.id, hide, bar_mm: bar },
          }),
        ),
        (job_id) =>
          told(
            api.GET('/api/lays/{lay_id}/templates/{job_id}', {
              params: { path: { lay_id, job_id } },
            }),
          ),
        setJob,
      )
    },
  })
  return (
    <div className="beside h-full">
      <div className="relative min-w-0">
        {read.data ? (
          <OnTable found={read.data} />
        ) : (
          <p className="p-8 text-lg text-chalk-dim">
            Lay the card templates on {hide}, with the marker sheets round it, and photograph all of
            it from above.
          </p>
        )}
      </div>
      <section className="docket flex min-h-0 flex-col" aria-label="Templates">
        <div className="min-h-0 flex-1 overflow-auto px-5 py-3">
          <Link to={`/lay/${lay_id}`} className="text-ink-soft hover:underline">
            ← the lay
          </Link>
          <h1 className="figure text-[26px] font-bold">Templates on {hide}</h1>
          <div className="mt-2 flex flex-wrap items-end gap-2">
            <PickFile
              label="Picture of the templates"
              look={read.data ? 'paper' : 'brass'}
              className="min-h-12"
              disabled={read.isPending}
              onPick={(file) => {
                read.mutate(file)
              }}
            >
              Bring in a picture
            </PickFile>
            <Button
              className="min-h-12"
              disabled={read.isPending}
              onClick={() => {
                read.mutate(null)
              }}
            >
              Take one
            </Button>
            <NumberField
              label="The 100 mm bar measures"
              after="mm"
              least={80}
              most={120}
              value={bar}
              onChange={setBar}
            />
          </div>
          {read.isPending && (
            <div className="mt-3">
              <Reading job={job} what="the templates" />
            </div>
          )}
          <Trouble error={read.error} onPaper />
          {read.data && <Compared lay_id={lay_id} found={read.data} />}
        </div>
      </section>
    </div>
  )
}

function OnTable({ found }: { found: Found }) {
  const [x0 = 0, y0 = 0, x1 = 1, y1 = 1] = found.bounds
  const m = found.matrix
  return (
    <HideView
      bounds={{ x0, y0, x1, y1 }}
      centred
      label={`${found.hide} from above with ${plural(found.templates.length, 'template')}`}
    >
      {(scale) => {
        const px = 1 / scale
        return (
          <>
            <image
              href={found.picture}
              x={x0}
              y={y0}
              width={x1 - x0}
              height={y1 - y0}
              preserveAspectRatio="none"
            />
            <g transform={`matrix(${m.a} ${m.b} ${m.c} ${m.d} ${m.e} ${m.f})`}>
              <path d={pathOf([found.outline])} fill="none" stroke="#ffd76a" strokeWidth={2 * px} />
              {found.planned.map((p) => (
                <path
                  key={`${p.piece} ${p.copy_number}`}
                  d={pathOf([p.outline])}
                  fill={p.found ? 'none' : '#a3281a'}
                  fillOpacity={0.25}
                  stroke="#fffdf6"
                  strokeWidth={2 * px}
                  strokeDasharray={`${6 * px} ${4 * px}`}
                />
              ))}
              {found.templates.map((t, i) => (
                <path
                  key={i}
                  data-template={i + 1}
                  d={pathOf([t.outline])}
                  fill={colourOf(t)}
                  fillOpacity={0.22}
                  stroke={colourOf(t)}
                  strokeWidth={2.6 * px}
                />
              ))}
              {found.templates.map((t, i) => (
                <text
                  key={`n${i}`}
                  x={middleOf(t.outline)[0]}
                  y={middleOf(t.outline)[1] + 6 * px}
                  textAnchor="middle"
                  fontSize={17 * px}
                  fontWeight={700}
                  fill="#fffdf6"
                  stroke="#1a1512"
                  strokeWidth={4 * px}
                  paintOrder="stroke"
                >
                  {i + 1}
                </text>
              ))}
            </g>
          </>
        )
      }}
    </HideView>
  )
}

const wrong = (t: Template) => t.breaks.length > 0
const doubted = (t: Template) => t.may_be.length > 0 || t.support < SURELY
const far = (t: Template) => t.off_mm === null || t.off_mm > FAR_MM
const colourOf = (t: Template) =>
  wrong(t) ? '#c23a28' : doubted(t) || far(t) ? '#c68f2d' : '#2f6140'

function middleOf(outline: number[][]): [number, number] {
  const n = Math.max(1, outline.length)
  return [
    outline.reduce((sum, p) => sum + (p[0] ?? 0), 0) / n,
    outline.reduce((sum, p) => sum + (p[1] ?? 0), 0) / n,
  ]
}

function Compared({ lay_id, found }: { lay_id: number; found: Found }) {
  const units = useUnits()
  const go = useNavigate()
  const queries = useQueryClient()
  const missing = found.planned.filter((p) => !p.found)
  const broken = found.templates.filter(wrong).length
  const take = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/lays/{lay_id}/moves', {
          params: { path: { lay_id } },
          body: {
            base: found.head,
            put: found.templates.map(({ placement: p }) => ({
              piece: p.piece,
              copy: p.copy_number,
              hide: p.hide,
              x: p.matrix.e,
              y: p.matrix.f,
              rotation_deg: p.rotation_deg,
              mirrored: p.mirrored,
            })),
            take: missing.map((p) => ({ piece: p.piece, copy_number: p.copy_number })),
            insisting: broken > 0,
            mark: 'as the templates lay',
          },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries(readFrom('/api/lays/{lay_id}'))
      await go(`/lay/${lay_id}`)
    },
  })
  return (
    <>
      <p className="mt-3">
        {plural(found.templates.length, 'template')} found of {found.planned.length} planned here
        {broken > 0 && `; ${broken} against a rule`}.
      </p>
      {found.advice.map((words) => (
        <p key={words} className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
          <Said words={words} />
        </p>
      ))}
      <ol className="mt-2">
        {found.templates.map((t, i) => (
          <li key={i} className="border-t border-docket-line py-1.5">
            <div className="flex items-baseline gap-2">
              <b className="figure w-7 text-right">{i + 1}</b>
              <span className="min-w-0 flex-1 truncate">{t.name}</span>
              <span className={far(t) ? 'font-semibold text-unsound' : 'text-ink-soft'}>
                {t.off_mm === null ? 'not planned here' : `${units.thin(t.off_mm)} off`}
              </span>
            </div>
            {t.may_be.length > 0 && (
              <p className="pl-9 text-sm">It may be {t.may_be.join(' or ')} as well.</p>
            )}
            {t.support < SURELY && (
              <p className="pl-9 text-sm">
                Only part of its edge is seen: look whether it is this.
              </p>
            )}
            {t.breaks.map((words) => (
              <p key={words} className="pl-9 text-sm text-unsound">
                <Said words={words} />
              </p>
            ))}
          </li>
        ))}
        {missing.map((p) => (
          <li
            key={`${p.piece} ${p.copy_number}`}
            className="border-t border-docket-line py-1.5 pl-9 text-unsound"
          >
            {p.name} was planned here, and was not found.
          </li>
        ))}
      </ol>
      <Trouble error={take.error} onPaper />
      <Button
        look="brass"
        className="mt-3 min-h-14 w-full text-lg"
        disabled={take.isPending || found.templates.length === 0}
        onClick={() => {
          take.mutate()
        }}
      >
        {broken > 0 ? 'Insist: take the lay as it lies' : 'Take the lay as it lies'}
      </Button>
    </>
  )
}
