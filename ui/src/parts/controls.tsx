import type { Wrong } from '../api/client'
import type { ButtonHTMLAttributes, ReactNode } from 'react'
import { type Look, likeAButton } from './looks'
import { useSaid } from './units'

/** A button: brass for the next act, paper or bench for the others, ink for stopping. */
export function Button({
  look = 'paper',
  className = '',
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return (
    <button
      type="button"
      className={`${likeAButton(look)} disabled:cursor-not-allowed disabled:opacity-45 ${className}`}
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
