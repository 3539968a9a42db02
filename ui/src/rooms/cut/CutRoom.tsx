import { useRef, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { server } from '../../api/client'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { Button, Figure, Said, Trouble, Waiting } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { RoomKeys } from '../../parts/keys'
import { plural, useUnits } from '../../parts/units'
import { useMay } from '../people/me'
import { Bundles } from './Bundles'
import { CloseHide } from './CloseHide'
import { CutDrawing } from './CutDrawing'
import { Onto } from './Onto'
import { keyOf, stepNow, type Sheet, type Step } from './ticks'
import { useTicks } from './useTicks'

const TABS = [
  ['steps', 'Steps'],
  ['onto', 'Onto the leather'],
  ['bundles', 'Bundles'],
] as const

/** A hide to be cut: in which order, with what, how it gets onto the leather, what is bundled. */
export function CutRoom() {
  const id = Number(useParams()['id'])
  const found = server.useQuery('get', '/api/cut/{sheet_id}', {
    params: { path: { sheet_id: id } },
  })
  if (found.isPending) return <Waiting what="the hide" />
  if (found.error)
    return (
      <div className="p-8">
        <Trouble error={found.error} />
      </div>
    )
  return <Planned key={id} sheet={found.data} />
}

/** Each piece's number in the plan. */
export const numbersOf = (sheet: Sheet) => new Map(sheet.steps.map((s) => [keyOf(s), s.number]))

function Planned({ sheet }: { sheet: Sheet }) {
  const units = useUnits()
  const go = useNavigate()
  const view = useRef<ViewHandle>(null)
  const ticks = useTicks(sheet)
  const [tab, setTab] = useState<(typeof TABS)[number][0]>('steps')
  const [pointed, setPointed] = useState<string | null>(null)
  const [rough, setRough] = useState(false)
  const [onPicture, setOnPicture] = useState(false)
  const hide = server.useQuery(
    'get',
    '/api/leather/hides/{hide_id}',
    { params: { path: { hide_id: sheet.hide_id } } },
    { staleTime: 60_000 },
  )
  const backdrop = hide.data?.backdrop ?? null
  const mayCut = useMay('tick_pieces')
  const names = new Map(sheet.pieces.map((p) => [p.id, p]))
  const now = sheet.state === 'open' ? stepNow(sheet.steps, ticks.states) : null
  const shown = sheet.steps.find((s) => keyOf(s) === pointed) ?? now
  const done = sheet.steps.filter((s) => ticks.stateOf(s) === 'done').length
  const move = (by: number) => {
    const at = sheet.steps.findIndex((s) => s === shown)
    const next = sheet.steps[(at + by + sheet.steps.length) % Math.max(1, sheet.steps.length)]
    if (next) setPointed(keyOf(next))
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex min-h-11 items-center gap-5 bg-bench-deep px-5">
        <Link to="/cut" className="text-chalk-dim hover:text-chalk">
          ← Cut
        </Link>
        <b className="font-stamp text-xl whitespace-nowrap">{sheet.hide.number}</b>
        <Link to={`/lay/${sheet.lay_id}`} className="truncate text-chalk-dim hover:text-chalk">
          {sheet.batch}, lay revision {sheet.head}
        </Link>
        {done === 0 && (
          <Link
            to={`/lay/${sheet.lay_id}/templates/${encodeURIComponent(sheet.hide.number)}`}
            className="whitespace-nowrap text-chalk-dim underline hover:text-chalk"
          >
            Check the templates
          </Link>
        )}
        <span className="ml-auto text-sm whitespace-nowrap text-chalk-dim">
          {sheet.hide.left_end} left, {sheet.hide.right_end} right
        </span>
        <RoomKeys
          room="Cut"
          keys={[
            {
              key: 'n',
              does: 'show the next step',
              act: () => {
                move(1)
              },
            },
            {
              key: 'b',
              does: 'show the step before',
              act: () => {
                move(-1)
              },
            },
            { key: 'Enter', does: 'go to the bench', act: () => void go(`/cut/${sheet.id}/bench`) },
            { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
            { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
            { key: '0', does: 'see the whole hide', act: () => view.current?.whole() },
          ]}
        />
      </div>
      {sheet.changed.map((words) => (
        <div key={words} role="alert" className="bg-docket px-5 py-1.5 text-ink">
          <Said words={words} />.{' '}
          <Link className="underline" to={`/lay/${sheet.lay_id}`}>
            Bring the lay onto it
          </Link>
          : what is cut stays.
        </div>
      ))}
      <div className="min-h-0 flex-1">
        <HideView
          handle={view}
          bounds={sheet.hide.bounds}
          label={`${sheet.hide.number} with ${plural(sheet.steps.length, 'piece')} numbered in the order they are cut`}
        >
          {(scale) => (
            <CutDrawing
              sheet={sheet}
              states={ticks.states}
              now={shown}
              scale={scale}
              numbers={numbersOf(sheet)}
              blocks={rough}
              picture={onPicture ? backdrop : null}
            />
          )}
        </HideView>
      </div>
      <section
        className="docket torn grid max-h-[46%] min-h-[250px] shrink-0 grid-cols-[210px_1fr] gap-x-6 overflow-auto px-5 pt-2 pb-3 lg:grid-cols-[210px_260px_1fr]"
        aria-label="Docket of this cut"
      >
        <div className="flex flex-col gap-1.5">
          {sheet.state === 'open' ? (
            <>
              <Button
                look="brass"
                className="min-h-14 text-xl"
                onClick={() => void go(`/cut/${sheet.id}/bench`)}
              >
                {done === 0 ? 'To the bench' : 'Go on at the bench'}
              </Button>
              <a
                className={likeAButton()}
                href={`/api/cut/${sheet.id}/docket.pdf`}
                target="_blank"
                rel="noreferrer"
              >
                Print the docket
              </a>
            </>
          ) : (
            <p className="font-stamp text-xl font-bold">Cut, and closed</p>
          )}
          {mayCut && <CloseHide sheet={sheet} states={ticks.states} />}
          {ticks.away && (
            <p role="status" className="border-l-4 border-brass bg-brass/15 px-2 text-sm">
              No connection; {plural(ticks.waiting, 'tick')} kept here
            </p>
          )}
        </div>
        <div className="grid content-start gap-x-4 gap-y-1 [grid-template-columns:1fr_1fr]">
          <Figure label="Cut">
            {done} <span className="text-base font-normal">of {sheet.steps.length}</span>
          </Figure>
          <Figure label="About">
            {Math.round(sheet.minutes)} <span className="text-base font-normal">minutes</span>
          </Figure>
          <Figure label="Cuts" note={sheet.saved_mm > 0 ? 'edges shared are cut once' : undefined}>
            {units.run(sheet.cut_mm)}
          </Figure>
          <Figure label="Saved by butting">{units.run(sheet.saved_mm)}</Figure>
          {sheet.account && (
            <p className="col-span-2 text-sm">
              {units.area(sheet.account.good_m2)} in good pieces,{' '}
              {units.area(sheet.account.spoilt_m2)} spoilt, {units.area(sheet.account.kept_m2)} on
              the rack, {units.area(sheet.account.scrap_m2)} scrap, of{' '}
              {units.area(sheet.account.whole_m2)}.{' '}
              <Link className="font-semibold underline" to="/book/hides">
                In the Book
              </Link>
            </p>
          )}
        </div>
        <div className="col-span-2 min-w-0 lg:col-span-1">
          <div className="flex gap-1 pb-1 text-[13px]" role="tablist">
            {TABS.map(([own, words]) => (
              <button
                key={own}
                type="button"
                role="tab"
                aria-selected={tab === own}
                className={`min-h-9 px-3 ${tab === own ? 'bg-ink text-docket' : 'border border-ink/40'}`}
                onClick={() => {
                  setTab(own)
                }}
              >
                {words}
              </button>
            ))}
            <button
              type="button"
              aria-pressed={rough}
              className={`ml-auto min-h-9 px-3 ${rough ? 'bg-ink text-docket' : 'border border-ink/40'}`}
              onClick={() => {
                setRough(!rough)
              }}
            >
              rough first: {plural(sheet.blocks.length, 'block')}
            </button>
            {backdrop && (
              <button
                type="button"
                aria-pressed={onPicture}
                className={`min-h-9 px-3 ${onPicture ? 'bg-ink text-docket' : 'border border-ink/40'}`}
                onClick={() => {
                  setOnPicture(!onPicture)
                }}
              >
                on its picture
              </button>
            )}
          </div>
          {rough && (
            <p className="border-l-4 border-brass-deep px-2 py-0.5 text-sm">
              Break the hide down along the broken lines first, by shears or a wheel, wide of the
              pieces; then cut each block exactly on the mat.
            </p>
          )}
          {tab === 'steps' && (
            <Steps
              sheet={sheet}
              shown={shown}
              stateOf={ticks.stateOf}
              nameOf={(s) => {
                const piece = names.get(s.piece)
                return piece ? `${piece.name} ${s.copy_number + 1}` : s.piece
              }}
              onPoint={(s) => {
                setPointed(s === null ? null : keyOf(s))
              }}
            />
          )}
          {tab === 'onto' && <Onto sheet={sheet} names={names} onPoint={setPointed} />}
          {tab === 'bundles' && <Bundles sheet={sheet} />}
        </div>
      </section>
    </div>
  )
}

function Steps({
  sheet,
  shown,
  stateOf,
  nameOf,
  onPoint,
}: {
  sheet: Sheet
  shown: Step | null
  stateOf: ReturnType<typeof useTicks>['stateOf']
  nameOf: (step: Step) => string
  onPoint: (step: Step | null) => void
}) {
  return (
    <ol className="max-h-[210px] overflow-auto" aria-label="Steps">
      {sheet.steps.map((s) => (
        <li
          key={keyOf(s)}
          className={`grid min-h-9 grid-cols-[34px_150px_1fr_auto] items-baseline gap-x-2 border-b border-docket-line py-0.5 text-sm ${shown === s ? 'bg-card' : ''}`}
          onPointerEnter={() => {
            onPoint(s)
          }}
          onPointerLeave={() => {
            onPoint(null)
          }}
        >
          <b className="figure text-right text-lg">{s.number}</b>
          <span className="truncate">{nameOf(s)}</span>
          <span className="min-w-0 text-ink-soft">
            <Said words={[...s.tools, ...s.punches].join(', ')} />
            {s.passes > 1 && `, ${s.passes} light strokes`}
          </span>
          <span>{stateOf(s) === 'to cut' ? '' : stateOf(s)}</span>
        </li>
      ))}
    </ol>
  )
}
