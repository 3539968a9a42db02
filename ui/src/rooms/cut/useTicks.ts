import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useEffectEvent, useRef, useState } from 'react'
import { api, readFrom, server, told, type Problem } from '../../api/client'
import {
  beforeTheNewPlan,
  freshId,
  keyOf,
  spoiltIn,
  standing,
  type Act,
  type Sheet,
  type Tick,
} from './ticks'
import { KEPT_UNDER, keptAfter, nextBatch, readKept, UNREADABLE, type Change } from './waiting'

const LOOK_EVERY_MS = 3000
const TRY_AGAIN_MS = 2500

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
  const name = `${KEPT_UNDER}${sheet.id}`
  const queries = useQueryClient()
  const [kept, setKept] = useState(() => readKept(localStorage.getItem(name)))
  const waiting = kept.waiting
  const [done, setDone] = useState<Tick[]>([])
  const [away, setAway] = useState(false)
  const [held, setHeld] = useState<Problem | null>(null)
  const [late, setLate] = useState(0)
  const offset = useRef(0)
  const sending = useRef(false)
  const alone = useRef(false)
  const path = { sheet_id: sheet.id }
  const found = server.useQuery(
    'get',
    '/api/cut/{sheet_id}/states',
    { params: { path } },
    { refetchInterval: LOOK_EVERY_MS, retry: false, refetchIntervalInBackground: true },
  )
  // The newest states that were told of the plan that is shown.
  const [ofPlan, setOfPlan] = useState(sheet.states)
  const behind = found.data !== undefined && found.data.head !== sheet.head
  const pressed = standing(found.data?.states ?? sheet.states, waiting)
  if (found.data && !behind && found.data.states !== ofPlan) setOfPlan(found.data.states)
  const states = behind ? beforeTheNewPlan(pressed, spoiltIn(standing(ofPlan, []))) : pressed

  // Another page of this tablet may have changed what is kept: what stands there now is changed.
  const keep = (change: Change) => {
    const next = keptAfter(readKept(localStorage.getItem(name)), change)
    localStorage.setItem(name, JSON.stringify(next))
    setKept(next)
  }
  const send = useEffectEvent(async () => {
    if (sending.current || waiting.length === 0) return
    sending.current = true
    const batch = nextBatch(kept, alone.current)
    try {
      const answer = await told(
        api.POST('/api/cut/{sheet_id}/ticks', { params: { path }, body: { ticks: batch } }),
      )
      queries.setQueryData(
        server.queryOptions('get', '/api/cut/{sheet_id}/states', { params: { path } }).queryKey,
        answer,
      )
      keep({ type: 'answered', sent: batch, refused: answer.refused })
      const not = new Set(answer.refused.map((r) => r.id))
      setDone((before) => [...before, ...batch.filter((t) => !not.has(t.id))].slice(-60))
      setLate((before) => before + answer.late.length)
      setAway(false)
      setHeld(null)
    } catch (error) {
      // Whatever it is, the presses stay here and are sent again: what the cutter must do differs.
      const problem = error as Problem
      if (problem.status === UNREADABLE) {
        // One of them is no press at all: they go one by one until it is found, and told by itself.
        const [only, ...more] = batch
        alone.current = more.length > 0
        if (only && more.length === 0)
          keep({ type: 'answered', sent: batch, refused: [{ id: only.id, why: problem.message }] })
      }
      setAway(problem.passes)
      setHeld(problem.passes || problem.status === UNREADABLE ? null : problem)
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
    const again = () => void send()
    window.addEventListener('online', again)
    return () => {
      window.removeEventListener('online', again)
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
    keep({ type: 'pressed', tick })
  }
  const last = [...done, ...waiting].filter((t) => t.act !== 'back').at(-1) ?? null
  return {
    states,
    press,
    waiting: waiting.length,
    away: away || found.isError,
    behind,
    held,
    late,
    refused: kept.refused,
    putAway: (id: string) => {
      keep({ type: 'put away', id })
    },
    last,
    stateOf: (p: { piece: string; copy_number: number }) => states.get(keyOf(p)) ?? 'to cut',
  }
}
