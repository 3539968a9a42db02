import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, readFrom, server, told } from '../../api/client'
import { HideDrawing } from '../../hide/HideDrawing'
import { HideView } from '../../hide/HideView'
import { leatherColour, pathOf } from '../../hide/paths'
import { Button, Said, Trouble, Waiting } from '../../parts/controls'
import { plural, useUnits } from '../../parts/units'
import { keyOf, type PieceState, type Sheet } from './ticks'

/** Close a hide: what is left of it, part by part, for the rack or for the scrap bin. */
export function CloseHide({ sheet, states }: { sheet: Sheet; states: Map<string, PieceState> }) {
  return (
    <Dialog.Root>
      {sheet.state === 'open' && (
        <Dialog.Trigger asChild>
          <Button>Close this hide</Button>
        </Dialog.Trigger>
      )}
      <Dialog.Portal>
        <Dialog.Content
          className="fixed inset-0 z-30 flex flex-col bg-bench"
          aria-describedby={undefined}
        >
          <Left sheet={sheet} states={states} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function Left({ sheet, states }: { sheet: Sheet; states: Map<string, PieceState> }) {
  const units = useUnits()
  const queries = useQueryClient()
  const path = { sheet_id: sheet.id }
  const left = server.useQuery('get', '/api/cut/{sheet_id}/left', { params: { path } })
  const [said, setSaid] = useState<Record<number, boolean>>({})
  const close = useMutation({
    mutationFn: (keep: number[]) =>
      told(api.POST('/api/cut/{sheet_id}/close', { params: { path }, body: { keep } })),
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries(readFrom('/api/cut/{sheet_id}')),
        queries.invalidateQueries(readFrom('/api/cut')),
        queries.invalidateQueries(readFrom('/api/leather')),
      ]),
  })
  const uncut = sheet.steps.filter((s) => (states.get(keyOf(s)) ?? 'to cut') !== 'done').length
  const keeps = (i: number) => said[i] ?? left.data?.[i]?.keep ?? false
  const parts = left.data ?? []
  return (
    <>
      <div className="flex flex-wrap items-center gap-3 bg-bench-deep px-5 py-1.5">
        <Dialog.Title className="font-stamp text-xl font-bold">
          What is left of {sheet.hide.number}
        </Dialog.Title>
        <Dialog.Close asChild>
          <Button look="bench" className="ml-auto">
            {close.data ? 'Done' : 'Not yet'}
          </Button>
        </Dialog.Close>
      </div>
      <div className="flex min-h-0 flex-1 flex-col lg:flex-row">
        <div className="min-h-0 flex-1">
          <HideView bounds={sheet.hide.bounds} label={`What is left of ${sheet.hide.number}`}>
            {(scale) => (
              <>
                <HideDrawing
                  hide={sheet.hide}
                  colour={leatherColour(sheet.hide.colour)}
                  scale={scale}
                />
                <g pointerEvents="none">
                  {parts.map((part, i) => {
                    const at = part.rings[0]?.[0] ?? [0, 0]
                    return (
                      <g key={i}>
                        <path
                          d={pathOf(part.rings)}
                          fillRule="evenodd"
                          fill={keeps(i) ? '#d9a441' : '#2c3638'}
                          fillOpacity={0.55}
                          stroke={keeps(i) ? '#7a5310' : '#211c17'}
                          strokeWidth={2.5 / scale}
                          strokeDasharray={keeps(i) ? undefined : `${6 / scale} ${4 / scale}`}
                        />
                        <text
                          x={at[0]}
                          y={at[1]}
                          fontSize={22 / scale}
                          fontWeight={700}
                          fill="#f4f1e8"
                          stroke="#211c17"
                          strokeWidth={4 / scale}
                          paintOrder="stroke"
                        >
                          {i + 1}
                        </text>
                      </g>
                    )
                  })}
                </g>
              </>
            )}
          </HideView>
        </div>
        <section className="docket w-full shrink-0 overflow-auto px-5 py-3 max-lg:max-h-[60vh] lg:w-[380px]">
          {left.isPending && <Waiting what="what is left" />}
          {close.data ? (
            <div role="status">
              <p className="font-stamp text-xl font-bold">{sheet.hide.number} is closed</p>
              <p>
                {units.area(close.data.account.good_m2)} in good pieces,{' '}
                {units.area(close.data.account.spoilt_m2)} spoilt,{' '}
                {units.area(close.data.account.kept_m2)} on the rack,{' '}
                {units.area(close.data.account.scrap_m2)} scrap.
              </p>
              {close.data.offcuts.length > 0 && (
                <p className="mt-2">
                  On the rack now:{' '}
                  <Link className="font-bold underline" to="/leather">
                    {close.data.offcuts.join(', ')}
                  </Link>
                </p>
              )}
              {close.data.back_in_tray > 0 && (
                <p className="mt-2">
                  {plural(close.data.back_in_tray, 'piece')} in the{' '}
                  <Link className="underline" to={`/lay/${sheet.lay_id}`}>
                    tray of the lay
                  </Link>
                  , to be cut elsewhere.
                </p>
              )}
            </div>
          ) : (
            <>
              <ul>
                {parts.map((part, i) => (
                  <li key={i} className="border-b border-docket-line py-1">
                    <label className="flex min-h-11 items-center gap-3">
                      <input
                        type="checkbox"
                        className="size-6"
                        checked={keeps(i)}
                        onChange={(e) => {
                          setSaid({ ...said, [i]: e.target.checked })
                        }}
                      />
                      <b className="figure text-xl">{i + 1}</b>
                      <span>
                        {units.area(part.area_m2)} {keeps(i) ? 'for the rack' : 'scrap'}
                        <span className="block text-[13px] text-ink-soft">
                          <Said words={part.why} />
                        </span>
                      </span>
                    </label>
                  </li>
                ))}
              </ul>
              {parts.length === 0 && !left.isPending && <p>Nothing but crumbs is left.</p>}
              {uncut > 0 && (
                <p role="alert" className="mt-2 border-l-4 border-brass bg-brass/15 px-2 py-1">
                  {plural(uncut, 'piece')} not cut well: {uncut === 1 ? 'it goes' : 'they go'} back
                  in the tray.
                </p>
              )}
              <Trouble error={close.error} onPaper />
              <Button
                look="brass"
                className="sticky bottom-0 mt-3 min-h-14 w-full text-lg"
                disabled={close.isPending || left.isPending}
                onClick={() => {
                  close.mutate(parts.flatMap((_, i) => (keeps(i) ? [i] : [])))
                }}
              >
                Close it
              </Button>
            </>
          )}
        </section>
      </div>
    </>
  )
}
