import { useState } from 'react'
import { Link } from 'react-router'
import { server, type Schemas } from '../../api/client'
import { Said } from '../../parts/controls'
import { likeAButton } from '../../parts/looks'
import { keyOf, type Sheet } from './ticks'

const FILES = [
  ['print.pdf?paper=roll', 'True size, one long sheet'],
  ['print.pdf?paper=A3', 'True size, A3 sheets'],
  ['print.pdf?paper=A4', 'True size, A4 sheets'],
  ['plot/hpgl', 'HPGL for a plotter or knife'],
  ['plot/dxf', 'DXF: cut, crease, mark'],
] as const

/** The ways of getting the lay onto the leather: by tape, by print, by a machine. */
export function Onto({
  sheet,
  names,
  onPoint,
}: {
  sheet: Sheet
  names: Map<string, Schemas['CutPiece']>
  onPoint: (key: string | null) => void
}) {
  const [flesh, setFlesh] = useState(false)
  const placing = server.useQuery(
    'get',
    '/api/cut/{sheet_id}/placing',
    { params: { path: { sheet_id: sheet.id } } },
    { staleTime: 60_000 },
  )
  const numbers = new Map(sheet.steps.map((s) => [keyOf(s), s.number]))
  return (
    <div className="grid gap-2">
      <div className="flex flex-wrap items-center gap-1.5 text-sm">
        <Link className={likeAButton('brass')} to={`/cut/${sheet.id}/project`}>
          By projector
        </Link>
        {FILES.map(([path, words]) => (
          <a
            key={path}
            className={likeAButton()}
            href={`/api/cut/${sheet.id}/${path}${path.startsWith('print') && flesh ? '&flesh=true' : ''}`}
            target="_blank"
            rel="noreferrer"
          >
            {words}
          </a>
        ))}
        <label className="inline-flex min-h-11 items-center gap-2">
          <input
            type="checkbox"
            className="size-5"
            checked={flesh}
            onChange={(e) => {
              setFlesh(e.target.checked)
            }}
          />
          flesh side up
        </label>
      </div>
      <h3 className="font-stamp font-bold">By tape, in this order</h3>
      {placing.isPending && <p role="status">Measuring …</p>}
      <ol className="max-h-[150px] overflow-auto text-sm" aria-label="Placing by tape">
        {placing.data?.map((row) => (
          <li
            key={keyOf(row)}
            className="grid min-h-9 grid-cols-[34px_150px_1fr] items-baseline gap-x-2 border-b border-docket-line py-0.5"
            onPointerEnter={() => {
              onPoint(keyOf(row))
            }}
            onPointerLeave={() => {
              onPoint(null)
            }}
          >
            <b className="figure text-right text-lg">{numbers.get(keyOf(row))}</b>
            <span className="truncate">
              {names.get(row.piece)?.name ?? row.piece} {row.copy_number + 1}
            </span>
            <span className="min-w-0">
              <Said words={row.words} />
              {row.fine && <b> (to a tenth: a print or a projector serves better)</b>}
            </span>
          </li>
        ))}
      </ol>
    </div>
  )
}
