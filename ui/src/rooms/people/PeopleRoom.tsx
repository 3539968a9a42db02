import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, readFrom, server, told, type Wrong } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { Choice, FIELD } from '../../parts/fields'
import { Copies } from './Copies'
import { ROLES, useMe, type Person } from './me'

/** Who belongs to the shop, which tablets are tied to its benches, and who did what of late. */
export function PeopleRoom() {
  const people = server.useQuery('get', '/api/people', {})
  const me = useMe().data
  return (
    <div className="flex h-full flex-wrap gap-6 overflow-auto px-6 py-5">
      <section
        className="docket torn min-w-[340px] flex-[3] self-start px-6 pt-5 pb-6"
        aria-label="People"
      >
        <h1 className="font-stamp text-[26px] font-bold">People</h1>
        {me?.demo && (
          <p className="mt-2 border-l-4 border-brass bg-brass/15 px-3 py-2">
            This is the demo: whoever sits at this machine is its owner, and nobody beyond it is let
            in. It ends when an owner makes a password: make an owner here, and a code for them.
          </p>
        )}
        <Trouble error={people.error} onPaper />
        <ul className="mt-3">
          {people.data?.map((p) => (
            <OnePerson key={p.id} person={p} />
          ))}
        </ul>
        {/* Once the list stands: it would push the form away under a finger. */}
        {people.data && <NewPerson />}
      </section>
      <div className="flex min-w-[300px] flex-[2] flex-col gap-6">
        <Benches />
        <Copies />
        <Deeds />
      </div>
    </div>
  )
}

function usePeopleActs() {
  const queries = useQueryClient()
  const onSettled = async () => {
    await queries.invalidateQueries(readFrom('/api/people'))
    await queries.invalidateQueries(readFrom('/api/deeds'))
  }
  const path = (id: number) => ({ params: { path: { person_id: id } } })
  const change = useMutation({
    mutationFn: (p: Pick<Person, 'id' | 'role' | 'active'>) =>
      told(
        api.PUT('/api/people/{person_id}', {
          ...path(p.id),
          body: { role: p.role, active: p.active },
        }),
      ),
    onSettled,
  })
  const code = useMutation({
    mutationFn: (id: number) => told(api.POST('/api/people/{person_id}/code', path(id))),
    onSettled,
  })
  const pin = useMutation({
    mutationFn: (p: { id: number; pin: string }) =>
      told(api.PUT('/api/people/{person_id}/pin', { ...path(p.id), body: { pin: p.pin } })),
    onSettled,
  })
  const out = useMutation({
    mutationFn: (id: number) => told(api.POST('/api/people/{person_id}/sign-out', path(id))),
    onSettled,
  })
  const error: Wrong = change.error ?? code.error ?? pin.error ?? out.error
  return { change, code, pin, out, error }
}

function OnePerson({ person }: { person: Person }) {
  const acts = usePeopleActs()
  const [open, setOpen] = useState(false)
  const says = !person.active
    ? 'closed'
    : [person.has_password && 'password', person.has_pin && 'PIN'].filter(Boolean).join(', ') ||
      'cannot sign in yet'
  return (
    <li className="border-b border-docket-line">
      <button
        type="button"
        aria-expanded={open}
        className="flex min-h-13 w-full items-center gap-4 text-left"
        onClick={() => {
          setOpen(!open)
        }}
      >
        <span className={`text-lg font-semibold ${person.active ? '' : 'line-through'}`}>
          {person.name}
        </span>
        <span>{person.role}</span>
        <span className="ml-auto text-sm text-ink-soft">{says}</span>
      </button>
      {open && (
        <div className="flex flex-col gap-3 pb-4">
          <div className="flex flex-wrap items-end gap-3">
            <Choice
              label="Role"
              value={person.role}
              options={ROLES}
              onChange={(role) => {
                acts.change.mutate({ id: person.id, role, active: person.active })
              }}
            />
            <Button
              disabled={!person.active}
              onClick={() => {
                acts.code.mutate(person.id)
              }}
            >
              Code for a password
            </Button>
            <Button
              onClick={() => {
                acts.out.mutate(person.id)
              }}
            >
              Sign out everywhere
            </Button>
            <Button
              onClick={() => {
                acts.change.mutate({ id: person.id, role: person.role, active: !person.active })
              }}
            >
              {person.active ? 'Close the account' : 'Open it again'}
            </Button>
          </div>
          <form
            className="flex items-end gap-3"
            onSubmit={(e) => {
              e.preventDefault()
              const pin = new FormData(e.currentTarget).get('pin')
              acts.pin.mutate({ id: person.id, pin: typeof pin === 'string' ? pin : '' })
              e.currentTarget.reset()
            }}
          >
            <label className="block">
              <span className="block text-[13px] text-ink-soft">
                PIN for the benches, 4 to 8 digits
              </span>
              <input
                name="pin"
                className={`${FIELD} w-40`}
                inputMode="numeric"
                autoComplete="off"
                type="password"
              />
            </label>
            <Button type="submit">{person.has_pin ? 'Change the PIN' : 'Give a PIN'}</Button>
          </form>
          {acts.code.data && (
            <p className="border-l-4 border-brass bg-brass/15 px-3 py-2" role="status">
              Tell {person.name}: <b className="figure">{acts.code.data.code}</b>. It makes a
              password, once, within a day; it is not shown again.
            </p>
          )}
          <Trouble error={acts.error} onPaper />
        </div>
      )}
    </li>
  )
}

