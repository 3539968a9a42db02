import type { Schemas } from '../../api/client'

/** Questions asked of a lay, and their answers in order; no screen, no server. */

export type Change = Schemas['AskedIn']
export type Tried = Schemas['WhatIfOut']
type Answer = Schemas['AnswerOut']

/** A change by one word: a lane of another width is another lane, of another change the same. */
export const idOf = (c: Change) => `${c.kind} ${c.of} ${c.way} ${c.kind === 'lane' ? 0 : c.to}`

/** What is asked: each of the changes for itself, or all together. */
export const asksBy = (changes: Change[], how: 'each' | 'together'): Change[][] =>
  how === 'each' ? changes.map((c) => [c]) : [changes]

/** Answers but the first, with what each saves against that one; what saves most comes first. */
export function bySaving(answers: Answer[]) {
  const [plain, ...others] = answers
  return others
    .map((answer, i) => ({
      answer,
      number: i + 1,
      saves: answer.refused || !plain ? 0 : plain.reckoned - answer.reckoned,
    }))
    .sort((a, b) => b.saves - a.saves || a.number - b.number)
}
