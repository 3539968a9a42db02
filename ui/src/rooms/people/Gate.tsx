import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState, type ReactNode } from 'react'
import { Trouble } from '../../parts/controls'
import { AtBench } from './AtBench'
import { useMe } from './me'
import { SignIn, WithCode } from './SignIn'

/** What is asked before anybody is signed in. */
const OPEN = ['/api/me', '/api/sign-in/bench']

/** Before the rooms: whoever is not signed in is asked to, at a desk by password, at a bench by PIN. */
export function Gate({ children }: { children: ReactNode }) {
  const queries = useQueryClient()
  const me = useMe()
  const [way, setWay] = useState<'usual' | 'password' | 'code'>('usual')
  const signedIn = async () => {
    setWay('usual')
    await me.refetch()
  }
  const whose = me.data?.person?.id
  useEffect(() => {
    // What one person saw is not shown to the next.
    if (whose === undefined)
      queries.removeQueries({ predicate: (q) => !OPEN.includes(String(q.queryKey[1])) })
  }, [whose, queries])
  if (me.data?.person) return children
  if (!me.data) return me.error ? <Trouble error={me.error} /> : null
  const { first, bench } = me.data
  return (
    <div className="flex h-full flex-col overflow-auto">
      <header className="bg-bench-deep px-5 py-3 font-stamp text-xl font-bold tracking-wide">
        Fair Lay
      </header>
      <main className="mx-auto w-full max-w-2xl px-4 py-10">
        {first || way === 'code' ? (
          <WithCode
            first={first}
            onDone={signedIn}
            onBack={() => {
              setWay('usual')
            }}
          />
        ) : bench && way === 'usual' ? (
          <AtBench
            onDone={signedIn}
            onPassword={() => {
              setWay('password')
            }}
          />
        ) : (
          <SignIn
            onDone={signedIn}
            onCode={() => {
              setWay('code')
            }}
            onBench={
              bench
                ? () => {
                    setWay('usual')
                  }
                : null
            }
          />
        )}
      </main>
    </div>
  )
}
