import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { api, readFrom, readUnder, server, told, type Schemas } from '../../api/client'

export type Known = Schemas['HideRoomOut']
export type Change = Partial<Schemas['Change']>
export type StepName = Schemas['StepOut']['step']
export type At = [number, number]

export const FLAW_KINDS = [
  'not named',
  'brand',
  'scratch',
  'scar',
  'tick bite',
  'fly bite',
  'lice bite',
  'warble hole',
  'vein',
  'growth wrinkle',
  'fat wrinkle',
  'stretch mark',
  'loose grain',
  'pipey grain',
  'flay cut',
  'thin spot',
  'hole',
  'stain',
  'dye patch',
  'dirt',
  'fold crease',
]
export const SEVERITIES = [
  [1, 'surface: only a mark'],
  [2, 'blemish: plain, but sound'],
  [3, 'unsound: no piece may use it'],
] as const
const NOTHING: Schemas['Change'] = {
  flaw: null,
  pull: null,
  reading: null,
  remove: null,
  step: null,
  ends: null,
  zone: null,
  brush: null,
  outline: null,
  cut: null,
}

/** Tells one thing found from another, whatever else becomes known of the hide meanwhile. */
export const seenName = (seen: Schemas['SeenRecord']) =>
  seen.picture ?? `${seen.source}-${seen.area_m2}-${seen.outline.length}`

/** A hide with all that is known of it. Someone else's changes are seen within seconds. */
export const useHide = (id: number) =>
  server.useQuery(
    'get',
    '/api/leather/hides/{hide_id}',
    { params: { path: { hide_id: id } } },
    { refetchInterval: 8_000 },
  )

/** One change of a hide, saved as it is made. */
export function useChange(id: number) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (change: Change | 'undo') =>
      change === 'undo'
        ? told(api.POST('/api/leather/hides/{hide_id}/undo', { params: { path: { hide_id: id } } }))
        : told(
            api.POST('/api/leather/hides/{hide_id}/changes', {
              params: { path: { hide_id: id } },
              body: { ...NOTHING, ...change },
            }),
          ),
    onSuccess: async () => {
      await queries.invalidateQueries(readFrom('/api/leather/hides/{hide_id}'))
      void queries.invalidateQueries(readUnder('/api/leather'))
    },
  })
}

/** An id for something new, told apart from everyone else's. */
export const newId = (prefix: string) =>
  `${prefix}-${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 7)}`

/**
 * Something begun and not yet saved: kept in the browser, so that closing it in the middle loses
 * nothing.
 */
export function useBegun<T>(name: string): [T | null, (value: T | null) => void] {
  const key = `fairlay.begun.${name}`
  const [value, setValue] = useState<T | null>(() => {
    const kept = localStorage.getItem(key)
    try {
      return kept === null ? null : (JSON.parse(kept) as T)
    } catch {
      return null
    }
  })
  useEffect(() => {
    if (value === null) localStorage.removeItem(key)
    else localStorage.setItem(key, JSON.stringify(value))
  }, [key, value])
  return [value, setValue]
}

/** A freehand stroke without the points a hand's tremble adds. */
export function thinned(points: At[], least: number): At[] {
  const out: At[] = []
  for (const p of points) {
    const last = out[out.length - 1]
    if (!last || Math.hypot(p[0] - last[0], p[1] - last[1]) >= least) out.push(p)
  }
  return out
}

/** A ring round a place, for those who draw by keys. */
export const roundRing = (x: number, y: number, across: number): At[] =>
  Array.from({ length: 16 }, (_, i) => [
    x + (across / 2) * Math.cos((i * Math.PI) / 8),
    y + (across / 2) * Math.sin((i * Math.PI) / 8),
  ])
