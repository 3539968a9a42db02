import createClient from 'openapi-fetch'
import createQueries from 'openapi-react-query'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
/** What may have gone wrong: here, or as the server said it. */
export type Wrong = Error | Schemas['Problem'] | null

/**
 * What the server said was wrong, in its own words; `newer` is the revision that stands instead,
 * `status` 0 where it does not answer at all.
 */
export class Problem extends Error {
  constructor(
    message: string,
    readonly newer: number | null = null,
    readonly status = 0,
  ) {
    super(message)
  }

  /** Whether it may be gone by itself in a moment: the server, or its store, is not up. */
  get passes() {
    return this.status === 0 || this.status === 503
  }
}

const SILENT =
  'The workshop’s server does not answer. What was saved is kept; try again once it runs.'

/** Told to the page where the server says that nobody is signed in. */
export const SIGNED_OUT = 'fairlay:signed-out'
const NOBODY = 401
/** What only a page of ours can send: the server refuses every change without it. */
export const OURS = { 'fair-lay': '1' }

export const api = createClient<paths>({ baseUrl: '', headers: OURS })
api.use({
  onError: () => new Problem(SILENT),
  onResponse: async ({ response }) => {
    if (response.ok) return
    if (response.status === NOBODY) window.dispatchEvent(new Event(SIGNED_OUT))
    const said = (await response
      .clone()
      .json()
      .catch(() => null)) as { problem?: string; newer?: number | null } | null
    throw new Problem(
      said?.problem ?? `The server answered ${response.status}.`,
      said?.newer ?? null,
      response.status,
    )
  },
})

/** The client's own queries: what is asked is its key. */
export const server = createQueries(api)

/** The data of an answer; what the server refused is thrown in its own words. */
export async function told<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T
}

type Reads = {
  [P in keyof paths]: paths[P] extends { get: object } ? P : never
}[keyof paths]

/** What was read from an address, whatever of it was asked: to be read anew. */
export const readFrom = (address: Reads) => ({ queryKey: ['get', address] })

/** All that was read from addresses that begin so. */
export const readUnder = (beginning: '/api/leather' | '/api/patterns') => ({
  predicate: (query: { queryKey: readonly unknown[] }) =>
    typeof query.queryKey[1] === 'string' && query.queryKey[1].startsWith(beginning),
})
