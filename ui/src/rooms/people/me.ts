import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { readFrom, server, SIGNED_OUT, type Schemas } from '../../api/client'

export type Me = Schemas['Me']
export type Person = Schemas['PersonOut']
export const ROLES: readonly (readonly [Person['role'], string])[] = [
  ['owner', 'owner'],
  ['planner', 'planner'],
  ['cutter', 'cutter'],
  ['apprentice', 'apprentice'],
]

/** Who is signed in; read anew as soon as the server says that nobody is any more. */
export function useMe() {
  const queries = useQueryClient()
  const me = server.useQuery('get', '/api/me', {}, { staleTime: 60_000 })
  useEffect(() => {
    const again = () => void queries.invalidateQueries(readFrom('/api/me'))
    window.addEventListener(SIGNED_OUT, again)
    return () => {
      window.removeEventListener(SIGNED_OUT, again)
    }
  }, [queries])
  return me
}

/** Whether whoever is signed in may make a call; the server holds every call against the same table. */
export function useMay(call: string): boolean {
  const me = server.useQuery('get', '/api/me', {}, { staleTime: 60_000 })
  return me.data?.may.includes(call) ?? false
}
