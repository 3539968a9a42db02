import { afterEach } from 'vitest'

/** A server for tests: whatever the page asks goes to the one answer that a test sets. */
type Answer = (asked: Request) => Promise<Response>

const ORIGIN = 'http://localhost'
const NOT_SET: Answer = (asked) => Promise.reject(new TypeError(`nobody answers ${asked.url}`))
let answer = NOT_SET

export const answerWith = (own: Answer) => {
  answer = own
}

/** A request of the page: its addresses are relative, as they are in a browser. */
class PageRequest extends Request {
  constructor(asked: RequestInfo | URL, options?: RequestInit) {
    super(typeof asked === 'string' ? new URL(asked, ORIGIN) : asked, options)
  }
}
globalThis.Request = PageRequest
globalThis.fetch = (asked, options) =>
  answer(asked instanceof Request ? asked : new PageRequest(asked, options))

afterEach(() => {
  answer = NOT_SET
  localStorage.clear()
})
