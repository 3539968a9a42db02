import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export const api = createClient<paths>({ baseUrl: '' })

/** What the server said was wrong, in its own words; `newer` is the revision that stands instead. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly newer: number | null = null,
  ) {
    super(message)
  }
}

/** The data of an answer; throws the server's own words where it refused. */
export async function told<T>(
  call: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let answer
  try {
    answer = await call
  } catch {
    throw new Problem(
      'The workshop’s server does not answer. What was saved is kept; try again once it runs.',
    )
  }
  if (answer.response.ok) return answer.data as T
  const said = answer.error as { problem?: string; newer?: number | null } | undefined
  throw new Problem(
    said?.problem ?? `The server answered ${answer.response.status}.`,
    said?.newer ?? null,
  )
}
