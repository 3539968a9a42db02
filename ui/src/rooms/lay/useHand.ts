import { queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useEffectEvent, useReducer, useRef } from 'react'
import type { At } from '../../hide/places'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import {
  freeCopy,
  handled,
  matrixAt,
  middleOf,
  nextIsMirrored,
  settled,
  withPut,
  type Ground,
  type InHand,
} from './hand'
import { keyOf, type Lay, type Piece, type Placement } from './lay'
import { useHead } from './useLay'

const SNAP_PX = 7
const REST_MS = 350
const EMPTY: Ground = []
const FORESEE_MS = 70
const TURN_REST_MS = 260
const NOBODY: InHand = {
  piece: '',
  copy: 0,
  turn: 0,
  mirrored: false,
  home: null,
  along: [],
  insisting: false,
}
/** A piece that lies, as it is held once it is taken up. */
const handOf = (p: Placement): InHand => ({
  ...NOBODY,
  piece: p.piece,
  copy: p.copy_number,
  turn: p.rotation_deg,
  mirrored: p.mirrored,
  home: p,
})

export type Why = Schemas['WhyOut']

/**
 * The piece in the hand over one hide: what is lit for it, where it settles, why not where it is
 * held. Its place is written to the screen at each move; React hears of it only when something is
 * to be said.
 */
