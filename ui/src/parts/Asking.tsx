import { AlertDialog } from 'radix-ui'
import { createContext, use, useRef, useState, type ReactNode } from 'react'
import { Button } from './controls'
import { TextField } from './fields'

interface Question {
  title: string
  words?: string
  /** What the button says that goes on. */
  go: string
}
interface Asked extends Question {
  /** What stands in the field, where words are asked for. */
  text: string | null
  label: string
  answer: (text: string | null) => void
}
export interface Ask {
  /** Whether to go on with what cannot be taken back at once. */
  sure: (question: Question) => Promise<boolean>
  /** Words for something, null where it was left. */
  words: (question: Question & { label: string; text: string }) => Promise<string | null>
}

const AskContext = createContext<Ask | null>(null)

/** How a room asks before it goes on; the dialog stands in the frame. */
export function useAsk(): Ask {
  const ask = use(AskContext)
  if (ask === null) throw new Error('a room asks inside the frame alone')
  return ask
}

export function AskProvider({ children }: { children: ReactNode }) {
  const [asked, setAsked] = useState<Asked | null>(null)
  const put = (question: Question, text: string | null, label = '') =>
    new Promise<string | null>((answer) => {
      setAsked({ ...question, text, label, answer })
    })
  const ask: Ask = {
    sure: async (question) => (await put(question, null)) !== null,
    words: ({ text, label, ...question }) => put(question, text, label),
  }
  const done = (text: string | null) => {
    asked?.answer(text)
    setAsked(null)
  }
  return (
    <AskContext value={ask}>
      {children}
      <AlertDialog.Root
        open={asked !== null}
        onOpenChange={(open) => {
          if (!open) done(null)
        }}
      >
        {asked && <AskedDialog key={asked.title} asked={asked} onDone={done} />}
      </AlertDialog.Root>
    </AskContext>
  )
}

function AskedDialog({ asked, onDone }: { asked: Asked; onDone: (text: string | null) => void }) {
  const [text, setText] = useState(asked.text)
  const form = useRef<HTMLFormElement>(null)
  const empty = text !== null && text.trim() === ''
  return (
    <AlertDialog.Portal>
      <AlertDialog.Overlay className="fixed inset-0 z-40 bg-ink/60" />
      <AlertDialog.Content
        className="docket fixed inset-0 z-40 m-auto h-fit w-[min(30rem,92vw)] px-6 py-5"
        onOpenAutoFocus={(event) => {
          const field = form.current?.querySelector('input')
          if (!field) return // nothing is typed: Cancel is at hand
          event.preventDefault()
          field.focus()
          field.select()
        }}
      >
        <form
          ref={form}
          onSubmit={(event) => {
            event.preventDefault()
            if (!empty) onDone(text?.trim() ?? '')
          }}
        >
          <AlertDialog.Title className="font-stamp text-2xl font-bold">
            {asked.title}
          </AlertDialog.Title>
          <AlertDialog.Description className={asked.words ? 'mt-2 text-lg' : 'sr-only'}>
            {asked.words ?? asked.title}
          </AlertDialog.Description>
          {text !== null && (
            <TextField label={asked.label} value={text} onChange={setText} live className="mt-3" />
          )}
          <div className="mt-5 flex flex-wrap justify-end gap-3">
            <AlertDialog.Cancel asChild>
              <Button className="min-h-12">Cancel</Button>
            </AlertDialog.Cancel>
            <Button type="submit" look="brass" className="min-h-12" disabled={empty}>
              {asked.go}
            </Button>
          </div>
        </form>
      </AlertDialog.Content>
    </AlertDialog.Portal>
  )
}
