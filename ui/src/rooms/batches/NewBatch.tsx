import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { FIELD, FormFoot, linesOf, OrderLines, type Asked } from './OrderForm'

/** A new batch: its number and name, when it is due, and how many of each article. */
export function NewBatch() {
  const [open, setOpen] = useState(false)
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button look="bench">New batch</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/50" />
        <Dialog.Content
          className="docket torn [--head:22px] fixed top-1/2 left-1/2 z-30 max-h-[92vh] w-[700px] max-w-[94vw] -translate-1/2 overflow-auto p-6 shadow-xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-stamp text-2xl font-bold">New batch</Dialog.Title>
          <BatchForm
            onClose={() => {
              setOpen(false)
            }}
          />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function BatchForm({ onClose }: { onClose: () => void }) {
  const [asked, setAsked] = useState<Asked>({})
  const articles = server.useQuery('get', '/api/articles')
  const queries = useQueryClient()
  const go = useNavigate()
  const add = useMutation({
    mutationFn: (form: FormData) => {
      const text = textIn(form)
      return told(
        api.POST('/api/batches', {
          body: {
            number: text('number'),
            name: text('name'),
            due_on: text('due_on') || null,
            gap_mm: Number(text('gap')),
            grain_school: text('school') as 'backbone' | 'local' | 'free',
            match_sets: matched(form, articles.data ?? [], asked),
            lines: linesOf(asked),
          },
        }),
      )
    },
    onSuccess: async (made) => {
      await queries.invalidateQueries(readFrom('/api/batches'))
      onClose()
      await go(`/batches/${made.id}`)
    },
  })
  return (
    <form
      className="mt-4 grid gap-4"
      onSubmit={(e) => {
        e.preventDefault()
        add.mutate(new FormData(e.currentTarget))
      }}
    >
      <div className="grid grid-cols-[130px_1fr_170px] gap-3">
        <label>
          Number
          <input name="number" required maxLength={32} className={FIELD} />
        </label>
        <label>
          Name
          <input name="name" required maxLength={128} className={FIELD} />
        </label>
        <label>
          Due
          <input name="due_on" type="date" className={FIELD} />
        </label>
      </div>
      <OrderLines asked={asked} onAsk={setAsked} />
      <Matching asked={asked} articles={articles.data ?? []} chosen={[]} />
      <div className="grid grid-cols-2 gap-3">
        <label>
          Gap between pieces
          <select name="gap" className={FIELD} defaultValue="0">
            <option value="0">none: butted, one cut serves two</option>
            <option value="1">1 mm: knife by hand</option>
            <option value="2">2 mm: thick knife</option>
            <option value="3">3 mm: dies and press</option>
          </select>
        </label>
        <label>
          Grain runs
          <select name="school" className={FIELD} defaultValue="backbone">
            <option value="backbone">with the backbone</option>
            <option value="local">by the line of least stretch there</option>
            <option value="free">any way that fits</option>
          </select>
        </label>
      </div>
      <Trouble error={add.error} onPaper />
      <FormFoot
        words="Add the batch"
        disabled={add.isPending || linesOf(asked).length === 0}
        onClose={onClose}
      />
    </form>
  )
}

/** What stands in the fields of a form, by name. */
const textIn = (form: FormData) => (name: string) => {
  const value = form.get(name)
  return typeof value === 'string' ? value.trim() : ''
}

type Article = Schemas['ArticleOut']

const matched = (form: FormData, articles: Article[], asked: Asked) =>
  articles
    .filter((a) => form.get(`match-${a.id}`) && (asked[a.id]?.quantity ?? 0) > 0)
    .map((a) => a.slug)

/** Which articles are each made from one hide. */
function Matching({
  asked,
  articles,
  chosen,
}: {
  asked: Asked
  articles: Article[]
  chosen: string[]
}) {
  const own = articles.filter((a) => (asked[a.id]?.quantity ?? 0) > 0)
  if (own.length === 0) return null
  return (
    <fieldset className="flex flex-wrap gap-x-5">
      <legend className="font-semibold">Each from one hide, so that shade and grain match</legend>
      {own.map((a) => (
        <label key={a.id} className="flex min-h-11 items-center gap-2">
          <input
            type="checkbox"
            name={`match-${a.id}`}
            className="size-5"
            defaultChecked={chosen.includes(a.slug)}
          />
          {a.name}
        </label>
      ))}
    </fieldset>
  )
}

/** A batch that is there: what it orders, changed. */
export function ChangeBatch({ batch }: { batch: Schemas['BatchOut'] }) {
  const [open, setOpen] = useState(false)
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button look="bench">Change the order</Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/50" />
        <Dialog.Content
          className="docket torn [--head:22px] fixed top-1/2 left-1/2 z-30 max-h-[92vh] w-[700px] max-w-[94vw] -translate-1/2 overflow-auto p-6 shadow-xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-stamp text-2xl font-bold">
            What {batch.number} orders
          </Dialog.Title>
          <ChangeForm
            batch={batch}
            onClose={() => {
              setOpen(false)
            }}
          />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function ChangeForm({ batch, onClose }: { batch: Schemas['BatchOut']; onClose: () => void }) {
  const [asked, setAsked] = useState<Asked>(() =>
    Object.fromEntries(batch.lines.map((l) => [l.article_id, l])),
  )
  const articles = server.useQuery('get', '/api/articles')
  const queries = useQueryClient()
  const change = useMutation({
    mutationFn: (form: FormData) => {
      const text = textIn(form)
      return told(
        api.PUT('/api/batches/{batch_id}', {
          params: { path: { batch_id: batch.id } },
          body: {
            version: batch.version,
            name: text('name'),
            due_on: text('due_on') || null,
            match_sets: matched(form, articles.data ?? [], asked),
            lines: linesOf(asked),
          },
        }),
      )
    },
    onSuccess: async () => {
      await queries.invalidateQueries(readFrom('/api/batches/{batch_id}'))
      await queries.invalidateQueries(readFrom('/api/batches'))
      onClose()
    },
  })
  return (
    <form
      className="mt-4 grid gap-4"
      onSubmit={(e) => {
        e.preventDefault()
        change.mutate(new FormData(e.currentTarget))
      }}
    >
      <div className="grid grid-cols-[1fr_170px] gap-3">
        <label>
          Name
          <input name="name" required maxLength={128} className={FIELD} defaultValue={batch.name} />
        </label>
        <label>
          Due
          <input name="due_on" type="date" className={FIELD} defaultValue={batch.due_on ?? ''} />
        </label>
      </div>
      <OrderLines asked={asked} onAsk={setAsked} />
      <Matching asked={asked} articles={articles.data ?? []} chosen={batch.match_sets} />
      <p className="text-sm text-ink-soft">
        A line that stays keeps its revision. Lays that were begun say so, and are brought along
        when you say it there.
      </p>
      <Trouble error={change.error} onPaper />
      <FormFoot
        words="Change it"
        disabled={change.isPending || linesOf(asked).length === 0}
        onClose={onClose}
      />
    </form>
  )
}
