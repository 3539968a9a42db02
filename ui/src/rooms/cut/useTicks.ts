import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useEffectEvent, useRef, useState } from 'react'
import { api, readFrom, server, told, type Problem } from '../../api/client'
import { freshId, keyOf, standing, without, type Act, type Sheet, type Tick } from './ticks'

const LOOK_EVERY_MS = 3000
const TRY_AGAIN_MS = 2500

const kept = (name: string): Tick[] => {
  try {
    return JSON.parse(localStorage.getItem(name) ?? '[]') as Tick[]
  } catch {
    return []
  }
}

/** This tablet's own name, the same each time it is opened. */
function tabletName(): string {
  const known = localStorage.getItem('fairlay:tablet')
  if (known !== null) return known
  const made = freshId()
  localStorage.setItem('fairlay:tablet', made)
  return made
}

/**
 * Ticks of a hide: pressed here at once, kept in the tablet until the server has them, sent again
 * when the connection is back, each once.
 */
export function useTicks(sheet: Sheet) {
  const name = `fairlay:ticks:${sheet.id}`
  const queries = useQueryClient()
  const [waiting, setWaiting] = useState<Tick[]>(() => kept(name))
  const [done, setDone] = useState<Tick[]>([])
  const [away, setAway] = useState(false)
  const [refused, setRefused] = useState<Error | null>(null)
  const offset = useRef(0)
  const sending = useRef(false)
  const path = { sheet_id: sheet.id }
  const found = server.useQuery(
    'get',
    '/api/cut/{sheet_id}/states',
    { params: { path } },
    { refetchInterval: LOOK_EVERY_MS, retry: false, refetchIntervalInBackground: true },
  )
  const states = standing(found.data?.states ?? sheet.states, waiting)

  const keep = (ticks: Tick[]) => {
    localStorage.setItem(name, JSON.stringify(ticks))
    setWaiting(ticks)
  }
  const send = useEffectEvent(async () => {
    if (sending.current || waiting.length === 0) return
    sending.current = true
    const batch = waiting.slice(0, 500)
    try {
      const answer = await told(
        api.POST('/api/cut/{sheet_id}/ticks', { params: { path }, body: { ticks: batch } }),
      )
      queries.setQueryData(
        server.queryOptions('get', '/api/cut/{sheet_id}/states', { params: { path } }).queryKey,
        answer,
      )
      keep(without(kept(name), batch))
      setDone((before) => [...before, ...batch].slice(-60))
      setAway(false)
    } catch (error) {
      // What the server will never take is told and let go; a connection that is gone comes back.
      if ((error as Problem).passes) setAway(true)
      else {
        setRefused(error as Error)
        keep(without(kept(name), batch))
      }
    }
    sending.current = false
  })
  const news = useEffectEvent(() => {
    const told = found.data
    if (!told) return
    offset.current = told.at_s - Date.now() / 1000
    if (told.head !== sheet.head || told.state !== sheet.state)
      void queries.invalidateQueries(readFrom('/api/cut/{sheet_id}'))
  })
  useEffect(() => {
    news()
  }, [found.data])
  useEffect(() => {
    const soon = setTimeout(() => void send(), 0)
    const timer = setInterval(() => void send(), TRY_AGAIN_MS)
    return () => {
      clearTimeout(soon)
      clearInterval(timer)
    }
  }, [waiting])
  const press = (step: { piece: string; copy_number: number }, act: Act, reason = '') => {
    const number = waiting.length + done.length + 1
    const tick: Tick = {
      id: freshId(),
      piece: step.piece,
      copy_number: step.copy_number,
      act,
      at_s: Date.now() / 1000 + offset.current,
      tablet: tabletName(),
      number,
      reason,
    }
    setRefused(null)
    keep([...kept(name), tick])
  }
  const last = [...done, ...waiting].filter((t) => t.act !== 'back').at(-1) ?? null
  return {
    states,
    press,
    waiting: waiting.length,
    away: away || found.isError,
    refused,
    last,
    stateOf: (p: { piece: string; copy_number: number }) => states.get(keyOf(p)) ?? 'to cut',
  }
}
