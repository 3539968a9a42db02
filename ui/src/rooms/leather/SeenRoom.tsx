import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useReducer, useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { api, readFrom, readUnder, told } from '../../api/client'
import { HideView, type ViewHandle } from '../../hide/HideView'
import type { Told } from '../../hide/places'
import { useDrawing } from '../../hide/useDrawing'
import { useAsk } from '../../parts/Asking'
import { Button, Trouble, Said } from '../../parts/controls'
import { Choice, LengthField, Tick } from '../../parts/fields'
import { RoomKeys } from '../../parts/keys'
import { plural, useUnits } from '../../parts/units'
import { DrawnUnit } from './DrawnUnit'
import { FoundRings } from './FoundRings'
import { seenName, useBegun, type At, type Known } from './hide'
import { KnownBefore } from './KnownBefore'
import { areaOf } from './push'
import { type Means, SayWhat, useSaying } from './SayWhat'
import { SeenOnTable } from './SeenOnTable'
import {
  asSeen,
  corrected,
  SHAPES,
  type Corrections,
  type Ring,
  type Seen,
  type SeenAct,
  type SeenTool,
  type Taken,
} from './seenTaken'

const TOOLS: [SeenTool, string, string][] = [
  ['push', 'Push the edge', 'Drag the edge, or the ring that is chosen, to where it belongs.'],
  ['add', 'Paint on', 'Draw over leather that was missed; parts that are touched are joined.'],
  ['take off', 'Paint off', 'Draw over what is no leather.'],
  ['cut', 'Cut', 'Draw from edge to edge; the larger part stays.'],
  ['ring', 'Draw a ring', 'Draw round a flaw; with a ring chosen, it is drawn anew.'],
  ['ends', 'Backbone', 'Press the backbone at the tail, then at the neck.'],
]
const TOOL_KEYS: Record<string, SeenTool> = {
  e: 'push',
  o: 'add',
  f: 'take off',
  c: 'cut',
  r: 'ring',
  b: 'ends',
}
/**
 * What was found of a hide laid over its picture: accepted, corrected or drawn anew by the cutter;
 * nothing is taken before that.
 */
