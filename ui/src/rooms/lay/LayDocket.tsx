import { DropdownMenu } from 'radix-ui'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { server } from '../../api/client'
import { Button, Figure, Said, Trouble } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { percent, plural, useUnits } from '../../parts/units'
import { isLive, type Job } from '../../parts/job'
import { useMay } from '../people/me'
import { chooseFor } from './ChooseRoom'
import { CompareLays } from './CompareLays'
import type { Lay } from './lay'
import { LayIt } from './LayIt'
import { RoomFor } from './RoomFor'
import { USUAL_SECONDS, type useLayActs } from './useLay'
import { ByClass, Went, type Step } from './Went'
import { AskedOtherwise, WhatIf } from './WhatIf'

const REST_MS = 1200
const EXPORTS = [
  { kind: 'svg', name: 'SVG, true size' },
  { kind: 'dxf', name: 'DXF, true size in mm' },
  { kind: 'lay.json', name: 'the lay as JSON' },
  { kind: 'job.json', name: 'the job as JSON' },
]
const SOURCE: Record<string, string> = {
  leather: 'onto its leather as it is now',
  begun: 'begun',
  engine: 'laid',
  hand: 'by hand',
  undo: 'gone back',
  redo: 'gone forward',
  'what if': 'asked otherwise',
}

interface Shown {
  lay: Lay
  job: Job | null
  hide: string
  acts: ReturnType<typeof useLayActs>
}

/**
 * The docket of a lay: the next act, its figures, where the leather went, what found no place, its
 * revisions.
 */
export function LayDocket({
  lay,
  job,
  hide,
  acts,
  inView,
  onPoint,
  onLight,
  practised = false,
}: Shown & {
  practised?: boolean
  inView: () => [number, number, number, number] | null
  onPoint: (piece: string | null) => void
  onLight: (step: Step | null) => void
}) {
  const [leatherBy, setLeatherBy] = useState<'went' | 'class'>('went')
  const units = useUnits()
  const f = lay.state.figures
  const here = lay.state.per_hide.find((h) => h.hide === hide)
  const mayRun = useMay('run') && !practised
  // What can lie at most is work for the server: it waits until a lay just asked for is seen.
  const rested = useRested()
  const most = server.useQuery(
    'get',
    '/api/lays/{lay_id}/most',
    { params: { path: { lay_id: lay.id } } },
    { staleTime: Infinity, enabled: rested && !(isLive(job) && job?.history.length === 0) },
  ).data
  return (
    <section className="docket torn min-h-0 overflow-auto" aria-label="Docket of this lay">
      <Trouble error={acts.error} onPaper />
      <Told lay={lay} job={job} acts={acts} />
      <AskedOtherwise lay={lay} />
      <div className="grid grid-cols-[236px_minmax(230px,1fr)] gap-x-6 gap-y-4 px-5 pt-2 pb-3 md:grid-cols-[236px_minmax(230px,1fr)_minmax(210px,1fr)] xl:h-[240px] xl:grid-cols-[236px_264px_240px_minmax(200px,1fr)_150px]">
        {mayRun ? (
          <LayIt {...{ lay, job, hide, acts, inView }} />
        ) : (
          <p className="text-sm text-ink-soft">
            You may look at this lay, and take it out as a file; a cutter lays it.
          </p>
        )}
        <div className="grid content-start gap-x-4 gap-y-1 [grid-template-columns:1fr_1fr]">
          <Figure label="Pieces placed">
            {f.placed} <span className="text-base font-normal">of {f.wanted}</span>
          </Figure>
          <Figure
            label="Yield of leather used"
            note={
              most && most.yield_of_used < 0.999
                ? `${percent(most.yield_of_used, 1)} at the most`
                : undefined
            }
          >
            {percent(f.yield_of_used, 1)}
          </Figure>
          <Figure label="Leather used" note={`${f.hides_used} of ${lay.hides.length} hides`}>
            {units.area(f.used_m2)}
          </Figure>
          <Figure
            label="Its cost"
            note={
              most && most.short_m2 === 0 && lay.objective === 'order'
                ? `${units.money(most.least_cost)} at the least`
                : f.placed > 0
                  ? `${units.area(f.placed_m2)} in pieces`
                  : undefined
            }
          >
            {units.money(f.cost)}
          </Figure>
          {here && here.remnant_m2 > 0 && <OnTheRack end={here} />}
        </div>
        <div className="min-w-0">
          <div className="flex gap-1 pb-1 text-[13px]">
            {LEATHER_BY.map(([by, words]) => (
              <button
                key={by}
                type="button"
                aria-pressed={leatherBy === by}
                className={`min-h-7 px-2 ${leatherBy === by ? 'bg-ink text-docket' : 'border border-ink/40'}`}
                onClick={() => {
                  setLeatherBy(by)
                }}
              >
                {words}
              </button>
            ))}
          </div>
          {isLive(job) ? (
            <p className="pt-1 text-sm text-ink-soft">It is reckoned once the laying ends.</p>
          ) : leatherBy === 'went' && f.placed > 0 ? (
            <Went lay={lay} hide={hide} onLight={onLight} />
          ) : (
            <ByClass lay={lay} hide={hide} />
          )}
          {here?.length_mm != null && (
            <div className="mt-1 text-sm">
              Roll used: <b className="figure">{units.length(here.length_mm)}</b>
            </div>
          )}
          <div className="mt-1 max-h-[68px] overflow-auto text-sm">
            {Object.entries(f.sets).map(([name, made]) => (
              <div key={name}>
                {name}: <b className="figure">{made}</b> of {f.sets_wanted[name] ?? '?'} whole
              </div>
            ))}
          </div>
        </div>
        <div className="flex min-h-0 min-w-0 flex-col">
          {lay.doubts.map((words) => (
            <p key={words} className="mb-2 border-l-4 border-brass bg-brass/15 px-2 py-1 text-sm">
              <Said words={words} />
            </p>
          ))}
          <div className="text-[13px] text-ink-soft">
            {lay.state.unplaced.length > 0
              ? isLive(job)
                ? 'Not laid yet'
                : 'Found no place'
              : f.placed === 0
                ? 'Nothing is laid yet'
                : 'Everything has its place'}
          </div>
          <div className="min-h-0 flex-1 overflow-auto pr-1 text-sm">
            {rested && !practised && lay.state.unplaced.length > 0 && f.placed > 0 && (
              <RoomFor key={lay.head} layId={lay.id} busy={isLive(job)} />
            )}
            {mayRun && !isLive(job) && <WholeInstead lay={lay} />}
            <ul aria-label="Found no place">
              {lay.state.unplaced.map((u) => (
                <li
                  key={u.piece}
                  className="border-b border-docket-line py-1 last:border-0"
                  onPointerEnter={() => {
                    onPoint(u.piece)
                  }}
                  onPointerLeave={() => {
                    onPoint(null)
                  }}
                >
                  <b className="figure text-base">{u.count}</b> {u.name}
                  {u.reason && (
                    <span className="text-ink-soft">
                      : <Said words={u.reason} />
                    </span>
                  )}
                </li>
              ))}
            </ul>
          </div>
        </div>
        <div className="flex flex-col gap-2">
          <WhatIf lay={lay} hide={hide} busy={isLive(job)} />
          <Exports layId={lay.id} />
          <CompareLays lay={lay} hide={hide} />
          <Link
            className={likeAButton()}
            to={`/lay/${lay.id}/templates/${encodeURIComponent(hide)}`}
          >
            Templates
          </Link>
          <Revisions lay={lay} busy={isLive(job)} acts={acts} />
        </div>
      </div>
    </section>
  )
}

