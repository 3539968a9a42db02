import { useMutation, useQueryClient } from '@tanstack/react-query'
import { DropdownMenu } from 'radix-ui'
import { Link, useLocation } from 'react-router'
import { api, readFrom, server, told } from '../../api/client'
import { useMay, useMe } from './me'

const HERE_EVERY_MS = 10_000
const COPIES_EVERY_MS = 600_000
const ITEM =
  'block w-full cursor-pointer px-5 py-3 text-left outline-none data-highlighted:bg-brass/25'

/** Whose page it is, who else is in the room, and the ways out of it. */
export function Whose() {
  const queries = useQueryClient()
  const me = useMe().data
  const keepsPeople = useMay('all_people')
  const { pathname } = useLocation()
  const others = server.useQuery(
    'put',
    '/api/here',
    { body: { room: pathname } },
    { refetchInterval: HERE_EVERY_MS, enabled: me?.person != null && !me.demo, retry: false },
  )
  const leave = useMutation({
    mutationFn: (everywhere: boolean) =>
      told(everywhere ? api.POST('/api/sign-out-everywhere') : api.POST('/api/sign-out')),
    onSettled: () => queries.invalidateQueries(readFrom('/api/me')),
  })
  const copies = server.useQuery(
    'get',
    '/api/copies',
    {},
    { enabled: keepsPeople, refetchInterval: COPIES_EVERY_MS, retry: false },
  )
  if (!me?.person) return null
  const names = others.data?.names ?? []
  return (
    <div className="ml-auto flex items-center gap-3">
      {names.length > 0 && (
        <span className="text-sm text-brass" role="status" aria-label="Also here">
          also here: {names.join(', ')}
        </span>
      )}
      {copies.data?.too_old && (
        <Link to="/people" className="text-sm font-semibold text-brass underline">
          no copy of late
        </Link>
      )}
      {me.demo && (
        <span
          className="text-sm whitespace-nowrap text-chalk-dim"
          title="open on this machine only"
        >
          demo<span className="hidden min-[1400px]:inline">, open on this machine only</span>
        </span>
      )}
      {me.at_bench && (
        <button
          type="button"
          className="min-h-11 rounded-sm border border-brass px-4 font-semibold text-chalk"
          onClick={() => {
            leave.mutate(false)
          }}
        >
          Change over
        </button>
      )}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="min-h-11 rounded-sm px-3 whitespace-nowrap text-chalk hover:bg-chalk/10">
          {me.person.name} ▾
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="end"
            className="docket z-30 min-w-56 border border-ink/40 shadow-lg"
            sideOffset={4}
          >
            <div className="px-5 py-2 text-sm text-ink-soft">
              {me.person.role}
              {me.at_bench && ` at ${me.bench}`}
            </div>
            {keepsPeople && (
              <DropdownMenu.Item asChild>
                <Link to="/people" className={ITEM}>
                  People and benches
                </Link>
              </DropdownMenu.Item>
            )}
            {!me.demo && (
              <>
                <DropdownMenu.Item
                  className={ITEM}
                  onSelect={() => {
                    leave.mutate(false)
                  }}
                >
                  Sign out
                </DropdownMenu.Item>
                <DropdownMenu.Item
                  className={ITEM}
                  onSelect={() => {
                    leave.mutate(true)
                  }}
                >
                  Sign out everywhere
                </DropdownMenu.Item>
              </>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  )
}
