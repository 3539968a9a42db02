import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, server, told, type Schemas } from '../../api/client'
import { HideView } from '../../hide/HideView'
import { pathOf } from '../../hide/paths'
import { Button, Trouble, Said } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { PickFile } from '../../parts/PickFile'
import { Reading } from '../../parts/Reading'
import { afterJob, type Job } from '../../parts/job'
import { Choice, LengthField, Tick } from '../../parts/fields'
import { plural, useUnits } from '../../parts/units'
import type { Hand } from './article'
import { box } from './ByMeasures'
import { contourPath, shifted, type Node } from './contours'
import { AddOne } from './drafts'
import { sendFile } from './files'
import { Handles } from './Handles'

type Said = Schemas['TracePicture']
const START: Said = {
  square_mm: 10,
  bar_mm: null,
  shows: 'part',
  line_mm: 3,
  follow: 'inside',
  thickness_mm: 1.5,
  grow_mm: 0,
}

/**
 * A part photographed on squared paper: straightened, traced, and its outline laid over the picture
 * to be mended.
 */
export function FromPhotograph({ hand, onAdded }: { hand: Hand; onAdded: () => void }) {
  const [file, setFile] = useState<Schemas['FileOut'] | null>(null)
  return file === null ? (
    <ChoosePicture onPicture={setFile} />
  ) : (
    <OnePicture
      key={file.id}
      file={file}
      hand={hand}
      onAgain={() => {
        setFile(null)
      }}
      onAdded={onAdded}
    />
  )
}

function ChoosePicture({ onPicture }: { onPicture: (file: Schemas['FileOut']) => void }) {
  const camera = server.useQuery('get', '/api/ways-in/camera')
  const [table, setTable] = useState('')
  const take = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/ways-in/camera', {
          body: { table: table || (camera.data?.tables[0] ?? '') },
        }),
      ),
    onSuccess: onPicture,
  })
  const send = useMutation({ mutationFn: sendFile, onSuccess: onPicture })
  return (
    <div className="overflow-auto px-5 pb-6">
      <ol className="mx-auto mt-6 grid max-w-4xl grid-cols-3 gap-6">
        <li className="docket torn px-5 pt-5 pb-5">
          <h2 className="font-stamp text-xl font-bold">1. Squared paper</h2>
          <p className="mt-2">
            Print the squared page at 100 %, and measure the bar at its foot: it must be 100 mm.
          </p>
          <ul className="mt-3 flex flex-wrap gap-2">
            {['A4', 'A3', 'A2', 'Letter'].map((paper) => (
              <li key={paper}>
                <a
                  className={likeAButton()}
                  href={`/api/ways-in/squared-page.pdf?paper=${paper}&landscape=${String(paper !== 'A4' && paper !== 'Letter')}`}
                >
                  {paper}
                </a>
              </li>
            ))}
          </ul>
        </li>
        <li className="docket torn px-5 pt-5 pb-5">
          <h2 className="font-stamp text-xl font-bold">2. Lay the part flat</h2>
          <p className="mt-2">
            One part, two squares clear of the border, pressed flat. Light from more than one side;
            no shadow of yours over it.
          </p>
          <p className="mt-2 text-ink-soft">
            A part, a card template, or an outline drawn round one will do.
          </p>
        </li>
        <li className="docket torn px-5 pt-5 pb-5">
          <h2 className="font-stamp text-xl font-bold">3. Photograph it</h2>
          <p className="mt-2">From straight above, the whole page in the picture.</p>
          <PickFile
            label="Picture"
            look="brass"
            className="mt-3 min-h-14 w-full text-lg"
            onPick={(file) => {
              send.mutate(file)
            }}
            disabled={send.isPending}
          >
            {send.isPending ? 'Bringing it in …' : 'Bring in a picture'}
          </PickFile>
          <div className="mt-4 border-t border-docket-line pt-3">
            <label className="block text-[13px] text-ink-soft" htmlFor="table">
              Or the {camera.data?.camera} camera, over
            </label>
            <select
              id="table"
              className="min-h-11 w-full border border-ink/40 bg-white px-2"
              value={table}
              onChange={(e) => {
                setTable(e.target.value)
              }}
            >
              {camera.data?.tables.map((t) => (
                <option key={t}>{t}</option>
              ))}
            </select>
            <Button
              className="mt-2 w-full"
              onClick={() => {
                take.mutate()
              }}
              disabled={take.isPending || !camera.data}
            >
              {take.isPending ? 'Taking it …' : 'Take a picture'}
            </Button>
          </div>
        </li>
      </ol>
      <div className="mx-auto mt-4 max-w-4xl">
        <Trouble error={camera.error ?? take.error ?? send.error} />
      </div>
    </div>
  )
}