/**
 * An order counts pieces. Where they lie strewn over articles that are not whole, another lay of the
 * same hides counts those; where one article alone lacks something, it could hardly do better.
 */
function WholeInstead({ lay }: { lay: Lay }) {
  const { sets, sets_wanted, placed } = lay.state.figures
  const short = Object.entries(sets).some(([name, made]) => {
    const missing = (sets_wanted[name] ?? 0) - made
    return missing > 1 || (missing === 1 && made === 0)
  })
  if (lay.objective !== 'order' || lay.state.unplaced.length === 0 || placed === 0 || !short)
    return null
  const hides = lay.hides.map((h) => h.number)
  return (
    <Link
      className={`${likeAButton()} mb-1 w-full`}
      to={chooseFor(lay.batch_id, lay.material, { hides, beside: lay.with_batches, aim: 'sets' })}
    >
      As many whole articles as go
    </Link>
  )
}

/** Whether the room has stood for a while: what only informs comes after what is waited for. */
function useRested() {
  const [rested, setRested] = useState(false)
  useEffect(() => {
    const timer = setTimeout(() => {
      setRested(true)
    }, REST_MS)
    return () => {
      clearTimeout(timer)
    }
  }, [])
  return rested
}

const LEATHER_BY = [
  ['went', 'where it went'],
  ['class', 'by tightness'],
] as const

/**
 * What stands between the lay and the knife: leather that changed, a lay that waits, hides nobody
 * looked over.
 */
