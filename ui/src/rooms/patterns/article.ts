import { useQueryClient } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { api, readFrom, server, told, type Schemas, type Wrong } from '../../api/client'

export type View = Schemas['ArticleView']
export type Article = Schemas['Article']
export type Pattern = Schemas['Pattern']
export type Mark = Schemas['Mark']
export type Drawn = Schemas['DrawnPiece']
export type Run = Schemas['Run']

export interface Hand {
  view: View | undefined
  error: Wrong
  /** What went wrong with the last change; what was there before is kept. */
  refused: Error | null
  /** Changes one after the other, each from what the one before left. */
  change: (alter: (article: Article) => Article) => Promise<boolean>
  undo: () => void
  canUndo: boolean
  /** The revision may be changed: the newest one, and planned in no batch. */
  open: boolean
}

/**
 * What a change of ours was made from, and the version it made: it can be taken back while nobody
 * else saved since.
 */
interface Step {
  before: Article
  made: number
}
const BEFORE = new Map<number, Step[]>()
const MOST_UNDONE = 60

const asked = (id: number, revision?: number) => ({
  params: { path: { article_id: id }, query: revision === undefined ? {} : { revision } },
})
export const newestKey = (id: number) =>
  server.queryOptions('get', '/api/patterns/{article_id}', asked(id)).queryKey

/** An article in hand: read, changed piece by piece, and put back as it was. */
export function useArticle(id: number, revision?: number): Hand {
  const queries = useQueryClient()
  const found = server.useQuery('get', '/api/patterns/{article_id}', asked(id, revision))
  const [refused, setRefused] = useState<Error | null>(null)
  const chain = useRef(Promise.resolve(true))
  const put = useCallback(
    (alter: (article: Article) => Article, undone: Step | null = null) => {
      const act = async () => {
        const now = queries.getQueryData<View>(newestKey(id))
        if (!now) return false
        try {
          if (undone && undone.made !== now.version)
            throw new Error(
              'Somebody changed this article since; undoing would take that back too. Nothing was changed.',
            )
          const saved = await told(
            api.PUT('/api/patterns/{article_id}', {
              params: { path: { article_id: id } },
              body: { base: now.version, article: alter(now.article) },
            }),
          )
          const steps = BEFORE.get(id) ?? []
          // What is taken back leaves the step before it as the newest of ours.
          BEFORE.set(
            id,
            undone
              ? steps.map((s, i) => (i === steps.length - 1 ? { ...s, made: saved.version } : s))
              : [...steps, { before: now.article, made: saved.version }].slice(-MOST_UNDONE),
          )
          queries.setQueryData(newestKey(id), saved)
          void queries.invalidateQueries(readFrom('/api/patterns'))
          void queries.invalidateQueries(readFrom('/api/articles'))
          setRefused(null)
          return true
        } catch (error) {
          setRefused(error instanceof Error ? error : new Error(String(error)))
          void queries.invalidateQueries(readFrom('/api/patterns/{article_id}'))
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
    change: useCallback((alter: (article: Article) => Article) => put(alter), [put]),
    undo: useCallback(() => {
      const last = BEFORE.get(id)?.pop()
      if (last) void put(() => last.before, last)
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
export function freshSlug(name: string, article: Pick<Article, 'pieces'>): string {
  const base =
    name
      .normalize('NFKD')
      .toLowerCase()
      .replace(/\p{M}+/gu, '')
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