export function useHand(
  lay: Lay,
  hide: string,
  pieces: Map<string, Piece>,
  pointed: Placement | null,
) {
  const queries = useQueryClient()
  const { headNow, scope } = useHead(lay)
  const [hand, act] = useReducer(handled, null)
  const shown = useRef<SVGGElement>(null)
  const ghost = useRef<SVGPathElement>(null)
  const wanted = useRef<At>({ x: 0, y: 0 })
  const at = useRef<At & { fair: boolean }>({ x: 0, y: 0, fair: false })
  const scale = useRef(1)
  const resting = useRef(0)
  const frame = useRef(0)
  const path = { lay_id: lay.id }
  const piece = hand === null ? undefined : pieces.get(hand.piece)

  const held = (own: InHand) => ({
    piece: own.piece,
    hide,
    turn_deg: own.turn,
    mirrored: own.mirrored,
    along: own.along.map((a) => ({
      piece: a.placement.piece,
      turn_deg: a.placement.rotation_deg,
      mirrored: a.placement.mirrored,
      dx: a.x,
      dy: a.y,
    })),
    lifted: liftedOf(own),
  })

  // What is lit is asked for anew with each turn, hide and change of the lay.
  const litFor = (own: InHand) =>
    queryOptions({
      queryKey: ['lit', lay.id, lay.head, held(own)],
      queryFn: ({ signal }) =>
        told(
          api.POST('/api/lays/{lay_id}/hand/ground', {
            params: { path },
            body: held(own),
            signal,
          }),
        ),
      staleTime: Infinity,
      gcTime: 10_000,
    })
  const lit = useQuery({ ...litFor(hand ?? NOBODY), enabled: hand !== null })
  /** Ask ahead for what is about to be lit: most pieces are pointed at before they are taken up. */
  const foresee = useEffectEvent((own: InHand) => {
    void queries.query(litFor(own)).catch(() => undefined)
  })
  useEffect(() => {
    if (hand === null || hand.along.length > 0 || !lit.data) return
    const timer = setTimeout(() => {
      for (const by of [1, -1]) {
        const next = handled(hand, { type: 'turn', by })
        if (next) foresee(next)
      }
    }, TURN_REST_MS)
    return () => {
      clearTimeout(timer)
    }
  }, [hand, lit.data])
  useEffect(() => {
    const p = hand === null ? pointed : null
    if (p === null) return
    const timer = setTimeout(() => {
      foresee(handOf(p))
    }, FORESEE_MS)
    return () => {
      clearTimeout(timer)
    }
  }, [hand, pointed])
  const ground: Ground | null = hand === null ? null : (lit.data?.parts ?? null)

  const draw = () => {
    const own = shown.current
    if (own === null || hand === null) return
    const { a, b, c, d, e, f } = matrixAt(at.current, hand.turn, hand.mirrored)
    own.setAttribute('transform', `matrix(${a} ${b} ${c} ${d} ${e} ${f})`)
    own.dataset['fair'] = String(at.current.fair || hand.insisting)
    // Where it is held, if it does not go there.
    const w = wanted.current
    const apart = Math.hypot(at.current.x - w.x, at.current.y - w.y) > SNAP_PX / scale.current
    ghost.current?.setAttribute('visibility', apart ? 'visible' : 'hidden')
    ghost.current?.setAttribute('transform', `matrix(${a} ${b} ${c} ${d} ${w.x} ${w.y})`)
  }
  const settle = () => {
    if (hand === null) return
    const from = hand.home && hand.home.hide === hide && hand.home.rotation_deg === hand.turn
    const home = from && hand.home ? { x: hand.home.matrix.e, y: hand.home.matrix.f } : null
    const spot =
      hand.insisting || ground === null
        ? null
        : settled(ground, wanted.current, SNAP_PX / scale.current, home)
    at.current = spot ?? { ...wanted.current, fair: hand.insisting }
    cancelAnimationFrame(frame.current)
    frame.current = requestAnimationFrame(draw)
  }
  /** Where the piece in the hand is drawn, and at which scale. */
  const onDrawn = (own: SVGGElement | null, atScale: number) => {
    shown.current = own
    scale.current = atScale
    draw()
  }
  const onGhost = (own: SVGPathElement | null) => {
    ghost.current = own
  }
  const again = useEffectEvent(settle)
  useEffect(() => {
    again()
  }, [hand, ground])

  const asking = useMutation({
    mutationFn: (own: InHand) => {
      const { x, y } = wanted.current
      return told(
        api.POST('/api/lays/{lay_id}/hand/why', {
          params: { path },
          body: { ...held(own), x, y },
        }),
      )
    },
  })
  const rest = () => {
    window.clearTimeout(resting.current)
    if (!asking.isIdle) asking.reset()
    if (hand === null || hand.insisting || hand.along.length > 0) return
    resting.current = window.setTimeout(() => {
      const gap = Math.hypot(at.current.x - wanted.current.x, at.current.y - wanted.current.y)
      if (!at.current.fair || gap > (2 * SNAP_PX) / scale.current) asking.mutate(hand)
    }, REST_MS)
  }

  const takeUp = (own: InHand, from: At) => {
    wanted.current = from
    at.current = { ...from, fair: own.home !== null }
    asking.reset()
    act({ type: 'take up', hand: own })
  }
  const lift = (p: Placement, others: Placement[] = []) => {
    const along = others
      .filter((o) => keyOf(o) !== keyOf(p) && o.hide === p.hide)
      .map((o) => ({ x: o.matrix.e - p.matrix.e, y: o.matrix.f - p.matrix.f, placement: o }))
    takeUp({ ...handOf(p), along }, { x: p.matrix.e, y: p.matrix.f })
  }
  const fromTray = (own: Piece, middle: At) => {
    const copy = freeCopy(lay, own)
    if (copy === null) return
    const mirrored = nextIsMirrored(lay, own)
    const turn = mirrored ? own.turn_over_deg : own.turn_deg
    const from = middleOf(own, turn, mirrored)
    takeUp(
      { piece: own.id, copy, turn, mirrored, home: null, along: [], insisting: false },
      { x: middle.x - from.x, y: middle.y - from.y },
    )
  }
  const moveTo = (to: At) => {
    wanted.current = to
    settle()
    rest()
  }
  const moveBy = (dx: number, dy: number) => {
    moveTo({ x: at.current.x + dx, y: at.current.y + dy })
  }
  /** Keep the middle of the piece where it is while it turns. */
  const about = (turn: number, mirrored: boolean) => {
    if (hand === null || piece === undefined) return
    const was = middleOf(piece, hand.turn, hand.mirrored)
    const now = middleOf(piece, turn, mirrored)
    wanted.current = {
      x: at.current.x + was.x - now.x,
      y: at.current.y + was.y - now.y,
    }
    at.current = { ...wanted.current, fair: false }
  }
  const turnBy = (deg: number) => {
    if (hand === null || hand.along.length > 0) return
    about(hand.turn + deg, hand.mirrored)
    act({ type: 'turn', by: deg })
  }
  const turnOver = () => {
    if (hand === null || piece === undefined || !piece.pair) return
    const deg = hand.mirrored ? piece.turn_deg : piece.turn_over_deg
    about(deg, !hand.mirrored)
    act({ type: 'turn over', deg })
  }
  const bestAngle = useMutation({
    mutationFn: async () => {
      if (hand === null) return
      const { x, y } = wanted.current
      const found = await told(
        api.POST('/api/lays/{lay_id}/hand/angle', {
          params: { path },
          body: { ...held(hand), along: [], x, y },
        }),
      )
      wanted.current = { x: found.x, y: found.y }
      act({ type: 'turn to', deg: found.turn_deg })
    },
  })
  const leave = () => {
    window.clearTimeout(resting.current)
    asking.reset()
    act({ type: 'leave' })
  }
  const put = useMutation({
    scope,
    mutationFn: async ({ down, up, insisting }: Change) => {
      const base = headNow()
      const answer = await told(
        api.POST('/api/lays/{lay_id}/moves', {
          params: { path },
          body: {
            base,
            insisting,
            mark: '',
            put: down.map((p) => ({
              piece: p.piece,
              copy: p.copy_number,
              hide: p.hide,
              x: p.matrix.e,
              y: p.matrix.f,
              rotation_deg: p.rotation_deg,
              mirrored: p.mirrored,
            })),
            take: up,
          },
        }),
      )
      keep(down, up, answer.head)
    },
    onMutate: ({ down, up }: Change) => {
      keep(down, up, lay.head)
    },
    onError: () => queries.invalidateQueries(readFrom('/api/lays/{lay_id}')),
  })
  const keep = (down: Placement[], up: Change['up'], newest: number) => {
    const key = server.queryOptions('get', '/api/lays/{lay_id}', { params: { path } }).queryKey
    queries.setQueryData<Lay>(
      key,
      (known) => known && withPut(known, down, up.map(keyOf), Math.max(known.head, newest)),
    )
  }
  /** Let go: down where it settles, if that is fair or insisted on. Whether it was. */
  const letGo = (): boolean => {
    if (hand === null) return false
    const spot = at.current
    const home = hand.home
    if (
      home?.hide === hide &&
      home.rotation_deg === hand.turn &&
      home.mirrored === hand.mirrored &&
      Math.hypot(home.matrix.e - spot.x, home.matrix.f - spot.y) < 0.005
    ) {
      leave()
      return true
    }
    if (!spot.fair) {
      asking.mutate(hand)
      return false
    }
    const first: Placement = {
      piece: hand.piece,
      copy_number: hand.copy,
      hide,
      matrix: matrixAt(spot, hand.turn, hand.mirrored),
      mirrored: hand.mirrored,
      rotation_deg: hand.turn,
    }
    const others = hand.along.map(({ x, y, placement }) => ({
      ...placement,
      hide,
      matrix: { ...placement.matrix, e: spot.x + x, f: spot.y + y },
    }))
    put.mutate({ down: [first, ...others], up: [], insisting: hand.insisting })
    leave()
    return true
  }
  const toTray = (keys: Change['up']) => {
    put.mutate({ down: [], up: keys, insisting: false })
    leave()
  }
  const insist = () => {
    act({ type: 'insist' })
  }
  return {
    hand,
    piece,
    ground: ground ?? EMPTY,
    pending: hand !== null && ground === null,
    sentence: lit.data?.sentence ?? '',
    why: asking.data ?? null,
    onDrawn,
    onGhost,
    lift,
    fromTray,
    moveTo,
    moveBy,
    turnBy,
    turnOver,
    bestAngle,
    insist,
    letGo,
    leave,
    toTray,
    error: put.error ?? bestAngle.error ?? lit.error,
  }
}

export type HandOf = ReturnType<typeof useHand>

interface Change {
  down: Placement[]
  up: { piece: string; copy_number: number }[]
  insisting: boolean
}

const liftedOf = (hand: InHand) => [
  ...(hand.home ? [{ piece: hand.piece, copy_number: hand.copy }] : []),
  ...hand.along.map(({ placement: { piece, copy_number } }) => ({ piece, copy_number })),
]

/** The keys of what is in the hand: it is not drawn where it lay. */
export const inHand = (hand: InHand | null) => new Set(hand ? liftedOf(hand).map(keyOf) : [])
