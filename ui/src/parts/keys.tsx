import { Dialog } from 'radix-ui'
import { useEffect, useEffectEvent, useState } from 'react'

export interface Key {
  key: string
  does: string
  act: (event: KeyboardEvent) => void
  /** Shown in the list instead of the key itself. */
  shown?: string
}

/**
 * The keys of a room. They act wherever the focus is, but not while something is typed; `?` lists
 * them.
 */
export function RoomKeys({ room, keys }: { room: string; keys: Key[] }) {
  const [listed, setListed] = useState(false)
  const pressed = useEffectEvent((event: KeyboardEvent) => {
    const typing =
      event.target instanceof HTMLElement &&
      event.target.matches('input, textarea, select, [contenteditable]')
    // Enter presses what has the focus, whatever else it means in the room.
    const presses =
      event.key === 'Enter' &&
      event.target instanceof HTMLElement &&
      event.target.matches('button, a, [role=menuitem], [role=tab], [role=checkbox]')
    if (typing || presses || event.ctrlKey || event.metaKey || event.altKey) return
    if (event.key === '?') setListed(true)
    else if (!document.querySelector('[role=dialog]')) {
      const found = keys.find((k) => k.key === event.key)
      if (found) {
        event.preventDefault()
        found.act(event)
      }
    }
  })
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      pressed(event)
    }
    window.addEventListener('keydown', listen)
    return () => {
      window.removeEventListener('keydown', listen)
    }
  }, [])
  return (
    <Dialog.Root open={listed} onOpenChange={setListed}>
      <Dialog.Trigger
        className="min-h-11 min-w-11 shrink-0 rounded-sm whitespace-nowrap text-chalk-dim hover:text-chalk"
        aria-label="Keys of this room"
      >
        Keys <kbd className="font-stamp text-lg">?</kbd>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-black/50" />
        <Dialog.Content
          className="docket torn [--head:22px] fixed top-1/2 left-1/2 z-30 w-[440px] max-w-[92vw] -translate-1/2 p-6 shadow-xl"
          aria-describedby={undefined}
        >
          <Dialog.Title className="font-stamp text-xl font-bold">Keys in {room}</Dialog.Title>
          <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-5 gap-y-2">
            {[...keys, { key: '?', does: 'list these keys' }].map((k) => (
              <div key={k.key} className="contents">
                <dt className="font-stamp text-lg font-bold">
                  {'shown' in k && k.shown ? k.shown : k.key}
                </dt>
                <dd>{k.does}</dd>
              </div>
            ))}
          </dl>
          <Dialog.Close className="mt-5 min-h-11 border border-ink/40 px-4">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
