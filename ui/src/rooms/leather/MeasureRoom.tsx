import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Trouble, Waiting, Said } from '../../parts/controls'
import { NumberField } from '../../parts/fields'
import { isLive, type Job, useFollowedJob } from '../../parts/job'
import { PickFile } from '../../parts/PickFile'
import { parseLength, plural, useUnits } from '../../parts/units'
import { sendFile } from '../patterns/files'
import { seenName, useBegun, useHide } from './hide'
import { readDrawing } from './DrawnUnit'
import { CheckCamera } from './CheckCamera'
import { PressPictures } from './PressPictures'
import type { Press } from './SayWhat'
import { SeenRoom } from './SeenRoom'

/**
 * Measuring a hide: from pictures of the table, a digitising table's drawing, or a rule along the
 * backbone.
 */
export function MeasureRoom() {
  const id = Number(useParams().id)
  const hide = useHide(id)
  if (hide.isPending) return <Waiting what="the hide" />
  if (!hide.data)
    return (
      <div className="p-8">
        <Trouble error={hide.error} />
      </div>
    )
  return hide.data.seen ? (
    <SeenRoom key={seenName(hide.data.seen)} known={hide.data} seen={hide.data.seen} />
  ) : (
    <Sources known={hide.data} />
  )
}

function Sources({ known }: { known: Schemas['HideRoomOut'] }) {
  const id = known.rack.id
  const queries = useQueryClient()
  const seen = async () => {
    await queries.invalidateQueries(readFrom('/api/leather/hides/{hide_id}'))
  }
  return (
    <div className="h-full overflow-auto px-5 pb-6">
      <div className="flex items-baseline gap-4 pt-3">
        <Link
          to={`/leather/${id}`}
          className="min-h-9 content-center text-chalk-dim hover:text-chalk"
        >
          ← {known.rack.number}
        </Link>
        <h1 className="font-stamp text-2xl font-bold">Measure {known.rack.number}</h1>
      </div>
      <div className="mx-auto mt-4 grid max-w-6xl grid-cols-[1.25fr_1fr] gap-6">
        <FromPictures known={known} onSeen={seen} />
        <div className="grid content-start gap-6">
          <FromDrawing id={id} onSeen={seen} />
          <ByRule id={id} onSeen={seen} />
          <CheckCamera bar={known.pictures?.bar_mm ?? 100} />
        </div>
      </div>
    </div>
  )
}