export function SeenRoom({ known, seen }: { known: Known; seen: Seen }) {
  const ask = useAsk()
  const id = known.rack.id
  const units = useUnits()
  const go = useNavigate()
  const queries = useQueryClient()
  const [own, setOwn] = useBegun<Taken>(`seen.${id}.${seenName(seen)}`)
  const [, setPictures] = useBegun<number[]>(`pictures.${id}`)
  const [state, act] = useReducer((was: Corrections, a: SeenAct) => corrected(seen, was, a), {
    own,
    before: [],
    at: null,
    tool: null,
  })
  const taken = state.own ?? asSeen(seen)
  const { at, tool } = state
  // Corrections are kept in the browser until they are taken or left.
  useEffect(() => {
    setOwn(state.own)
  }, [state.own, setOwn])
  const view = useRef<ViewHandle>(null)
  const [brush, setBrush] = useState(40)
  const undo = () => {
    act({ type: 'undo' })
  }
  const mend = useMutation({
    mutationFn: ({ how, stroke }: { how: 'add' | 'take off' | 'cut'; stroke: At[] }) =>
      told(
        api.POST('/api/leather/mend', {
          body: { outline: taken.outline, holes: taken.holes, stroke, width_mm: brush, how },
        }),
      ),
    onSuccess: (to) => {
      act({ type: 'mended', outline: to.outline, holes: to.holes })
    },
  })
  const knownBefore =
    known.rack.measured && known.flaws.length + known.pulls.length + known.readings.length > 0
  const again = useQuery({
    queryKey: ['known-again', id, seenName(seen), taken.flesh, known.version],
    enabled: knownBefore,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      told(
        api.POST('/api/leather/hides/{hide_id}/known-again', {
          params: { path: { hide_id: id } },
          body: { outline: seen.outline, flesh_up: taken.flesh },
        }),
      ),
  })
  const keeps = knownBefore && taken.keep && again.data?.fits === true
  const leave = useMutation({
    mutationFn: () =>
      told(api.DELETE('/api/leather/hides/{hide_id}/seen', { params: { path: { hide_id: id } } })),
    onSuccess: () => {
      setOwn(null)
      return queries.invalidateQueries(readFrom('/api/leather/hides/{hide_id}'))
    },
  })
  const accept = useMutation({
    mutationFn: () =>
      told(
        api.POST('/api/leather/hides/{hide_id}/accept', {
          params: { path: { hide_id: id } },
          body: {
            outline: taken.outline,
            holes: taken.holes,
            flesh_up: taken.flesh,
            keep_known: keeps,
            rings: taken.rings
              .filter((r) => r.taken)
              .map(({ outline, kind, severity, chalk }) => ({ outline, kind, severity, chalk })),
            lines: taken.lines.flatMap(({ points, means }) =>
              means === 'nothing' ? [] : [{ points, means }],
            ),
            ends:
              taken.ends.tail && taken.ends.neck
                ? {
                    tail_x: taken.ends.tail[0],
                    tail_y: taken.ends.tail[1],
                    neck_x: taken.ends.neck[0],
                    neck_y: taken.ends.neck[1],
                  }
                : null,
          },
        }),
      ),
    onSuccess: async () => {
      setOwn(null)
      setPictures(null)
      await queries.invalidateQueries(readUnder('/api/leather'))
      await go(`/leather/${id}`)
    },
  })
  const ringAt = (i: number, is: Partial<Ring>) => {
    act({ type: 'ring is', at: i, is })
  }
  const pen = useDrawing(tool === null ? null : SHAPES[tool], (points) => {
    const stroke = points.map(({ x, y }): At => [x, y])
    const last = stroke.at(-1)
    if (tool === 'ends' && last) act({ type: 'end', at: last })
    else if (tool === 'ring') act({ type: 'ring', outline: stroke })
    else if (tool === 'add' || tool === 'take off' || tool === 'cut')
      mend.mutate({ how: tool, stroke })
  })
  const [saying, setSaying] = useState<Means | null>(null)
  const { look, reading, failed } = useSaying(known, seen.files, seen.bar_mm)
  const held = useRef<At | null>(null)
  /** Pushing shows at once what comes of it; the other tools, once they are let go. */
  const pointer: Told = (kind, place) => {
    if (saying) {
      if (kind !== 'down') return
      look.mutate([...seen.presses, { x: place.x, y: place.y, means: saying, picture: null }])
      setSaying(null)
      return
    }
    pen.onPointer(kind, place)
    if (tool !== 'push') return
    const to: At = [place.x, place.y]
    if (kind === 'down') act({ type: 'begin push' })
    else if (kind === 'move' && held.current) act({ type: 'push', from: held.current, to })
    held.current = kind === 'up' || (kind === 'move' && !held.current) ? null : to
  }
  const choose = (t: SeenTool) => {
    act({ type: 'tool', tool: t })
  }
  const step = (by: number) => {
    act({ type: 'step', by })
  }
  return (
    <div className="beside h-full">
      <div className="relative min-w-0">
        <HideView
          handle={view}
          bounds={seen.bounds}
          zero={{
            x: Math.min(...seen.outline.map((p) => p[0] ?? 0)),
            y: Math.min(...seen.outline.map((p) => p[1] ?? 0)),
          }}
          centred
          held={tool !== null || saying !== null}
          onPointer={pointer}
          label="The table from above, with what was found"
        >
          {(scale) => (
            <SeenOnTable
              {...{ seen, taken, at, tool, brush, act }}
              colour={known.rack.colour}
              drawn={pen.points}
              keptFlaws={keeps && again.data ? again.data.flaws : []}
              px={1 / scale}
            />
          )}
        </HideView>
      </div>
      <section className="docket flex min-h-0 flex-col" aria-label="What was found">
        <div className="min-h-0 flex-1 overflow-auto px-5 py-3">
          <div className="flex items-center">
            <h1 className="figure text-[26px] font-bold">
              {known.rack.number}:{' '}
              {units.area(state.own ? areaOf(state.own.outline, state.own.holes) : seen.area_m2)}
            </h1>
            <span className="ml-auto flex items-center gap-2 [&>button:last-child]:text-ink-soft">
              <Button disabled={state.before.length === 0} onClick={undo}>
                Undo
              </Button>
              <RoomKeys
                room="what was found"
                keys={[
                  {
                    key: 'ArrowRight',
                    shown: '→',
                    does: 'the next ring',
                    act: () => {
                      step(1)
                    },
                  },
                  {
                    key: 'ArrowLeft',
                    shown: '←',
                    does: 'the ring before',
                    act: () => {
                      step(-1)
                    },
                  },
                  {
                    key: 't',
                    does: 'take the ring, or leave it',
                    act: () => {
                      const r = at === null ? undefined : taken.rings[at]
                      if (r && at !== null) ringAt(at, { taken: !r.taken })
                    },
                  },
                  ...TOOLS.flatMap(([t, words]) => {
                    const key = Object.keys(TOOL_KEYS).find((k) => TOOL_KEYS[k] === t)
                    return key
                      ? [
                          {
                            key,
                            does: words.toLowerCase(),
                            act: () => {
                              choose(t)
                            },
                          },
                        ]
                      : []
                  }),
                  {
                    key: 'd',
                    does: 'draw by keys: arrows move the chalk, Space puts it down and lifts it, Enter presses',
                    act: () => view.current?.chalk(),
                  },
                  { key: 'u', does: 'undo the last correction', act: undo },
                  { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
                  { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
                  { key: '0', does: 'see the whole table', act: () => view.current?.whole() },
                  {
                    key: 'Escape',
                    shown: 'Esc',
                    does: 'put the tool down, or let go of the ring',
                    act: () => {
                      if (tool) act({ type: 'tool', tool: null })
                      else act({ type: 'choose', at: null })
                    },
                  },
                ]}
              />
            </span>
          </div>
          {seen.off_m2 > 0 && (
            <p className="font-semibold">
              measured to ± {units.area(seen.off_m2)}
              {known.rack.cost_per_m2 > 0 &&
                `, ± ${units.money(seen.off_m2 * known.rack.cost_per_m2)}`}
              <span className="font-normal text-ink-soft"> nineteen times in twenty</span>
            </p>
          )}
          <p className="text-sm text-ink-soft">
            {seen.source === 'picture'
              ? `${plural(seen.markers, 'marker')} agree within ${seen.rms_mm.toFixed(1)} mm · `
              : ''}
            {plural(taken.rings.length, 'ring')}, {plural(taken.holes.length, 'hole')}
          </p>
          {seen.advice.map((words) => (
            <p key={words} className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
              <Said words={words} />
            </p>
          ))}
          <div className="mt-3 grid grid-cols-3 gap-2">
            {TOOLS.map(([t, words]) => (
              <Button
                key={t}
                look={tool === t ? 'stop' : 'paper'}
                aria-pressed={tool === t}
                className="px-1"
                onClick={() => {
                  choose(t)
                }}
              >
                {words}
              </Button>
            ))}
          </div>
          {tool && (
            <p role="status" className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
              {TOOLS.find(([t]) => t === tool)?.[2]}
            </p>
          )}
          {(tool === 'add' || tool === 'take off') && (
            <LengthField label="Brush" mm={brush} onChange={setBrush} />
          )}
          {seen.source === 'picture' && seen.files.length > 0 && (
            <SayWhat
              {...{ saying, reading, failed }}
              onSay={setSaying}
              said={seen.presses}
              error={look.error}
              onForget={() => {
                look.mutate([])
              }}
            />
          )}
          {seen.source === 'drawing' && <DrawnUnit id={id} seen={seen} />}
          <FoundRings
            rings={taken.rings}
            holes={taken.holes.length}
            drawn={seen.source === 'drawing'}
            at={at}
            act={act}
          />
          {taken.lines.map((x, i) => (
            <Choice
              key={i}
              className="mt-2"
              label={x.kind === 'arrow' ? 'The arrow' : 'A line'}
              value={x.means}
              options={[
                ['least stretch', 'shows the line of least stretch'],
                ['backbone', 'is the backbone'],
                ['nothing', 'means nothing'],
              ]}
              onChange={(means) => {
                act({ type: 'line means', at: i, means })
              }}
            />
          ))}
          <Tick
            label="it lay flesh side up: turn it over"
            checked={taken.flesh}
            onChange={(flesh) => {
              act({ type: 'flesh', flesh })
            }}
          />
          {knownBefore && (
            <KnownBefore
              known={known}
              again={again.data}
              keeps={keeps}
              error={again.error}
              onKeep={(keep) => {
                act({ type: 'keep', keep })
              }}
            />
          )}
          {state.own && (
            <button
              type="button"
              className="min-h-11 underline"
              onClick={() => {
                act({ type: 'as found' })
              }}
            >
              As it was found
            </button>
          )}
        </div>
        <div className="border-t border-docket-line px-5 py-3">
          <Trouble error={mend.error ?? accept.error ?? leave.error} onPaper />
          <p className="mb-2 text-sm text-ink-soft">
            Taken: the outline, {plural(taken.rings.filter((r) => r.taken).length, 'ring')}
            {keeps && ', what was known before'}.{' '}
            {knownBefore &&
              !again.isPending &&
              !keeps &&
              'What was known of this hide before is put away; Undo brings it back.'}
          </p>
          <div className="flex gap-2">
            <Button
              look="brass"
              className="min-h-14 flex-1 text-lg"
              disabled={accept.isPending || (knownBefore && again.isPending)}
              onClick={() => {
                accept.mutate()
              }}
            >
              Take what is ticked
            </Button>
            <Button
              className="min-h-14"
              disabled={leave.isPending}
              onClick={async () => {
                const sure = await ask.sure({
                  title: `Leave all that was found of ${known.rack.number}?`,
                  words: 'What you corrected goes too. Its pictures stay, to be read again.',
                  go: 'Leave it all',
                })
                if (sure) leave.mutate()
              }}
            >
              Leave it all
            </Button>
          </div>
        </div>
      </section>
    </div>
  )
}
