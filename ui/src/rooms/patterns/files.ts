import { OURS } from '../../api/client'
import { Problem, type Schemas } from '../../api/client'

/** A file sent as it is; the server keeps it and says what can be made of it. */
export async function sendFile(file: File): Promise<Schemas['FileOut']> {
  const body = new FormData()
  body.append('file', file)
  let answer: Response
  try {
    answer = await fetch('/api/ways-in/files', { method: 'POST', body, headers: OURS })
  } catch {
    throw new Problem(
      'The workshop’s server does not answer. Nothing was sent; try again once it runs.',
    )
  }
  const said = (await answer.json()) as Schemas['FileOut'] & { problem?: string }
  if (!answer.ok) throw new Problem(said.problem ?? `The server answered ${answer.status}.`)
  return said
}
