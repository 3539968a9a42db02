import type { Wrong } from '../api/client'
import type { ButtonHTMLAttributes, ReactNode } from 'react'
import { useSaid } from './units'

type Look = 'brass' | 'paper' | 'bench' | 'stop'

const LOOKS: Record<Look, string> = {
  brass: 'bg-brass text-ink hover:bg-[#e7b75c] font-semibold',
  paper: 'border border-ink/40 text-ink hover:bg-ink/8',
  bench: 'border border-chalk/40 text-chalk hover:bg-chalk/10',
  stop: 'bg-ink text-chalk hover:bg-black font-semibold',
}

const BUTTON =
  'inline-flex min-h-11 items-center justify-center gap-2 rounded-sm px-4 whitespace-nowrap'

/** What a link looks like that stands among buttons. */
export const LIKE_A_BUTTON = `${BUTTON} ${LOOKS.paper}`

/** A button: brass for the next act, paper or bench for the others, ink for stopping. */
export function Button({
  look = 'paper',
  className = '',
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return (
    <button
      type="button"
      className={`${BUTTON} disabled:cursor-not-allowed disabled:opacity-45 ${LOOKS[look]} ${className}`}
      {...rest}
    />
  )
}

/** A figure with what it counts above it. */
export function Figure({
  label,
  children,
  note,
}: {
  label: string
  children: ReactNode
  note?: ReactNode
}) {
  return (
    <div className="min-w-0">
      <div className="text-[13px] text-ink-soft">{label}</div>
      <div className="figure text-[26px] leading-tight font-bold whitespace-nowrap">{children}</div>
      {note !== undefined && <div className="text-[13px] text-ink-soft">{note}</div>}
    </div>
  )
}

/** A sentence of the server's, in the user's units. */
export const Said = ({ words }: { words: string }) => useSaid()(words)

/** Something went wrong: what, and what was kept, in the server's words. */
export function Trouble({ error, onPaper = false }: { error: Wrong; onPaper?: boolean }) {
  if (error === null) return null
  return (
    <p
      role="alert"
      className={`border-l-4 border-unsound px-3 py-2 ${onPaper ? 'bg-unsound/10 text-ink' : 'bg-docket text-ink'}`}
    >
      <Said words={'message' in error ? error.message : error.problem} />
    </p>
  )
}

/** An empty room says what it is for and offers the next act. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="mx-auto mt-24 max-w-lg text-center">
      <h2 className="font-stamp text-2xl font-bold">{title}</h2>
      <div className="mt-3 text-chalk-dim">{children}</div>
    </div>
  )
}

export function Waiting({ what }: { what: string }) {
  return (
    <p className="p-10 text-chalk-dim" role="status">
      Fetching {what} …
    </p>
  )
}
