import { Only } from '../people/Only'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, readUnder, server, told, type Schemas } from '../../api/client'
import { boundsOf, pathOf } from '../../hide/paths'
import { GrainArrow } from '../../hide/PieceCard'
import { Button, Empty, Trouble, Waiting } from '../../parts/controls'
import { PickFile } from '../../parts/PickFile'
import { RoomKeys } from '../../parts/keys'
import { plural, useUnits } from '../../parts/units'
import { sendFile } from './files'
import { inRows } from './PatternDrawing'

type Card = Schemas['ArticleCard']

/**
 * The drawers of card templates: every article with its pieces at one scale, and whether it is
 * complete.
 */
export function DrawersRoom() {
  const drawers = server.useQuery('get', '/api/patterns')
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <div className="flex items-center gap-4">
        <h1 className="font-stamp text-2xl font-bold">Patterns</h1>
        <Only may="add_drawer">
          <NewArticle />
        </Only>
        <Only may="article_from_file">
          <FromFile />
        </Only>
        <a
          className="ml-auto self-center text-chalk-dim underline hover:text-chalk"
          href="/api/ways-in/squared-page.pdf?paper=A3&landscape=true"
        >
          Squared page to print
        </a>
        <RoomKeys room="Patterns" keys={[]} />
      </div>
      {drawers.isPending && <Waiting what="the drawers" />}
      <Trouble error={drawers.error} />
      {drawers.data?.length === 0 && (
        <Empty title="No drawer has a pattern in it">
          <p>
            An article is a product and its pieces. Begin one, and bring its pieces in by their
            measures, from a photograph on squared paper, or from a drawing.
          </p>
        </Empty>
      )}
      <ul className="mt-4 grid grid-cols-[repeat(auto-fill,minmax(380px,1fr))] gap-6">
        {drawers.data?.map((card) => (
          <Drawer key={card.id} card={card} />
        ))}
      </ul>
    </div>
  )
}

function Drawer({ card }: { card: Card }) {
  const units = useUnits()
  const leather = Object.values(card.leather_m2).reduce((a, b) => a + b, 0)
  return (
    <li>
      <Link
        to={`/patterns/${card.id}`}
        className="group block bg-bench-deep shadow-md outline-offset-4"
      >
        <DrawerInside card={card} />
        <span className="docket block px-4 py-2.5">
          <span className="flex items-baseline gap-3">
            <span className="font-stamp text-xl font-bold group-hover:underline">{card.name}</span>
            <span className="figure text-lg">rev. {card.letter}</span>
            <span className="ml-auto text-ink-soft">
              {plural(card.pieces.length, 'pattern')}
              {leather > 0 && `, ${units.area(leather)}`}
            </span>
          </span>
          <span className="flex gap-3 text-sm">
            <State card={card} />
            {card.batches.length > 0 && (
              <span className="ml-auto text-ink-soft">planned in {card.batches.join(', ')}</span>
            )}
          </span>
        </span>
      </Link>
    </li>
  )
}

function State({ card }: { card: Card }) {
  if (card.pieces.length === 0)
    return <span className="text-ink-soft">no pieces yet: add the first →</span>
  if (card.wrong > 0)
    return (
      <strong className="text-unsound">✗ {plural(card.wrong, 'thing')} would spoil a batch</strong>
    )
  if (card.look > 0) return <span>◦ complete; {plural(card.look, 'thing')} worth a look</span>
  return <span className="text-sound">✓ complete</span>
}

function DrawerInside({ card }: { card: Card }) {
  const set = inRows(
    card.pieces.map((p) => {
      const [x0, y0, x1, y1] = boundsOf(p.rings)
      return { item: p, x0, y0, x1, y1 }
    }),
    26,
  )
  const span = Math.max(set.width, set.height * 1.9)
  return (
    <svg
      viewBox={`${-(span - set.width) / 2} ${-(span / 1.9 - set.height) / 2} ${span} ${span / 1.9}`}
      className="block aspect-[1.9] w-full"
      aria-hidden
    >
      {set.placed.map(({ item, dx, dy }) => {
        const [x0, y0, x1, y1] = boundsOf(item.rings)
        return (
          <g key={item.slug} transform={`translate(${dx},${dy})`}>
            <path
              d={pathOf(item.rings)}
              fill="#efe2c4"
              fillRule="evenodd"
              stroke="#3a3128"
              strokeWidth={span / 420}
            />
            {item.grain_deg !== null && (
              <GrainArrow
                x={(x0 + x1) / 2}
                y={(y0 + y1) / 2}
                deg={item.grain_deg}
                length={Math.min(x1 - x0, y1 - y0, 200) * 0.5}
                width={span / 380}
              />
            )}
          </g>
        )
      })}
    </svg>
  )
}

function NewArticle() {
  const [open, setOpen] = useState(false)
  const queries = useQueryClient()
  const go = useNavigate()
  const add = useMutation({
    mutationFn: (form: FormData) =>
      told(
        api.POST('/api/patterns', {
          body: {
            name: (form.get('name') as string).trim(),
            note: (form.get('note') as string).trim(),
          },
        }),
      ),
    onSuccess: async (made) => {
      await queries.invalidateQueries(readUnder('/api/patterns'))
      setOpen(false)
      await go(`/patterns/${made.id}`)
    },
  })
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button look="bench">New article</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/50" />
        <Dialog.Content
          className="docket torn [--head:22px] fixed top-1/2 left-1/2 z-30 w-[480px] max-w-[94vw] -translate-1/2 p-6 shadow-xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-stamp text-2xl font-bold">New article</Dialog.Title>
          <form
            className="mt-4 grid gap-4"
            onSubmit={(e) => {
              e.preventDefault()
              add.mutate(new FormData(e.currentTarget))
            }}
          >
            <label>
              What it is called
              <input
                name="name"
                required
                maxLength={128}
                className="mt-1 block min-h-11 w-full border border-ink/40 bg-white px-3"
              />
            </label>
            <label>
              Bench note
              <textarea
                name="note"
                rows={2}
                className="mt-1 block w-full border border-ink/40 bg-white px-3 py-2"
              />
            </label>
            <Trouble error={add.error} onPaper />
            <div className="flex justify-end gap-3">
              <Button
                onClick={() => {
                  setOpen(false)
                }}
              >
                Leave it
              </Button>
              <Button look="brass" type="submit" disabled={add.isPending}>
                Begin it
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

/** An article that was taken out as exchange JSON, put in a drawer here. */
function FromFile() {
  const queries = useQueryClient()
  const go = useNavigate()
  const bring = useMutation({
    mutationFn: async (file: File) => {
      const kept = await sendFile(file)
      return told(
        api.POST('/api/ways-in/files/{file_id}/article', {
          params: { path: { file_id: kept.id } },
        }),
      )
    },
    onSuccess: async (made) => {
      await queries.invalidateQueries(readUnder('/api/patterns'))
      await go(`/patterns/${made.id}`)
    },
  })
  return (
    <>
      <PickFile
        label="Article file"
        accept=".json"
        look="bench"
        onPick={(file) => {
          bring.mutate(file)
        }}
      >
        Bring in an article
      </PickFile>
      <Trouble error={bring.error} />
    </>
  )
}
