import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { api, server, told } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { KeptHere } from './KeptHere'

const MOST_DIGITS = 8

/** At a bench: a name, pressed with a glove on, then its PIN. */
export function AtBench({
  onDone,
  onPassword,
}: {
  onDone: () => Promise<void>
  onPassword: () => void
}) {
  const there = server.useQuery('get', '/api/sign-in/bench', {})
  const [person, setPerson] = useState<{ id: number; name: string } | null>(null)
  const [pin, setPin] = useState('')
  const enter = useMutation({
    mutationFn: (body: { person: number; pin: string }) =>
      told(api.POST('/api/sign-in/bench', { body })),
    onSuccess: onDone,
    onError: () => {
      setPin('')
    },
  })
  if (!there.data) return <Trouble error={there.error} />
  if (person === null)
    return (
      <section className="docket torn px-7 pt-7 pb-7" aria-label="Who is at the bench">
        <h1 className="font-stamp text-[28px] font-bold">{there.data.bench}: who is it?</h1>
        <ul className="mt-5 grid grid-cols-2 gap-4">
          {there.data.names.map((p) => (
            <li key={p.id}>
              <Button
                className="min-h-24 w-full text-2xl font-semibold"
                onClick={() => {
                  setPerson(p)
                }}
              >
                {p.name}
              </Button>
            </li>
          ))}
        </ul>
        <KeptHere />
        {there.data.names.length === 0 && <p>Nobody has a PIN yet; an owner gives them.</p>}
        <button type="button" className="mt-4 min-h-11 underline" onClick={onPassword}>
          Sign in by password
        </button>
      </section>
    )
  const press = (digit: string) => {
    setPin((was) => (was.length < MOST_DIGITS ? was + digit : was))
  }
  return (
    <form
      className="docket torn px-7 pt-7 pb-7"
      aria-label={`PIN of ${person.name}`}
      onSubmit={(e) => {
        e.preventDefault()
        enter.mutate({ person: person.id, pin })
      }}
    >
      <h1 className="font-stamp text-[28px] font-bold">{person.name}</h1>
      <input
        className="figure mt-3 min-h-16 w-full border border-ink/40 bg-white px-4 text-center text-3xl tracking-[0.5em]"
        type="password"
        inputMode="numeric"
        autoComplete="off"
        autoFocus
        aria-label="PIN"
        value={pin}
        onChange={(e) => {
          setPin(e.target.value.replace(/\D/g, '').slice(0, MOST_DIGITS))
        }}
      />
      <Trouble error={enter.error} onPaper />
      <div className="mt-4 grid grid-cols-3 gap-3">
        {['1', '2', '3', '4', '5', '6', '7', '8', '9'].map((d) => (
          <Button
            key={d}
            className="min-h-18 text-2xl font-bold"
            onClick={() => {
              press(d)
            }}
          >
            {d}
          </Button>
        ))}
        <Button
          className="min-h-18"
          onClick={() => {
            setPerson(null)
            setPin('')
          }}
        >
          Somebody else
        </Button>
        <Button
          className="min-h-18 text-2xl font-bold"
          onClick={() => {
            press('0')
          }}
        >
          0
        </Button>
        <Button
          look="brass"
          type="submit"
          className="min-h-18 text-xl"
          disabled={pin.length < 4 || enter.isPending}
        >
          Sign in
        </Button>
      </div>
    </form>
  )
}
