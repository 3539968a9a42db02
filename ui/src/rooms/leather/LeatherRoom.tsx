import { useQuery } from '@tanstack/react-query'
import { useMemo, useRef, useState } from 'react'
import { api, told, type Schemas } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { HideView, type ViewHandle } from '../../hide/HideView'
import { leatherColour } from '../../hide/paths'
import { Legend } from '../../hide/Legend'
import { Button, Empty, Figure, Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { cssShare, dayOf, percent, plural, useUnits } from '../../parts/units'

type RackHide = Schemas['RackHideOut']
const ALL = 'all leather'

/** The rack: every hide drawn true to shape at one scale; one taken down fills the screen. */
export function LeatherRoom() {
  const rack = useQuery({ queryKey: ['leather'], queryFn: () => told(api.GET('/api/leather')) })
  const [down, setDown] = useState<number | null>(null)
  const [material, setMaterial] = useState(ALL)
  const units = useUnits()
  const materials = useMemo(() => [ALL, ...new Set(rack.data?.map((h) => h.material))], [rack.data])
  if (rack.isPending) return <Waiting what="the rack" />
  if (rack.error) return <div className="p-8"><Trouble error={rack.error} /></div>
  if (rack.data.length === 0)
    return (
      <Empty title="The rack is empty">
        <p>Hides hang here once they are received, each drawn true to shape with its flaws and tightness. Start without <code>--empty</code> to see the demo workshop’s leather.</p>
      </Empty>
    )
  const shown = rack.data.filter((h) => material === ALL || h.material === material)
  const taken = rack.data.find((h) => h.id === down)
  if (taken) return <OneHide hide={taken} rack={shown} onTake={setDown} onBack={() => { setDown(null) }} />
  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-center gap-x-6 gap-y-2 px-5 py-3">
        <h1 className="font-stamp text-2xl font-bold">The rack</h1>
        <span className="figure text-lg">
          {plural(shown.length, 'hide')} · {units.area(shown.reduce((sum, h) => sum + h.area_m2, 0))} · worth {units.money(shown.reduce((sum, h) => sum + h.worth, 0))}
        </span>
        <label className="flex items-center gap-2 text-sm text-chalk-dim">
          Show
          <select className="min-h-10 rounded-sm border border-bench-line bg-bench-deep px-2 text-chalk" value={material} onChange={(e) => { setMaterial(e.target.value) }}>
            {materials.map((m) => <option key={m}>{m}</option>)}
          </select>
        </label>
        <span className="ml-auto"><RoomKeys room="Leather" keys={[{ key: 'Enter', does: 'take down the hide in focus (Tab goes from hide to hide)', act: () => { if (document.activeElement instanceof HTMLButtonElement) document.activeElement.click() } }]} /></span>
      </div>
      <ul className="grid min-h-0 flex-1 auto-rows-min grid-cols-[repeat(auto-fill,minmax(290px,1fr))] gap-x-6 gap-y-5 overflow-auto px-5 pb-5">
        {shown.map((hide) => <OnTheRack key={hide.id} hide={hide} longest={Math.max(...rack.data.map((h) => h.shape.bounds.x1))} onTake={() => { setDown(hide.id) }} />)}
      </ul>
      <div className="border-t border-bench-line px-5 py-2"><Legend colour={leatherColour('russet')} /></div>
    </div>
  )
}

const SLOT_PX = 290

function OnTheRack({ hide, longest, onTake }: { hide: RackHide; longest: number; onTake: () => void }) {
  const units = useUnits()
  const { x0, y0, x1, y1 } = hide.shape.bounds
  const scale = SLOT_PX / longest
  return (
    <li>
      <button type="button" onClick={onTake} className="group block w-full rounded-sm text-left hover:bg-chalk/6" aria-label={`${hide.number}, ${hide.kind} of ${hide.mill}`}>
        <svg width="100%" height={156} viewBox={`0 0 ${SLOT_PX} 156`} preserveAspectRatio="xMinYMin meet" aria-hidden>
          <line x1={0} x2={SLOT_PX} y1={3} y2={3} stroke="#c68f2d" strokeWidth={3} />
          <g transform={`translate(0,6) scale(${scale}) translate(${-x0},${-y0})`}>
            <HideDrawing hide={hide.shape} colour={leatherColour(hide.colour)} scale={scale} zones={x1 - x0 > 300 && y1 - y0 > 200} />
          </g>
        </svg>
        <span className="flex items-baseline gap-3">
          <span className="figure text-xl font-bold whitespace-nowrap">{hide.number}</span>
          <span className="truncate text-chalk-dim">{hide.kind}, {hide.colour}</span>
          <span className="figure ml-auto text-lg whitespace-nowrap">{units.area(hide.area_m2)}</span>
        </span>
        <span className="block truncate text-sm text-chalk-dim">
          {units.thickness(hide.thickness_mm)} · {hide.mill}, grade {hide.grade} · {hide.state}
        </span>
      </button>
    </li>
  )
}

