import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { api, readFrom, server, told } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'

const FIELD = 'mt-1 block min-h-11 w-full border border-ink/40 bg-white px-3'

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
          className="docket torn [--head:22px] fixed top-1/2 left-1/2 z-30 max-h-[92vh] w-[600px] max-w-[94vw] -translate-1/2 overflow-auto p-6 shadow-xl"
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
  const articles = server.useQuery('get', '/api/articles')
  const [wanted, setWanted] = useState<Record<number, string>>({})
  const [ways, setWays] = useState<Record<number, Record<string, string>>>({})
  const queries = useQueryClient()
  const go = useNavigate()
  const add = useMutation({
    mutationFn: (form: FormData) => {
      const text = (name: string) => {
        const value = form.get(name)
        return typeof value === 'string' ? value.trim() : ''
      }
      return told(
        api.POST('/api/batches', {
          body: {
            number: text('number'),
            name: text('name'),
            due_on: text('due_on') || null,
            gap_mm: Number(text('gap')),
            grain_school: text('school') as 'backbone' | 'local' | 'free',
            match_sets: (articles.data ?? [])
              .filter((a) => form.get(`match-${a.id}`) && Number(wanted[a.id]) > 0)
              .map((a) => a.slug),
            lines: Object.entries(wanted)
              .filter(([, n]) => Number(n) > 0)
              .map(([id, n]) => ({
                article_id: Number(id),
                quantity: Number(n),
                ways: ways[Number(id)] ?? {},
              })),
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
      <fieldset>
        <legend className="font-semibold">How many of each</legend>
        {articles.data?.length === 0 && (
          <p className="mt-1 text-ink-soft">
            This workshop has no articles yet, so there is nothing to make a batch of. Start without{' '}
            <code>--empty</code> to work with the demo’s.
          </p>
        )}
        {articles.data?.map((article) => (
          <div key={article.id} className="mt-2 grid grid-cols-[90px_1fr_auto] items-center gap-3">
            <input
              type="number"
              min={0}
              max={10000}
              step={1}
              inputMode="numeric"
              aria-label={`How many ${article.name}`}
              className={`${FIELD} mt-0 text-right`}
              value={wanted[article.id] ?? ''}
              onChange={(e) => {
                setWanted({ ...wanted, [article.id]: e.target.value })
              }}
            />
            <span>
              <span className="text-lg">{article.name}</span>{' '}
              <span className="text-sm text-ink-soft">rev. {article.revision}</span>
              {Object.entries(article.parts).map(([part, own]) => (
                <label key={part} className="block text-sm text-ink-soft">
                  {part}{' '}
                  <select
                    className="min-h-9 border border-ink/40 bg-white px-1 text-ink"
                    value={ways[article.id]?.[part] ?? own[0]}
                    onChange={(e) => {
                      setWays({
                        ...ways,
                        [article.id]: { ...ways[article.id], [part]: e.target.value },
                      })
                    }}
                  >
                    {own.map((way) => (
                      <option key={way}>{way}</option>
                    ))}
                  </select>
                </label>
              ))}
            </span>
            <label className="flex items-center gap-2 text-sm">
              <input type="checkbox" name={`match-${article.id}`} className="size-5" /> each from
              one hide
            </label>
          </div>
        ))}
      </fieldset>
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
      <Trouble error={add.error ?? articles.error} onPaper />
      <div className="flex justify-end gap-3">
        <Button onClick={onClose}>Leave it</Button>
        <Button look="brass" type="submit" disabled={add.isPending || articles.data?.length === 0}>
          Add the batch
        </Button>
      </div>
    </form>
  )
}
