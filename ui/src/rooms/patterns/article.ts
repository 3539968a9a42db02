import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { api, told, type Schemas } from '../../api/client'

export type View = Schemas['ArticleView']
export type Article = Schemas['Article']
export type Pattern = Schemas['Pattern']
export type Mark = Schemas['Mark']
export type Drawn = Schemas['DrawnPiece']
export type Run = Schemas['Run']

export interface Hand {
  view: View | undefined
  error: Error | null
  /** What went wrong with the last change; what was there before is kept. */
  refused: Error | null
  /** Changes one after the other, each from what the one before left. */
  change: (alter: (article: Article) => Article) => Promise<boolean>
  undo: () => void
  canUndo: boolean
  /** The revision may be changed: the newest one, and planned in no batch. */
  open: boolean
}

const BEFORE = new Map<number, Article[]>()
const MOST_UNDONE = 60

/** An article in hand: read, changed piece by piece, and put back as it was. */
export function useArticle(id: number, revision?: number): Hand {
  const queries = useQueryClient()
  const key = ['pattern', id, revision ?? 'newest']
  const found = useQuery({
    queryKey: key,
    queryFn: () =>
      told(
        api.GET('/api/patterns/{article_id}', {
          params: { path: { article_id: id }, query: revision === undefined ? {} : { revision } },
        }),
      ),
  })
  const [refused, setRefused] = useState<Error | null>(null)
  const chain = useRef(Promise.resolve(true))
  const put = useCallback(
    (alter: (article: Article) => Article, remember: boolean) => {
      const act = async () => {
        const now = queries.getQueryData<View>(['pattern', id, 'newest'])
        if (!now) return false
        try {
          const saved = await told(
            api.PUT('/api/patterns/{article_id}', {
              params: { path: { article_id: id } },
              body: { base: now.version, article: alter(now.article) },
            }),
          )
          if (remember) BEFORE.set(id, [...(BEFORE.get(id) ?? []), now.article].slice(-MOST_UNDONE))
          queries.setQueryData(['pattern', id, 'newest'], saved)
          void queries.invalidateQueries({ queryKey: ['drawers'] })
          void queries.invalidateQueries({ queryKey: ['articles'] })
          setRefused(null)
          return true
        } catch (error) {
          setRefused(error instanceof Error ? error : new Error(String(error)))
          void queries.invalidateQueries({ queryKey: ['pattern', id] })
          return false
        }
      }
      chain.current = chain.current.then(act)
      return chain.current
    },
    [id, queries],
  )
  return {
    view: found.data,
    error: found.error,
    refused,
    change: useCallback((alter: (article: Article) => Article) => put(alter, true), [put]),
    undo: useCallback(() => {
      const last = BEFORE.get(id)?.pop()
      if (last) void put(() => last, false)
    }, [id, put]),
    canUndo: (BEFORE.get(id)?.length ?? 0) > 0,
    open: !!found.data?.newest && found.data.batches.length === 0 && revision === undefined,
  }
}

export const withPiece =
  (slug: string, alter: (p: Pattern) => Pattern) =>
  (article: Article): Article => ({
    ...article,
    pieces: article.pieces.map((p) => (p.slug === slug ? alter(p) : p)),
  })

/** A name of its own among an article's pieces, as the server makes short names. */
export function freshSlug(name: string, article: Article): string {
  const base =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 56) || 'piece'
  const taken = new Set(article.pieces.map((p) => p.slug))
  for (let n = 1; ; n++) {
    const slug = n === 1 ? base : `${base}-${n}`
    if (!taken.has(slug)) return slug
  }
}

export const freshMark = (kind: string, p: Pattern): string => {
  for (let n = 1; ; n++) {
    const id = n === 1 ? kind : `${kind} ${n}`
    if (!p.marks.some((m) => m.id === id)) return id
  }
}

/** A mark with everything a mark may have, to be altered. */
export const blankMark = (kind: Mark['kind'], id: string): Mark => ({
  id,
  kind,
  side: 'grain',
  path: [],
  closed: false,
  turn_deg: 0,
  offset_mm: 3,
  pitch_mm: 4,
  spacing: 'nearest',
  width_mm: kind === 'glue' || kind === 'skive' ? 10 : 5,
  length_mm: kind === 'stamp' ? 30 : 20,
  left_mm: 0.8,
  piece: '',
  mirrored: false,
  covers: true,
  text: '',
})
