import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { act, renderHook, waitFor } from '@testing-library/react'
import type { ReactNode } from 'react'
import { beforeEach, expect, test } from 'vitest'
import { answerWith } from '../../testing/server'
import type { Sheet } from './ticks'
import { useTicks } from './useTicks'
import { keptAfter, NOTHING_KEPT, readKept } from './waiting'

const SHEET = {
  id: 7,
  head: 3,
  state: 'open',
  states: [],
  steps: [],
  pieces: [],
} as unknown as Sheet
const step = (copy_number: number) => ({ piece: 'chair/seat', copy_number })
const STEPS = [step(0), step(1), step(2), step(3)] as const

/** A server that answers presses with a status, and knows which it wrote down. */
class Bench {
  status = 200
  refuses = ''
  unreadable = ''
  head = 3
  states: object[] = []
  written: string[] = []

  answer = async (asked: Request): Promise<Response> => {
    const body =
      asked.method === 'POST' ? ((await asked.json()) as { ticks: { id: string }[] }) : null
    if (body && this.status === 0) throw new TypeError('no connection')
    if (body?.ticks.some((t) => t.id === this.unreadable))
      return Response.json({ problem: 'copy_number is too large' }, { status: 422 })
    if (body && this.status !== 200)
      return Response.json({ problem: `it is ${this.status}` }, { status: this.status })
    const refused = (body?.ticks ?? []).filter((t) => t.id === this.refuses)
    this.written.push(...(body?.ticks ?? []).map((t) => t.id).filter((id) => id !== this.refuses))
    return Response.json({
      states: this.states,
      head: this.head,
      state: 'open',
      at_s: Date.now() / 1000,
      late: [],
      refused: refused.map((t) => ({ id: t.id, why: 'this lay has no such piece' })),
    })
  }
}

let bench: Bench
const around = ({ children }: { children: ReactNode }) => (
  <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
    {children}
  </QueryClientProvider>
)

beforeEach(() => {
  bench = new Bench()
  answerWith(bench.answer)
})

test.each([0, 401, 403, 409, 429, 500, 502, 503, 504])(
  'four presses answered by %i stay on the tablet, and are all sent once it is right again',
  async (status) => {
    bench.status = status
    const { result } = renderHook(() => useTicks(SHEET), { wrapper: around })
    act(() => {
      for (const step of STEPS) result.current.press(step, 'done')
    })
    await waitFor(() => {
      expect(result.current.away || result.current.held !== null).toBe(true)
    })
    expect(result.current.waiting).toBe(4)
    expect(readKept(localStorage.getItem('fairlay:ticks:7')).waiting).toHaveLength(4)
    expect(STEPS.map((s) => result.current.stateOf(s))).toEqual(['done', 'done', 'done', 'done'])
    bench.status = 200
    window.dispatchEvent(new Event('online'))
    await waitFor(() => {
      expect(result.current.waiting).toBe(0)
    })
    expect(new Set(bench.written).size).toBe(4)
    expect(result.current.held).toBeNull()
  },
)

test('one press that is refused is told by itself, the others are written down', async () => {
  bench.status = 500
  const { result } = renderHook(() => useTicks(SHEET), { wrapper: around })
  act(() => {
    for (const step of STEPS) result.current.press(step, 'done')
  })
  bench.refuses = readKept(localStorage.getItem('fairlay:ticks:7')).waiting[2]?.id ?? ''
  await waitFor(() => {
    expect(result.current.held).not.toBeNull()
  })
  bench.status = 200
  window.dispatchEvent(new Event('online'))
  await waitFor(() => {
    expect(result.current.waiting).toBe(0)
  })
  expect(new Set(bench.written).size).toBe(3)
  expect(result.current.refused.map((r) => [r.tick.copy_number, r.why])).toEqual([
    [2, 'this lay has no such piece'],
  ])
  act(() => {
    result.current.putAway(bench.refuses)
  })
  expect(result.current.refused).toEqual([])
})

test('one press that the server cannot read holds up none of the others', async () => {
  bench.status = 503
  const { result } = renderHook(() => useTicks(SHEET), { wrapper: around })
  act(() => {
    for (const step of STEPS) result.current.press(step, 'done')
  })
  await waitFor(() => {
    expect(result.current.away).toBe(true)
  })
  bench.unreadable = readKept(localStorage.getItem('fairlay:ticks:7')).waiting[1]?.id ?? ''
  bench.status = 200
  window.dispatchEvent(new Event('online'))
  await waitFor(
    () => {
      window.dispatchEvent(new Event('online'))
      expect(result.current.waiting).toBe(0)
    },
    { timeout: 4000 },
  )
  expect(new Set(bench.written).size).toBe(3)
  expect(result.current.refused.map((r) => r.tick.copy_number)).toEqual([1])
})

test('a spoilt piece is not offered at its old place while its new one is on the way', async () => {
  bench.states = [{ ...STEPS[0], state: 'spoilt', reason: '' }]
  const { result, rerender } = renderHook((sheet: Sheet) => useTicks(sheet), {
    wrapper: around,
    initialProps: SHEET,
  })
  await waitFor(() => {
    expect(result.current.stateOf(STEPS[0])).toBe('spoilt')
  })
  bench.head = 4
  bench.states = [{ ...STEPS[0], state: 'to cut', reason: '' }]
  act(() => {
    result.current.press(STEPS[1], 'done')
  })
  await waitFor(() => {
    expect(result.current.behind).toBe(true)
  })
  expect(result.current.stateOf(STEPS[0])).toBe('spoilt')
  rerender({ ...SHEET, head: 4 })
  expect(result.current.stateOf(STEPS[0])).toBe('to cut')
})

test('a tablet that starts again has what it kept, also as an older release kept it', () => {
  const tick = {
    id: 'abcdefgh',
    piece: 'chair/seat',
    copy_number: 1,
    act: 'done' as const,
    at_s: 5,
    tablet: 'a',
    number: 1,
    reason: '',
  }
  const kept = keptAfter(NOTHING_KEPT, { type: 'pressed', tick })
  expect(readKept(JSON.stringify(kept))).toEqual(kept)
  expect(readKept(JSON.stringify([tick]))).toEqual(kept)
  expect(readKept('{torn')).toEqual(NOTHING_KEPT)
  expect(readKept(null)).toEqual(NOTHING_KEPT)
})
