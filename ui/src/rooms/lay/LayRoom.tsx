import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { Link, useParams } from 'react-router'
import { api, told, type Schemas } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { leatherColour } from '../../hide/paths'
import { Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { plural } from '../../parts/units'
import { isLive, useFollowedJob } from '../../parts/job'
import { LaidPieces } from './LaidPieces'
import { LayDocket } from './LayDocket'

type Lay = Schemas['LayOut']

/** A lay: the hide fills the screen, its docket lies along the near edge. */
export function LayRoom() {
  const id = Number(useParams()['id'])
  const lay = useQuery({
    queryKey: ['lay', id],
    queryFn: () => told(api.GET('/api/lays/{lay_id}', { params: { path: { lay_id: id } } })),
    placeholderData: (old) => old,
  })
  const rack = useQuery({ queryKey: ['leather'], queryFn: () => told(api.GET('/api/leather')) })
  if (lay.isPending) return <Waiting what="the lay" />
  if (lay.error)
    return (
      <div className="p-8">
        <Trouble error={lay.error} />
      </div>
    )
  return <Bench lay={lay.data} colours={new Map(rack.data?.map((h) => [h.number, h.colour]))} />
}

function Bench({ lay, colours }: { lay: Lay; colours: Map<string, string> }) {
  const [shown, setShown] = useState(0)
  const [held, setHeld] = useState<string | null>(null)
  const [pins, setPins] = useState<ReadonlySet<string>>(new Set())
  const view = useRef<ViewHandle>(null)
  const queries = useQueryClient()
  const job = useFollowedJob(lay.job, () => {
    void queries.invalidateQueries({ queryKey: ['lay', lay.id] })
  })
  const path = { lay_id: lay.id }
  const pinned = () =>
    lay.placements
      .filter((p) => pins.has(`${p.piece}#${p.copy_number}`))
      .map((p) => ({ piece: p.piece, copy_number: p.copy_number }))
  const togglePin = (key: string) => {
    setPins((old) => {
      const now = new Set(old)
      if (!now.delete(key)) now.add(key)
      return now
    })
  }
  const settled = () => queries.invalidateQueries({ queryKey: ['lay', lay.id] })
  const run = useMutation({
    mutationFn: ({ seconds, only }: { seconds: number; only: string | null }) =>
      told(
        api.POST('/api/lays/{lay_id}/run', {
          params: { path },
          body: {
            seconds,
            seed: Date.now() % 100_000,
            hides: only === null ? [] : [only],
            pinned: pinned(),
          },
        }),
      ),
    onSettled: settled,
  })
  const stop = useMutation({
    mutationFn: (jobId: number) =>
      told(api.POST('/api/jobs/{job_id}/stop', { params: { path: { job_id: jobId } } })),
    onSettled: settled,
  })
  const undo = useMutation({
    mutationFn: () =>
      told(api.POST('/api/lays/{lay_id}/undo', { params: { path }, body: { base: lay.head } })),
    onSettled: settled,
  })
  const goTo = useMutation({
    mutationFn: (number: number) =>
      told(
        api.POST('/api/lays/{lay_id}/go-to', {
          params: { path },
          body: { base: lay.head, number },
        }),
      ),
    onSettled: settled,
  })
  const name = useMutation({
    mutationFn: (mark: string) =>
      told(
        api.PUT('/api/lays/{lay_id}/revisions/{number}/mark', {
          params: { path: { ...path, number: lay.head } },
          body: { mark },
        }),
      ),
    onSettled: settled,
  })
  const live = isLive(job)
  const hide = lay.hides[shown] ?? lay.hides[0]
  const point = (by: number) => {
    const keys = lay.placements
      .filter((p) => p.hide === hide?.number)
      .map((p) => `${p.piece}#${p.copy_number}`)
    const at = held === null ? -1 : keys.indexOf(held)
    setHeld(
      keys[(at < 0 ? (by > 0 ? 0 : keys.length - 1) : at + by + keys.length) % keys.length] ?? null,
    )
  }
  const step = (by: number) => {
    setShown((shown + by + lay.hides.length) % lay.hides.length)
  }
  if (!hide) return null
  const here = lay.placements.filter((p) => p.hide === hide.number)
  const colour = leatherColour(colours.get(hide.number))
  const neckLeft = lay.per_hide.some((h) => h.hide === hide.number && h.neck_left)
  const pieces = new Map(lay.pieces.map((p) => [p.id, p]))
  const [heldPiece, heldCopy] = held?.split('#') ?? []
  const told_ = heldPiece ? pieces.get(heldPiece) : undefined
  return (
    <div className="flex h-full flex-col">
      <div className="flex min-h-11 items-center gap-5 bg-bench-deep px-5">
        <Link to={`/batches/${lay.batch_id}`} className="truncate text-chalk-dim hover:text-chalk">
          ← {lay.batch}
        </Link>
        <div role="tablist" aria-label="Hides of this lay" className="flex">
          {lay.hides.map((h, i) => (
            <button
              key={h.number}
              type="button"
              role="tab"
              aria-selected={i === shown}
              onClick={() => {
                setShown(i)
              }}
              className={`min-h-11 px-4 font-stamp text-lg ${i === shown ? 'bg-bench font-bold text-chalk' : 'text-chalk-dim hover:text-chalk'}`}
            >
              {h.number}{' '}
              <span className="font-text text-sm font-normal">
                {plural(lay.placements.filter((p) => p.hide === h.number).length, 'piece')}
              </span>
            </button>
          ))}
        </div>
        <span className="ml-auto text-sm text-chalk-dim">
          {neckLeft ? 'neck left, tail right' : 'tail left, neck right'}
        </span>
        <RoomKeys
          room="Lay"
          keys={[
            {
              key: 'l',
              does: live ? 'stop, and keep the best' : 'lay it',
              act: () => {
                if (live && job) stop.mutate(job.id)
                else run.mutate({ seconds: 30, only: null })
              },
            },
            {
              key: 'u',
              does: 'undo',
              act: () => {
                if (!live) undo.mutate()
              },
            },
            {
              key: ']',
              does: 'next hide',
              act: () => {
                step(1)
              },
            },
            {
              key: '[',
              does: 'hide before',
              act: () => {
                step(-1)
              },
            },
            {
              key: 'n',
              does: 'point at the next piece, for its needs',
              act: () => {
                point(1)
              },
            },
            {
              key: 'b',
              does: 'point at the piece before',
              act: () => {
                point(-1)
              },
            },
            {
              key: 'p',
              does: 'pin the piece pointed at where it is, or take its pin out',
              act: () => {
                if (held?.includes('#')) togglePin(held)
              },
            },
            { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
            { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
            { key: '0', does: 'see the whole hide', act: () => view.current?.whole() },
            {
              key: 'ArrowLeft',
              shown: '←',
              does: 'move along the hide',
              act: () => view.current?.move(60, 0),
            },
            {
              key: 'ArrowRight',
              shown: '→',
              does: 'move along the hide',
              act: () => view.current?.move(-60, 0),
            },
            {
              key: 'ArrowUp',
              shown: '↑',
              does: 'move toward the backbone',
              act: () => view.current?.move(0, 60),
            },
            {
              key: 'ArrowDown',
              shown: '↓',
              does: 'move toward the belly',
              act: () => view.current?.move(0, -60),
            },
          ]}
        />
      </div>
      <div className="relative min-h-0 flex-1">
        <HideView
          key={hide.number}
          handle={view}
          bounds={hide.bounds}
          label={`${hide.kind} ${hide.number} with ${here.length} pieces laid, backbone along the top, ${neckLeft ? 'neck' : 'tail'} at the left`}
        >
          {(scale) => (
            <>
              <HideDrawing hide={hide} colour={colour} scale={scale} />
              <LaidPieces
                placements={here}
                pieces={pieces}
                scale={scale}
                held={held}
                onHold={setHeld}
                pins={pins}
                onPin={togglePin}
              />
            </>
          )}
        </HideView>
        {told_ && (
          <div
            className="docket pointer-events-none absolute right-4 bottom-3 max-w-sm px-4 py-2 shadow-lg"
            role="status"
          >
            <div className="font-stamp text-lg font-bold">
              {told_.name}
              {heldCopy && ` ${Number(heldCopy) + 1}`}{' '}
              <span className="font-normal text-ink-soft">{told_.article}</span>
            </div>
            <div className="text-sm">{told_.needs.join(' · ')}</div>
            {held?.includes('#') &&
              (pins.has(held) ? (
                <div className="text-sm font-bold">Pinned: the rest is laid around it</div>
              ) : (
                <div className="text-sm text-ink-soft">Press it, or P, to pin it where it is</div>
              ))}
          </div>
        )}
      </div>
      <LayDocket
        lay={lay}
        job={job}
        hide={hide.number}
        error={run.error ?? stop.error ?? undo.error ?? goTo.error ?? name.error}
        pinned={pinned().length}
        onUnpin={() => {
          setPins(new Set())
        }}
        onRun={(seconds, only) => {
          run.mutate({ seconds, only })
        }}
        onStop={() => {
          if (job) stop.mutate(job.id)
        }}
        onUndo={() => {
          undo.mutate()
        }}
        onGoTo={(number) => {
          goTo.mutate(number)
        }}
        onName={(mark) => {
          name.mutate(mark)
        }}
        onPoint={(piece) => {
          setHeld(piece)
        }}
      />
    </div>
  )
}
