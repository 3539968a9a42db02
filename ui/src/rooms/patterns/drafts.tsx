import { useState } from 'react'
import { api, server, told } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { Choice, NumberField, TextField, Tick } from '../../parts/fields'
import { freshSlug, type Article, type Hand, type Pattern } from './article'

/** What is asked of a new piece besides its shape. */
export interface Draft {
  name: string
  each: number
  pair: boolean
  material: string
  kind: string
}

export const MATERIALS = ['body leather', 'strap leather', 'lining']

export const draftFor = (name: string, article: Article, kind = 'show panel'): Draft => ({
  name,
  each: 1,
  pair: false,
  material:
    kind === 'strap' ? 'strap leather' : (article.pieces.at(-1)?.material ?? 'body leather'),
  kind,
})

export function useStarts() {
  return server.useQuery('get', '/api/patterns/starts', {}, { staleTime: Infinity })
}

/** Name, how many, hand, material and kind of a piece. */
export function DraftFields({
  draft,
  onChange,
  materials,
}: {
  draft: Draft
  onChange: (draft: Draft) => void
  materials: string[]
}) {
  const starts = useStarts()
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-2">
      <TextField
        live
        label="Name of the piece"
        value={draft.name}
        onChange={(name) => {
          onChange({ ...draft, name })
        }}
        className="col-span-2"
      />
      <NumberField
        label="in each article"
        value={draft.each}
        least={0}
        most={1000}
        onChange={(each) => {
          onChange({ ...draft, each: Math.round(each) })
        }}
      />
      <Tick
        label="a pair: half mirrored"
        checked={draft.pair}
        onChange={(pair) => {
          onChange({ ...draft, pair, each: pair && draft.each % 2 ? draft.each + 1 : draft.each })
        }}
      />
      <div>
        <label className="block text-[13px] text-ink-soft" htmlFor="draft-material">
          Material
        </label>
        <input
          id="draft-material"
          list="materials"
          className="min-h-11 w-full border border-ink/40 bg-white px-2"
          value={draft.material}
          onChange={(e) => {
            onChange({ ...draft, material: e.target.value })
          }}
        />
        <datalist id="materials">
          {materials.map((m) => (
            <option key={m} value={m} />
          ))}
        </datalist>
      </div>
      <Choice
        label="It is a"
        value={draft.kind}
        options={(starts.data ?? [{ name: draft.kind, says: '' }]).map(
          (s) => [s.name, s.name] as const,
        )}
        onChange={(kind) => {
          onChange({ ...draft, kind })
        }}
      />
      <p className="col-span-2 text-[13px] text-ink-soft">
        {starts.data?.find((s) => s.name === draft.kind)?.says}. What it needs can be changed on the
        piece.
      </p>
    </div>
  )
}

/** Put pieces into an article, each with the needs of its kind. */
export async function addPieces(
  hand: Hand,
  made: { draft: Draft; pattern: Pick<Pattern, 'contour' | 'windows'> & Partial<Pattern> }[],
): Promise<boolean> {
  if (!hand.view) return false
  let article = hand.view.article
  const pieces: Pattern[] = []
  for (const { draft, pattern } of made) {
    const slug = freshSlug(draft.name, article)
    const bare = {
      ...pattern,
      slug,
      name: draft.name.trim(),
      material: draft.material.trim(),
      each: draft.each,
      pair: draft.pair,
    } as Pattern
    const piece = await told(
      api.POST('/api/patterns/starts/{name}', {
        params: { path: { name: draft.kind } },
        body: bare,
      }),
    )
    pieces.push(piece)
    article = { ...article, pieces: [...article.pieces, piece] }
  }
  return hand.change((a) => ({ ...a, pieces: [...a.pieces, ...pieces] }))
}

/** The last step of every way in: say what the piece is, and add it. */
export function AddOne({
  hand,
  shape,
  suggested,
  kind,
  onAdded,
}: {
  hand: Hand
  shape: { contour: number[][]; windows: number[][][] } | null
  suggested: string
  kind?: string
  onAdded: () => void
}) {
  const [own, setOwn] = useState<Draft | null>(null)
  const [trouble, setTrouble] = useState<Error | null>(null)
  const [busy, setBusy] = useState(false)
  if (!hand.view) return null
  const draft = own ?? draftFor(suggested, hand.view.article, kind)
  const materials = [...new Set([...hand.view.article.pieces.map((p) => p.material), ...MATERIALS])]
  const add = async () => {
    if (!shape) return
    setBusy(true)
    try {
      if (await addPieces(hand, [{ draft, pattern: shape }])) onAdded()
    } catch (error) {
      setTrouble(error instanceof Error ? error : new Error(String(error)))
    }
    setBusy(false)
  }
  return (
    <form
      className="mt-4 grid gap-3 border-t border-docket-line pt-3"
      onSubmit={(e) => {
        e.preventDefault()
        void add()
      }}
    >
      <DraftFields draft={draft} onChange={setOwn} materials={materials} />
      <Trouble error={trouble ?? hand.refused} onPaper />
      <Button
        look="brass"
        type="submit"
        className="min-h-14 text-lg"
        disabled={!shape || busy || !draft.name.trim()}
      >
        Add it to {hand.view.article.name}
      </Button>
    </form>
  )
}
