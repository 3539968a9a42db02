import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { Choice, LengthField, NumberField, TextField } from '../../parts/fields'
import { percent, plural } from '../../parts/units'

type Chosen = Schemas['CutChoicesIO']
const SCHOOLS = [
  ['straps first', 'straps first, from the trued edge'],
  ['straps last', 'panels first, straps from what they left'],
] as const

/** How the shop cuts: its punches, its mat, straps first or last, what it keeps, its own pace. */
export function Choices() {
  const [open, setOpen] = useState(false)
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button look="bench">How the shop cuts</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/50" />
        <Dialog.Content
          className="docket fixed top-1/2 left-1/2 z-30 max-h-[90vh] w-[560px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-auto px-6 py-4"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-stamp text-xl font-bold">How the shop cuts</Dialog.Title>
          <Form
            onSaved={() => {
              setOpen(false)
            }}
          />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

const sizes = (text: string) =>
  text
    .split(/[ ;]+/)
    .map((t) => Number(t.replace(',', '.')))
    .filter((n) => Number.isFinite(n) && n > 0)

function Form({ onSaved }: { onSaved: () => void }) {
  const queries = useQueryClient()
  const known = server.useQuery('get', '/api/cut-choices').data
  const pace = server.useQuery('get', '/api/cut-pace').data
  const [changed, setChanged] = useState<Partial<Chosen>>({})
  const save = useMutation({
    mutationFn: (body: Chosen) => told(api.PUT('/api/cut-choices', { body })),
    onSuccess: onSaved,
    onSettled: () => queries.invalidateQueries(readFrom('/api/cut-choices')),
  })
  if (!known) return null
  const [along = 900, down = 600] = changed.mat_mm ?? known.mat_mm
  const mat: [number, number] = [along, down]
  const own = { ...known, ...changed, mat_mm: mat }
  const set = (part: Partial<Chosen>) => {
    setChanged({ ...changed, ...part })
  }
  return (
    <form
      className="mt-2 grid grid-cols-2 gap-x-4 gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        save.mutate(own)
      }}
    >
      <Choice
        label="Straps"
        value={own.school}
        options={SCHOOLS}
        onChange={(school) => {
          set({ school })
        }}
      />
      <NumberField
        label="Pace against the plan’s own"
        value={own.pace}
        least={0.1}
        most={10}
        after="times"
        onChange={(value) => {
          set({ pace: value })
        }}
      />
      {pace && pace.pieces > 0 && (
        <p className="col-span-2 border-l-4 border-brass bg-brass/15 px-2 py-1 text-sm">
          {plural(pace.pieces, 'piece')} took {percent(pace.true_min / pace.planned_min)} of what
          was planned (half of them {percent(pace.low)} to {percent(pace.high)}): a pace of{' '}
          {pace.pace.toFixed(2)}.{' '}
          <Button
            onClick={() => {
              set({ pace: Math.round(pace.pace * 100) / 100 })
            }}
          >
            Take it
          </Button>
        </p>
      )}
      <TextField
        label="Hole punches, mm across"
        value={own.punches_mm.join('  ')}
        onChange={(text) => {
          set({ punches_mm: sizes(text) })
        }}
      />
      <TextField
        label="Round-corner punches, mm radius"
        value={own.round_mm.join('  ')}
        onChange={(text) => {
          set({ round_mm: sizes(text) })
        }}
      />
      <LengthField
        label="The mat, along"
        mm={along}
        onChange={(mm) => {
          set({ mat_mm: [mm, down] })
        }}
      />
      <LengthField
        label="and down"
        mm={down}
        onChange={(mm) => {
          set({ mat_mm: [along, mm] })
        }}
      />
      <NumberField
        label="A remnant is kept from"
        value={own.keep_m2 * 100}
        least={0}
        after="dm²"
        onChange={(value) => {
          set({ keep_m2: value / 100 })
        }}
      />
      <LengthField
        label="and where it is so wide"
        mm={own.keep_width_mm}
        onChange={(keep_width_mm) => {
          set({ keep_width_mm })
        }}
      />
      <p className="col-span-2 text-[13px] text-ink-soft">
        For hides begun from now on; those that are being cut keep what they were begun with.
      </p>
      <Trouble error={save.error} onPaper />
      <Button look="brass" type="submit" className="col-span-2 min-h-14 text-lg">
        Keep it
      </Button>
    </form>
  )
}
