import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { api, server, told, type Schemas } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { plural } from '../../parts/units'

export const FIELD = 'mt-1 block min-h-11 w-full border border-ink/40 bg-white px-3'
export type Asked = Record<number, Schemas['NewLine']>

/** What is ordered: how many of each article, its colour, its day, how much it matters. */
export function OrderLines({ asked, onAsk }: { asked: Asked; onAsk: (asked: Asked) => void }) {
  const articles = server.useQuery('get', '/api/articles')
  const put = (id: number, changed: Partial<Schemas['NewLine']>) => {
    onAsk({ ...asked, [id]: { ...(asked[id] ?? lineOf(id)), ...changed } })
  }
  return (
    <fieldset>
      <legend className="font-semibold">How many of each</legend>
      {articles.data?.length === 0 && (
        <p className="mt-1 text-ink-soft">
          This workshop has no articles yet, so there is nothing to make a batch of. Start without{' '}
          <code>--empty</code> to work with the demo’s.
        </p>
      )}
      {articles.data?.map((article) => {
        const line = asked[article.id]
        const wanted = (line?.quantity ?? 0) > 0
        return (
          <div key={article.id} className="mt-2 grid grid-cols-[90px_1fr] items-start gap-3">
            <input
              type="number"
              min={0}
              max={10000}
              step={1}
              inputMode="numeric"
              aria-label={`How many ${article.name}`}
              className={`${FIELD} mt-0 text-right`}
              value={line?.quantity || ''}
              onChange={(e) => {
                put(article.id, { quantity: Number(e.target.value) })
              }}
            />
            <div className="min-w-0">
              <span className="text-lg">{article.name}</span>{' '}
              <span className="text-sm text-ink-soft">rev. {article.revision}</span>
              {Object.entries(article.parts).map(([part, own]) => (
                <label key={part} className="block text-sm text-ink-soft">
                  {part}{' '}
                  <select
                    className="min-h-9 border border-ink/40 bg-white px-1 text-ink"
                    value={line?.ways[part] ?? own[0]}
                    onChange={(e) => {
                      put(article.id, { ways: { ...line?.ways, [part]: e.target.value } })
                    }}
                  >
                    {own.map((way) => (
                      <option key={way}>{way}</option>
                    ))}
                  </select>
                </label>
              ))}
              {wanted && (
                <div className="mt-1 flex flex-wrap items-end gap-2 text-sm text-ink-soft">
                  <label>
                    colour
                    <input
                      className="block min-h-9 w-24 border border-ink/40 bg-white px-2 text-ink"
                      maxLength={32}
                      value={line?.colour ?? ''}
                      onChange={(e) => {
                        put(article.id, { colour: e.target.value })
                      }}
                    />
                  </label>
                  <label>
                    due
                    <input
                      type="date"
                      className="block min-h-9 border border-ink/40 bg-white px-2 text-ink"
                      value={line?.due_on ?? ''}
                      onChange={(e) => {
                        put(article.id, { due_on: e.target.value || null })
                      }}
                    />
                  </label>
                  <label>
                    matters
                    <select
                      className="block min-h-9 w-44 border border-ink/40 bg-white px-2 text-ink"
                      value={line?.filler ? 'filler' : String(line?.priority ?? 0)}
                      onChange={(e) => {
                        put(article.id, {
                          filler: e.target.value === 'filler',
                          priority: Number(e.target.value) || 0,
                        })
                      }}
                    >
                      <option value="0">as usual</option>
                      <option value="1">more</option>
                      <option value="2">much more</option>
                      <option value="3">most</option>
                      <option value="filler">a filler: from what is left</option>
                    </select>
                  </label>
                </div>
              )}
            </div>
          </div>
        )
      })}
      <FromTable
        onRead={(lines) => {
          onAsk({ ...asked, ...Object.fromEntries(lines.map((l) => [l.article_id, l])) })
        }}
      />
      <Trouble error={articles.error} onPaper />
    </fieldset>
  )
}

const lineOf = (article_id: number): Schemas['NewLine'] => ({
  article_id,
  quantity: 0,
  ways: {},
  colour: '',
  due_on: null,
  priority: 0,
  filler: false,
})

/** The lines that are really wanted. */
export const linesOf = (asked: Asked) => Object.values(asked).filter((l) => l.quantity > 0)

/** A table's text, as the program that saved it wrote its letters. */
function inItsLetters(bytes: ArrayBuffer) {
  const [a, b] = new Uint8Array(bytes)
  if (a === 0xff && b === 0xfe) return new TextDecoder('utf-16le').decode(bytes)
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    return new TextDecoder('windows-1252').decode(bytes)
  }
}

/** An order from a table as CSV: taken whole, or each wrong row is told. */
function FromTable({ onRead }: { onRead: (lines: Schemas['NewLine'][]) => void }) {
  const [took, setTook] = useState<number | null>(null)
  const read = useMutation({
    mutationFn: async (file: File) => {
      const text = inItsLetters(await file.arrayBuffer())
      return told(api.POST('/api/batches/order-table', { body: { text } }))
    },
    onMutate: () => {
      setTook(null)
    },
    onSuccess: (lines) => {
      setTook(lines.length)
      onRead(lines)
    },
  })
  return (
    <div className="mt-3">
      <label className="inline-flex min-h-11 cursor-pointer items-center border border-ink/40 px-4 focus-within:outline-3 focus-within:outline-brass">
        Read a table (CSV)
        <input
          type="file"
          accept=".csv,.tsv,.txt,text/csv"
          className="sr-only"
          onChange={(e) => {
            const file = e.target.files?.[0]
            if (file) read.mutate(file)
            e.target.value = ''
          }}
        />
      </label>
      <span className="ml-3 text-sm text-ink-soft">
        {took === null
          ? 'article, quantity; colour, due and priority if wanted'
          : `${plural(took, 'article')} taken`}
      </span>
      <Trouble error={read.error} onPaper />
    </div>
  )
}

/** The foot of a form: leave it, or do what it is for. */
export function FormFoot({
  words,
  disabled,
  onClose,
}: {
  words: string
  disabled: boolean
  onClose: () => void
}) {
  return (
    <div className="flex justify-end gap-3">
      <Button onClick={onClose}>Leave it</Button>
      <Button look="brass" type="submit" disabled={disabled}>
        {words}
      </Button>
    </div>
  )
}
