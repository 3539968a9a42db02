import { useMutation } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { api, told } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { FIELD } from '../../parts/fields'
import { KeptHere } from './KeptHere'

function Field({
  label,
  name,
  kind = 'text',
  complete,
  focus = false,
}: {
  label: string
  name: string
  kind?: 'text' | 'password'
  complete: string
  focus?: boolean
}) {
  return (
    <label className="block">
      <span className="block text-[13px] text-ink-soft">{label}</span>
      <input
        name={name}
        type={kind}
        autoComplete={complete}
        autoFocus={focus}
        required
        className={`${FIELD} min-h-13 w-full text-lg`}
      />
    </label>
  )
}

const text = (form: FormData, name: string) => {
  const value = form.get(name)
  return typeof value === 'string' ? value : ''
}

function Sheet({
  title,
  children,
  onSubmit,
}: {
  title: string
  children: ReactNode
  onSubmit: (form: FormData) => void
}) {
  return (
    <form
      className="docket torn flex flex-col gap-4 px-7 pt-7 pb-7"
      aria-label={title}
      onSubmit={(e) => {
        e.preventDefault()
        onSubmit(new FormData(e.currentTarget))
      }}
    >
      <h1 className="font-stamp text-[28px] font-bold">{title}</h1>
      {children}
    </form>
  )
}

/** At a desk: a name and its password. */
export function SignIn({
  onDone,
  onCode,
  onBench,
}: {
  onDone: () => Promise<void>
  onCode: () => void
  onBench: (() => void) | null
}) {
  const enter = useMutation({
    mutationFn: (body: { name: string; password: string }) =>
      told(api.POST('/api/sign-in', { body })),
    onSuccess: onDone,
  })
  return (
    <Sheet
      title="Sign in"
      onSubmit={(form) => {
        enter.mutate({ name: text(form, 'name'), password: text(form, 'password') })
      }}
    >
      <KeptHere />
      <Field label="Name" name="name" complete="username" focus />
      <Field label="Password" name="password" kind="password" complete="current-password" />
      <Trouble error={enter.error} onPaper />
      <Button look="brass" type="submit" className="min-h-14 text-lg" disabled={enter.isPending}>
        Sign in
      </Button>
      <div className="flex flex-wrap gap-x-6">
        <button type="button" className="min-h-11 underline" onClick={onCode}>
          I was given a code
        </button>
        {onBench && (
          <button type="button" className="min-h-11 underline" onClick={onBench}>
            By PIN, at this bench
          </button>
        )}
      </div>
      <p className="text-sm text-ink-soft">
        Who forgot a password asks an owner for a code. An owner who forgot it makes one on the
        machine that Fair Lay runs on: <code>fairlay owner NAME</code>.
      </p>
    </Sheet>
  )
}

/** The first owner, or whoever was given a code: a password is made. */
export function WithCode({
  first,
  onDone,
  onBack,
}: {
  first: boolean
  onDone: () => Promise<void>
  onBack: () => void
}) {
  const [short, setShort] = useState(false)
  const make = useMutation({
    mutationFn: (body: { code: string; name: string; password: string }) =>
      told(api.POST('/api/sign-in/code', { body })),
    onSuccess: onDone,
  })
  return (
    <Sheet
      title={first ? 'Make the first owner' : 'Make a password'}
      onSubmit={(form) => {
        const [code, name, password] = [
          text(form, 'code'),
          text(form, 'name'),
          text(form, 'password'),
        ]
        setShort(password.length < LEAST)
        if (password.length >= LEAST) make.mutate({ code, name, password })
      }}
    >
      {first && (
        <p>
          This shop has no owner yet. The code stands where Fair Lay was started; it makes one
          owner, once.
        </p>
      )}
      <Field label="Code" name="code" complete="one-time-code" focus />
      <Field label="Name" name="name" complete="username" />
      <Field
        label={`Password, ${LEAST} letters or more`}
        name="password"
        kind="password"
        complete="new-password"
      />
      {short && <Trouble error={new Error(`A password has ${LEAST} letters or more.`)} onPaper />}
      <Trouble error={make.error} onPaper />
      <Button look="brass" type="submit" className="min-h-14 text-lg" disabled={make.isPending}>
        Make it, and sign in
      </Button>
      {!first && (
        <button type="button" className="min-h-11 self-start underline" onClick={onBack}>
          Back
        </button>
      )}
    </Sheet>
  )
}

const LEAST = 10