function NewPerson() {
  const queries = useQueryClient()
  const [name, setName] = useState('')
  const [role, setRole] = useState<Person['role']>('cutter')
  const add = useMutation({
    mutationFn: () => told(api.POST('/api/people', { body: { name, role } })),
    onSuccess: () => {
      setName('')
      return queries.invalidateQueries(readFrom('/api/people'))
    },
  })
  return (
    <form
      className="mt-5 flex flex-wrap items-end gap-3"
      aria-label="A new account"
      onSubmit={(e) => {
        e.preventDefault()
        add.mutate()
      }}
    >
      <label className="block">
        <span className="block text-[13px] text-ink-soft">Name</span>
        <input
          className={`${FIELD} w-52`}
          value={name}
          maxLength={64}
          required
          onChange={(e) => {
            setName(e.target.value)
          }}
        />
      </label>
      <Choice label="Role" value={role} options={ROLES} onChange={setRole} />
      <Button type="submit" look="brass" disabled={!name.trim() || add.isPending}>
        Make an account
      </Button>
      <Trouble error={add.error} onPaper />
    </form>
  )
}

function Benches() {
  const queries = useQueryClient()
  const benches = server.useQuery('get', '/api/benches', {})
  const me = useMe()
  const [name, setName] = useState('')
  const onSettled = async () => {
    await queries.invalidateQueries(readFrom('/api/benches'))
    await me.refetch()
  }
  const tie = useMutation({
    mutationFn: () => told(api.POST('/api/benches', { body: { name } })),
    onSettled,
  })
  const untie = useMutation({
    mutationFn: (bench_id: number) =>
      told(api.DELETE('/api/benches/{bench_id}', { params: { path: { bench_id } } })),
    onSettled,
  })
  return (
    <section className="docket torn px-6 pt-5 pb-6" aria-label="Benches">
      <h2 className="font-stamp text-xl font-bold">Benches</h2>
      <ul>
        {benches.data?.map((b) => (
          <li key={b.id} className="flex min-h-12 items-center gap-3 border-b border-docket-line">
            <span className="font-semibold">{b.name}</span>
            <span className="text-sm text-ink-soft">
              {b.signed_in ? `${b.signed_in} is at it` : 'nobody is at it'}
            </span>
            <Button
              className="ml-auto"
              onClick={() => {
                untie.mutate(b.id)
              }}
            >
              Untie
            </Button>
          </li>
        ))}
      </ul>
      <form
        className="mt-3 flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          tie.mutate()
        }}
      >
        <label className="block">
          <span className="block text-[13px] text-ink-soft">
            {me.data?.bench
              ? `This tablet is tied to ${me.data.bench}`
              : 'Tie this tablet to a bench'}
          </span>
          <input
            className={`${FIELD} w-52`}
            value={name}
            maxLength={64}
            placeholder="Window bench"
            aria-label="Name of the bench"
            onChange={(e) => {
              setName(e.target.value)
            }}
          />
        </label>
        <Button type="submit" disabled={!name.trim() || tie.isPending}>
          Tie it
        </Button>
      </form>
      <Trouble error={tie.error ?? untie.error} onPaper />
    </section>
  )
}

function Deeds() {
  const deeds = server.useQuery('get', '/api/deeds', {})
  return (
    <section className="docket torn px-6 pt-5 pb-6" aria-label="Who did what">
      <h2 className="font-stamp text-xl font-bold">Who did what</h2>
      {deeds.data?.length === 0 && <p className="text-ink-soft">Nothing was changed yet.</p>}
      <ul className="max-h-96 overflow-auto">
        {deeds.data?.map((d) => (
          <li key={d.id} className="border-b border-docket-line py-1.5">
            <b>{d.person || 'nobody known'}</b> {d.words}
            {d.subject && d.subject_id !== null && (
              <span className="text-ink-soft"> ({`${d.subject} ${d.subject_id}`})</span>
            )}
            <span className="block text-[13px] text-ink-soft">
              {new Date(`${d.at}Z`).toLocaleString()}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}