function Told({ lay, job, acts }: Omit<Shown, 'hide'>) {
  const hit = lay.changed.reduce((sum, c) => sum + c.hit, 0)
  const waits = lay.waiting
  const unsigned = lay.state.unfair.filter((u) => u.signed_by === '')
  return (
    <>
      {lay.changed.length > 0 && (
        <div
          role="alert"
          className="mx-5 mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 border-l-4 border-unsound bg-unsound/10 px-3 py-1"
        >
          <span
            className="min-w-0 flex-1"
            title={lay.changed.flatMap((c) => c.sentences).join('\n')}
          >
            <Said words={lay.changed.map((c) => c.words).join('; ')} />.
          </span>
          <Button
            look="brass"
            disabled={isLive(job) || acts.mend.isPending}
            onClick={() => {
              acts.mend.mutate(USUAL_SECONDS)
            }}
          >
            {hit > 0 ? `Lay ${plural(hit, 'piece')} again` : 'Bring it onto the leather'}
          </Button>
        </div>
      )}
      {lay.asked_otherwise && (
        <div
          role="alert"
          className="mx-5 mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 border-l-4 border-brass bg-brass/15 px-3 py-1"
        >
          <span className="min-w-0 flex-1">
            The batch orders other pieces now than this lay was asked for.
          </span>
          <Button
            disabled={isLive(job) || acts.ontoBatch.isPending}
            onClick={() => {
              acts.ontoBatch.mutate()
            }}
          >
            Bring it onto the order
          </Button>
        </div>
      )}
      {unsigned.length > 0 && (
        <p role="alert" className="mx-5 mt-2 border-l-4 border-unsound bg-unsound/10 px-3 py-1">
          {plural(unsigned.length, 'piece')} {unsigned.length === 1 ? 'lies' : 'lie'} against a
          rule, on purpose: {unsigned.map((u) => `${u.name} ${u.copy_number + 1}`).join(', ')}. The
          lay is not fair until {unsigned.length === 1 ? 'it is' : 'they are'} mended or signed for.
        </p>
      )}
      {waits && (
        <div
          role="status"
          className="mx-5 mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 border-l-4 border-brass bg-brass/15 px-3 py-1"
        >
          <span className="min-w-0 flex-1">
            A lay of {waits.placed} pieces, {percent(waits.yield_of_used, 1)}, was found while
            pieces were moved by hand; both cannot stand together.
          </span>
          <Button
            onClick={() => {
              acts.takeWaiting.mutate()
            }}
          >
            Take it, and leave the moves
          </Button>
          <Button
            onClick={() => {
              acts.leaveWaiting.mutate()
            }}
          >
            Leave it
          </Button>
        </div>
      )}
    </>
  )
}

const ITEM =
  'block min-h-11 px-4 py-2.5 outline-none data-[highlighted]:bg-card data-[disabled]:opacity-50'

function Exports({ layId }: { layId: number }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>Take a file</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          side="top"
          className="docket z-30 border border-ink/40 shadow-lg"
          sideOffset={4}
        >
          {EXPORTS.map((e) => (
            <DropdownMenu.Item key={e.kind} asChild>
              <a className={ITEM} href={`/api/lays/${layId}/export/${e.kind}`} download>
                {e.name}
              </a>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

function Revisions({ lay, busy, acts }: Omit<Shown, 'hide' | 'job'> & { busy: boolean }) {
  const head = lay.revisions.at(-1)
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>Earlier lays</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            side="top"
            className="docket z-30 max-h-[60vh] overflow-auto border border-ink/40 shadow-lg"
            sideOffset={4}
          >
            {[...lay.revisions].reverse().map((r) => (
              <DropdownMenu.Item
                key={r.number}
                className={ITEM}
                disabled={busy || r.number === lay.head}
                onSelect={() => {
                  acts.goTo.mutate(r.number)
                }}
              >
                <b className="figure">{r.number}</b> {SOURCE[r.source] ?? r.source}
                {r.stands_for !== null && ` to ${r.stands_for}`}: {r.placed} pieces,{' '}
                {percent(r.yield_of_used, 1)}
                {r.mark && ` “${r.mark}”`}
                {r.by && <span className="text-ink-soft">, {r.by}</span>}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <form
        className="flex flex-col gap-1"
        onSubmit={(e) => {
          e.preventDefault()
          const mark = new FormData(e.currentTarget).get('mark')
          acts.name.mutate(typeof mark === 'string' ? mark : '')
        }}
      >
        <label className="text-[13px] text-ink-soft">
          Saved as revision <b className="figure text-ink">{lay.head}</b>
          <input
            key={`${lay.head}${head?.mark ?? ''}`}
            name="mark"
            maxLength={128}
            defaultValue={head?.mark ?? ''}
            placeholder="name it"
            className="block min-h-11 w-full border border-ink/40 bg-white px-2 text-base text-ink placeholder:text-ink-soft"
          />
        </label>
      </form>
    </>
  )
}

/** The straight-cut end that goes to the rack: how large, how long a strip it gives, how much is tight. */
function OnTheRack({ end }: { end: Shown['lay']['state']['per_hide'][number] }) {
  const units = useUnits()
  const more = end.rack_worth
  return (
    <p className="col-span-2 text-sm">
      To the rack <b className="figure">{units.area(end.remnant_m2)}</b>, {end.remnant_end} end: a
      strip of {units.length(end.strip_mm)}, {units.area(end.tight_m2)} tight
      {Math.abs(more) >= 0.01 &&
        `; worth ${units.money(Math.abs(more))} ${more > 0 ? 'more' : 'less'} than by area`}
    </p>
  )
}