function OnePicture({
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
  const [said, setSaid] = useState<Said>(START)
  const [at, setAt] = useState(0)
  const [mended, setMended] = useState<Record<string, Node[]>>({})
  const [picture, setPicture] = useState(true)
  const [reading, setReading] = useState<Job | null>(null)
  const traced = useQuery({
    queryKey: ['traced', file.id, said],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      afterJob(
        told(
          api.POST('/api/ways-in/files/{file_id}/traced', {
            params: { path: { file_id: file.id } },
            body: said,
          }),
        ),
        (job_id) =>
          told(api.GET('/api/ways-in/readings/{job_id}/traced', { params: { path: { job_id } } })),
        setReading,
        signal,
      ),
  })
  const units = useUnits()
  const part = traced.data?.parts[at] ?? traced.data?.parts[0]
  const key = `${at} ${JSON.stringify(said)}`
  const contour = mended[key] ?? part?.contour
  const seen = traced.data && !traced.error
  const bounds = part ? box(part.rings) : undefined
  const shape =
    part && contour && bounds
      ? {
          contour: shifted(contour, -bounds.x0, -bounds.y0),
          windows: part.windows.map((w) => shifted(w, -bounds.x0, -bounds.y0)),
        }
      : null
  const say = (to: Partial<Said>) => {
    setSaid({ ...said, ...to })
  }
  return (
    <div className="beside min-h-0 flex-1">
      <div className="relative min-w-0">
        {traced.isFetching && (
          <div className="absolute top-10 left-10 z-10">
            <Reading job={reading} what="the picture" />
          </div>
        )}
        {seen ? (
          <HideView
            bounds={traced.data.bounds}
            centred
            label="The picture straightened, with the outline found"
          >
            {(scale) => (
              <>
                {picture && (
                  <image
                    href={traced.data.picture}
                    x={traced.data.bounds.x0}
                    y={traced.data.bounds.y0}
                    width={traced.data.bounds.x1 - traced.data.bounds.x0}
                    height={traced.data.bounds.y1 - traced.data.bounds.y0}
                    preserveAspectRatio="none"
                  />
                )}
                {!picture && part && (
                  <path d={pathOf(part.rings)} fill="#efe2c4" fillRule="evenodd" />
                )}
                {traced.data.parts.map(
                  (other, i) =>
                    i !== at && (
                      <path
                        key={i}
                        d={contourPath(other.contour)}
                        fill="#d9a441"
                        fillOpacity={0.25}
                        stroke="#d9a441"
                        strokeWidth={2 / scale}
                        className="cursor-pointer"
                        onClick={() => {
                          setAt(i)
                        }}
                      >
                        <title>Take this part</title>
                      </path>
                    ),
                )}
                {part?.windows.map((w, i) => (
                  <path
                    key={i}
                    d={contourPath(w)}
                    fill="none"
                    stroke="#a3281a"
                    strokeWidth={1.6 / scale}
                  />
                ))}
                {contour && (
                  <Handles
                    contour={contour}
                    scale={scale}
                    onChange={(to) => {
                      setMended({ ...mended, [key]: to })
                    }}
                  />
                )}
              </>
            )}
          </HideView>
        ) : (
          <img
            src={`/api/ways-in/files/${file.id}/picture`}
            alt="The picture as it was taken"
            className="h-full w-full object-contain p-4"
          />
        )}
      </div>
      <section className="docket overflow-auto px-5 py-3" aria-label="What the picture shows">
        {traced.error ? (
          <>
            <h2 className="font-stamp text-xl font-bold">This picture cannot be used yet</h2>
            <div className="mt-2">
              <Trouble error={traced.error} onPaper />
            </div>
            <Button look="brass" className="mt-4 min-h-14 w-full text-lg" onClick={onAgain}>
              Take another picture
            </Button>
          </>
        ) : seen && part ? (
          <>
            <div className="flex items-baseline gap-3">
              <h2 className="figure text-[26px] font-bold">
                {units.length(part.length_mm)} × {units.length(part.width_mm)}
              </h2>
              <Button className="ml-auto" onClick={onAgain}>
                Another picture
              </Button>
            </div>
            <p className="text-sm text-ink-soft">
              {plural(traced.data.squares, 'square')} agree within {traced.data.rms_mm.toFixed(2)}{' '}
              mm · {plural(contour?.length ?? 0, 'node')}
              {part.windows.length > 0 && `, ${plural(part.windows.length, 'window')}`}
            </p>
            {traced.data.advice.map((words) => (
              <p key={words} className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
                <Said words={words} />
              </p>
            ))}
          </>
        ) : (
          <p role="status" className="text-ink-soft">
            Tracing …
          </p>
        )}
        <div className="mt-3 grid grid-cols-2 gap-x-4 gap-y-2">
          <Choice
            label="The picture shows"
            value={said.shows}
            options={[
              ['part', 'the part itself'],
              ['drawn line', 'an outline drawn'],
            ]}
            onChange={(shows) => {
              say({ shows })
            }}
          />
          {said.shows === 'part' ? (
            <LengthField
              label="How thick it is"
              mm={said.thickness_mm}
              onChange={(thickness_mm) => {
                say({ thickness_mm })
              }}
            />
          ) : (
            <LengthField
              label="Width of the line"
              mm={said.line_mm}
              onChange={(line_mm) => {
                say({ line_mm })
              }}
            />
          )}
          {said.shows === 'drawn line' && (
            <Choice
              label="The piece goes to its"
              value={said.follow}
              options={[
                ['inside', 'inner edge (line taken off)'],
                ['middle', 'middle'],
                ['outside', 'outer edge'],
              ]}
              onChange={(follow) => {
                say({ follow })
              }}
              className="col-span-2"
            />
          )}
          <LengthField
            label="Add all round (− takes off)"
            mm={said.grow_mm}
            onChange={(grow_mm) => {
              say({ grow_mm })
            }}
          />
          <LengthField
            label="The 100 mm bar measures"
            mm={said.bar_mm ?? 100}
            onChange={(bar_mm) => {
              say({ bar_mm })
            }}
          />
          <Tick label="show the picture" checked={picture} onChange={setPicture} />
          {mended[key] && (
            <Button
              onClick={() => {
                setMended(Object.fromEntries(Object.entries(mended).filter(([k]) => k !== key)))
              }}
            >
              As it was traced
            </Button>
          )}
        </div>
        {seen && <AddOne hand={hand} shape={shape} suggested="" onAdded={onAdded} />}
      </section>
    </div>
  )
}