function FromPictures({
  known,
  onSeen,
}: {
  known: Schemas['HideRoomOut']
  onSeen: () => Promise<void>
}) {
  const id = known.rack.id
  const camera = server.useQuery('get', '/api/leather/camera')
  const [begun, setBegun] = useBegun<number[]>(`pictures.${id}`)
  const files = begun ?? known.pictures?.files ?? []
  const [said, setSaid] = useState<Press[]>(known.pictures?.presses ?? [])
  const [table, setTable] = useState('')
  const [bar, setBar] = useState(known.pictures?.bar_mm ?? 100)
  const names = Object.keys(camera.data?.tables ?? {})
  const over = table || (names[0] ?? '')
  const shots = camera.data?.tables[over] ?? 1
  const send = useMutation({
    mutationFn: sendFile,
    onSuccess: (file) => {
      setBegun([...files, file.id])
    },
  })
  const take = useMutation({
    mutationFn: async () => {
      const out = []
      for (let shot = 0; shot < shots; shot++)
        out.push(await told(api.POST('/api/leather/camera', { body: { table: over, shot } })))
      return out
    },
    onSuccess: (found) => {
      setBegun([...files, ...found.map((f) => f.id)])
    },
  })
  const look = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/leather/hides/{hide_id}/pictures', {
          params: { path: { hide_id: id } },
          body: { files, bar_mm: bar, presses: said },
          // Whoever closes the room at once has asked all the same.
          keepalive: true,
        }),
      ),
    onSuccess: onSeen,
  })
  const job = useFollowedJob(known.pictures?.job, (news) => {
    if (!isLive(news)) void onSeen()
  })
  const reading = look.isPending || isLive(job)
  const busy = send.isPending || take.isPending || reading
  return (
    <section className="docket torn px-6 pt-4 pb-6">
      <h2 className="font-stamp text-xl font-bold">From pictures</h2>
      <ol className="mt-2 list-decimal space-y-1.5 pl-5">
        <li>
          Tape{' '}
          <a className="underline" href="/api/leather/markers.pdf?count=12">
            marker sheets
          </a>{' '}
          flat on the table, eight or more, outside the hide all round. Print them at 100 %. (
          <a className="underline" href="/api/leather/markers.pdf?count=12&paper=Letter">
            Letter
          </a>
          )
        </li>
        <li>
          Lay the hide grain up on a table of another colour; weigh down edges that curl. Ring flaws
          in chalk, draw an arrow along the line of least stretch:{' '}
          {known.chalks
            .map((c) => `${c.name} for ${c.means === 'line' ? 'lines' : c.means}`)
            .join(', ')}
          .
        </li>
        <li>
          Photograph all of it with the markers, from as high as you can. A long hide: two pictures
          or more that overlap, with two markers in both.
        </li>
      </ol>
      <div className="mt-3 flex flex-wrap items-end gap-3">
        <PickFile
          label="Picture of the hide"
          look={files.length ? 'paper' : 'brass'}
          className="min-h-14 text-lg"
          disabled={busy}
          onPick={(file) => {
            send.mutate(file)
          }}
        >
          {send.isPending ? 'Bringing it in …' : 'Bring in a picture'}
        </PickFile>
        <NumberField
          label="The 100 mm bar measures"
          after="mm"
          least={80}
          most={120}
          value={bar}
          onChange={setBar}
        />
      </div>
      <div className="mt-3 flex flex-wrap items-end gap-3 border-t border-docket-line pt-3">
        <div className="min-w-0 flex-1">
          <label className="block text-[13px] text-ink-soft" htmlFor="hide-table">
            Or the {camera.data?.camera} camera, over
          </label>
          <select
            id="hide-table"
            className="min-h-11 w-full border border-ink/40 bg-white px-2"
            value={over}
            onChange={(e) => {
              setTable(e.target.value)
            }}
          >
            {names.map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </div>
        <Button
          disabled={busy || !camera.data}
          onClick={() => {
            take.mutate()
          }}
        >
          {take.isPending ? 'Taking it …' : shots > 1 ? `Take ${shots} pictures` : 'Take a picture'}
        </Button>
      </div>
      <Trouble error={camera.error ?? send.error ?? take.error} onPaper />
      {files.length > 0 && (
        <div className="mt-4 border-t border-docket-line pt-3">
          <ul className="flex flex-wrap gap-3">
            {files.map((id, i) => (
              <li key={id} className="w-40">
                <img
                  src={`/api/ways-in/files/${id}/picture`}
                  alt={`Picture ${i + 1}`}
                  className="h-24 w-40 object-cover"
                />
                {!reading && (
                  <button
                    type="button"
                    className="min-h-9 underline"
                    onClick={() => {
                      setBegun(files.filter((x) => x !== id))
                    }}
                  >
                    leave it out
                  </button>
                )}
              </li>
            ))}
          </ul>
          {reading ? (
            <Reading job={job} />
          ) : (
            <Button
              look="brass"
              className="mt-2 min-h-14 w-full text-lg"
              disabled={busy}
              onClick={() => {
                look.mutate()
              }}
            >{`Find the hide in ${plural(files.length, 'picture')}`}</Button>
          )}
        </div>
      )}
      <Trouble error={look.error} onPaper />
      {!reading && job?.state === 'failed' && (
        <div className="mt-3">
          <h3 className="font-semibold">
            {files.length > 1
              ? 'These pictures cannot be used yet'
              : 'This picture cannot be used yet'}
          </h3>
          <Trouble error={new Error(job.error)} onPaper />
          {job.error.includes('hide is seen') && (
            <PressPictures files={files} said={said} onSaid={setSaid} />
          )}
        </div>
      )}
    </section>
  )
}

/**
 * Pictures being read: what was found so far, and a way to stop. Whoever leaves the room finds it
 * here again.
 */
function Reading({ job }: { job: Job | null }) {
  const stop = useMutation({
    mutationFn: (id: number) =>
      told(api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id: id } } })),
  })
  const said = job && isLive(job) ? job.said : []
  return (
    <div className="mt-3 flex items-end gap-4 border-l-4 border-brass bg-brass/15 px-4 py-3">
      <ol className="min-w-0 flex-1" role="status" aria-label="Found so far">
        {said.map((words) => (
          <li key={words}>
            ✓ <Said words={words} />
          </li>
        ))}
        <li className="font-semibold">{NEXT[said.length] ?? 'Looking …'}</li>
      </ol>
      <Button
        look="stop"
        disabled={!job || stop.isPending}
        onClick={() => {
          if (job) stop.mutate(job.id)
        }}
      >
        Stop
      </Button>
      <Trouble error={stop.error} onPaper />
    </div>
  )
}

const NEXT = [
  'Waiting for its turn …',
  'Looking for the markers …',
  'Setting the camera straight …',
  'Following the edge …',
  'Looking for chalk …',
  'Laying it all over the picture …',
]

function FromDrawing({ id, onSeen }: { id: number; onSeen: () => Promise<void> }) {
  const read = useMutation({
    mutationFn: async (chosen: File) => {
      const file = await sendFile(chosen)
      await readDrawing(id, file.id, null)
    },
    onSuccess: onSeen,
  })
  return (
    <section className="docket torn px-6 pt-4 pb-5">
      <h2 className="font-stamp text-xl font-bold">From a drawing</h2>
      <p className="mt-1">
        An SVG or DXF of a digitising table or any program. The largest closed outline is the hide;
        rings in its own pen are holes. Rings and lines on layers named for flaws (FLAW_UNSOUND,
        defect 2, scars) or in another pen are flaws, to be looked at next.
      </p>
      <PickFile
        label="Drawing of the hide"
        accept=".svg,.svgz,.dxf"
        className="mt-2 min-h-12"
        disabled={read.isPending}
        onPick={(file) => {
          read.mutate(file)
        }}
      >
        {read.isPending ? 'Reading it …' : 'Bring in a drawing'}
      </PickFile>
      <Trouble error={read.error} onPaper />
    </section>
  )
}