function OneHide({ hide, rack, onTake, onBack }: { hide: RackHide; rack: RackHide[]; onTake: (id: number) => void; onBack: () => void }) {
  const units = useUnits()
  const view = useRef<ViewHandle>(null)
  const at = rack.findIndex((h) => h.id === hide.id)
  const step = (by: number) => {
    const next = rack[(at + by + rack.length) % rack.length]
    if (next) onTake(next.id)
  }
  const flaws = ['surface', 'blemish', 'unsound'].map((name, i) => `${hide.flaws_by_severity[i] ?? 0} ${name}`).join(', ')
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1">
        <HideView key={hide.id} handle={view} bounds={hide.shape.bounds} label={`${hide.kind} ${hide.number}, backbone along the top, tail at the left`}>
          {(scale) => <HideDrawing hide={hide.shape} colour={leatherColour(hide.colour)} scale={scale} />}
        </HideView>
      </div>
      <div className="flex items-center gap-4 bg-bench-deep px-5 py-1.5"><Legend colour={leatherColour(hide.colour)} />
        <span className="ml-auto"><RoomKeys room="Leather" keys={[
          { key: 'ArrowRight', shown: '→', does: 'take down the next hide', act: () => { step(1) } },
          { key: 'ArrowLeft', shown: '←', does: 'take down the one before', act: () => { step(-1) } },
          { key: '+', does: 'go nearer', act: () => view.current?.nearer() },
          { key: '-', shown: '−', does: 'go farther', act: () => view.current?.farther() },
          { key: '0', does: 'see the whole hide', act: () => view.current?.whole() },
          { key: 'Escape', shown: 'Esc', does: 'hang it back on the rack', act: onBack },
        ]} /></span>
      </div>
      <section className="docket torn grid grid-cols-[auto_1fr_1fr_auto] items-start gap-8 px-6 pb-4" aria-label={`Docket of ${hide.number}`}>
        <div className="pt-2">
          <h1 className="figure text-3xl font-bold">{hide.number}</h1>
          <p>{hide.kind} of {hide.mill}, grade {hide.grade}</p>
          <p className="text-ink-soft">{hide.tannage}, {hide.colour}, {hide.temper}, {units.thickness(hide.thickness_mm)}</p>
          <p className="text-ink-soft">received {dayOf(hide.received_on)} · {hide.state}</p>
        </div>
        <div className="grid grid-cols-2 gap-x-6 gap-y-1 pt-2">
          <Figure label="Area">{units.area(hide.area_m2)}</Figure>
          <Figure label="Usable" note={percent(hide.usable_m2 / hide.area_m2)}>{units.area(hide.usable_m2)}</Figure>
          <Figure label="Worth" note={`${units.money(hide.cost_per_m2)} per m²`}>{units.money(hide.worth)}</Figure>
          <Figure label="Flaws" note={flaws}>{hide.flaws_by_severity.reduce((a, b) => a + b, 0)}</Figure>
        </div>
        <table className="mt-2 w-full">
          <caption className="text-left text-[13px] text-ink-soft">Usable leather by tightness</caption>
          <tbody>
            {hide.classes.map((c) => (
              <tr key={c.tightness}>
                <th scope="row" className="pr-3 text-left font-normal">{c.name}</th>
                <td className="w-1/2"><div className="h-3 bg-ink/75" style={{ width: cssShare(c.usable_m2 / hide.usable_m2) }} /></td>
                <td className="figure pl-3 text-right font-bold">{units.area(c.usable_m2)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <div className="flex flex-col gap-2 pt-2">
          <Button onClick={onBack}>Back to the rack</Button>
          <div className="flex gap-2"><Button className="flex-1" onClick={() => { step(-1) }} aria-label="The hide before">←</Button><Button className="flex-1" onClick={() => { step(1) }} aria-label="The next hide">→</Button></div>
        </div>
      </section>
    </div>
  )
}