/**
 * The stations as they are typed, joined by straight lines: a figure that is wrong sticks out at
 * once.
 */
function ByRuleDrawn({ rows }: { rows: number[][] }) {
  const sound = rows
    .filter((row) => row.length === 3 && row.every(Number.isFinite))
    .sort((a, b) => (a[0] ?? 0) - (b[0] ?? 0))
  if (sound.length < 2) return null
  const along = sound.map((row) => row[0] ?? 0)
  const down = sound.flatMap((row) => row.slice(1))
  const [x0, x1, y0, y1] = [
    Math.min(...along),
    Math.max(...along),
    Math.min(0, ...down),
    Math.max(...down),
  ]
  const px = Math.max(x1 - x0, (y1 - y0) * 2.4, 1) / 420
  const edge = (k: 1 | 2) => sound.map((row) => `${row[0] ?? 0},${row[k] ?? 0}`)
  return (
    <svg
      className="mt-1 mb-2 h-44 w-full"
      viewBox={`${x0 - 8 * px} ${y0 - 8 * px} ${x1 - x0 + 16 * px} ${y1 - y0 + 16 * px}`}
      role="img"
      aria-label={`What ${sound.length} stations enclose`}
    >
      <line x1={x0} x2={x1} y1={0} y2={0} stroke="#c68f2d" strokeWidth={4 * px} />
      <path
        d={`M${[...edge(1), ...edge(2).reverse()].join('L')}Z`}
        fill="#a5693f"
        fillOpacity={0.5}
        stroke="#211c17"
        strokeWidth={1.5 * px}
      />
      {sound.map((row, i) => (
        <line
          key={i}
          x1={row[0]}
          x2={row[0]}
          y1={row[1]}
          y2={row[2]}
          stroke="#211c17"
          strokeWidth={px}
          strokeDasharray={`${3 * px} ${3 * px}`}
        />
      ))}
    </svg>
  )
}

const START_INCHES =
  '0, 2 1/2, 28\n12, 1/2, 35\n24, 0, 34\n36, 0, 33\n48, 0, 32\n60, 0, 31\n72, 0, 30\n84, 1 1/2, 20'
const START =
  '0, 60, 700\n300, 10, 900\n600, 0, 870\n900, 0, 850\n1200, 0, 830\n1500, 5, 800\n1800, 0, 760\n2100, 40, 500'

function ByRule({ id, onSeen }: { id: number; onSeen: () => Promise<void> }) {
  const units = useUnits()
  const [begun, setText] = useBegun<string>(`stations.${id}`)
  const text = begun ?? ''
  const rows = text
    .split('\n')
    .map((row) => row.trim())
    .filter(Boolean)
    .map((row) =>
      row
        .split(row.includes(',') ? /[,;]/ : /[;\s]+/)
        .map((part) => parseLength(part, units.system) ?? NaN),
    )
  const [wrong, setWrong] = useState<Error | null>(null)
  const send = useMutation({
    mutationFn: (stations: number[][]) =>
      told(
        api.POST('/api/leather/hides/{hide_id}/by-rule', {
          params: { path: { hide_id: id } },
          body: { stations },
        }),
      ),
    onSuccess: () => {
      setText(null)
      return onSeen()
    },
  })
  const read = () => {
    const bad = rows.findIndex((row) => row.length !== 3 || !row.every(Number.isFinite))
    setWrong(
      bad >= 0
        ? new Error(`Line ${bad + 1} is no station: it wants three numbers, as 300, 10, 900.`)
        : null,
    )
    if (bad < 0) send.mutate(rows)
  }
  return (
    <section className="docket torn px-6 pt-4 pb-5">
      <h2 className="font-stamp text-xl font-bold">By rule</h2>
      <p className="mt-1">
        Lay a rule along the backbone. Every 100 to 300 mm from the tail: how far along, where the
        edge begins below the rule, where it ends
        {units.system === 'metric' ? ', in mm' : ', in inches'}.
      </p>
      <textarea
        className="mt-2 min-h-32 w-full border border-ink/40 bg-white p-2 figure"
        aria-label="Stations"
        placeholder={units.system === 'metric' ? START : START_INCHES}
        value={text}
        onChange={(e) => {
          setText(e.target.value)
        }}
      />
      <ByRuleDrawn rows={rows} />
      <Button className="min-h-12" disabled={send.isPending || text.trim() === ''} onClick={read}>
        Draw the outline
      </Button>
      <Trouble error={wrong ?? send.error} onPaper />
    </section>
  )
}
