import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Trouble } from '../../parts/controls'
import { FIELD } from '../../parts/fields'
import { dayOf } from '../../parts/units'
import { Only } from '../people/Only'
import { Sheet } from './Sheet'

type Note = Schemas['NoteOut']
type Subject = 'article' | 'hide' | 'batch'
const WHERE: Record<string, (n: Note) => string> = {
  article: (n) => `/patterns/${n.of}`,
  hide: (n) => `/leather/${n.of}`,
  batch: (n) => `/batches/${n.of}`,
}

export function useNoteActs() {
  const queries = useQueryClient()
  const go = useNavigate()
  const onSettled = () => queries.invalidateQueries(readFrom('/api/book/notes'))
  return {
    add: useMutation({
      mutationFn: (body: Schemas['NoteIn']) => told(api.POST('/api/book/notes', { body })),
      onSettled,
    }),
    away: useMutation({
      mutationFn: (id: number) =>
        told(api.POST('/api/book/notes/{note_id}/away', { params: { path: { note_id: id } } })),
      onSettled,
    }),
    become: useMutation({
      mutationFn: (id: number) =>
        told(api.POST('/api/book/notes/{note_id}/revision', { params: { path: { note_id: id } } })),
      onSuccess: (made) => go(`/patterns/${made.article_id}`),
      onSettled,
    }),
  }
}

export function NewNote({
  before,
  ready = true,
  onKeep,
}: {
  before?: React.ReactNode
  ready?: boolean
  onKeep: (words: string) => void
}) {
  const [words, setWords] = useState('')
  return (
    <form
      className="flex flex-wrap gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        if (!words.trim() || !ready) return
        onKeep(words)
        setWords('')
      }}
    >
      {before}
      <input
        aria-label="note"
        className={`${FIELD} min-w-52 flex-1`}
        value={words}
        onChange={(e) => {
          setWords(e.target.value)
        }}
      />
      <Button type="submit" disabled={!words.trim() || !ready}>
        Keep it
      </Button>
    </form>
  )
}

export function NoteRows({
  notes,
  acts,
  named = false,
}: {
  notes: Note[]
  acts: ReturnType<typeof useNoteActs>
  named?: boolean
}) {
  return (
    <ul className="grid gap-2">
      {notes.map((n) => (
        <li key={n.id} className="border-l-4 border-brass pl-3" data-note>
          <div className={`text-lg ${n.done_at ? 'text-ink-soft line-through' : ''}`}>
            {n.words}
          </div>
          <div className="flex flex-wrap items-baseline gap-x-4 text-[13px] text-ink-soft">
            {named && (
              <Link className="underline" to={WHERE[n.subject]?.(n) ?? '/book/notes'}>
                {n.subject} {n.name}
                {n.piece && `, ${n.piece}`}
              </Link>
            )}
            <span>
              {n.by && `${n.by}, `}
              {dayOf(n.made_at)}
            </span>
            {n.revision && <span>became revision {n.revision}</span>}
            {n.done_at === null && (
              <>
                <Only may="put_note_away">
                  <button
                    type="button"
                    className="min-h-9 underline"
                    onClick={() => {
                      acts.away.mutate(n.id)
                    }}
                  >
                    put it away
                  </button>
                </Only>
                {n.subject === 'article' && (
                  <Only may="note_to_revision">
                    <button
                      type="button"
                      className="min-h-9 underline"
                      onClick={() => {
                        acts.become.mutate(n.id)
                      }}
                    >
                      make a revision of it
                    </button>
                  </Only>
                )}
              </>
            )}
          </div>
        </li>
      ))}
    </ul>
  )
}

/** The notes that stand on something, where that matters; one can be kept here. */
export function NotesOn({
  subject,
  of,
  title,
  write = true,
}: {
  subject: Subject
  of: number[]
  title: string
  write?: boolean
}) {
  const found = server.useQuery('get', '/api/book/notes', { params: { query: { subject, of } } })
  const acts = useNoteActs()
  const first = of[0]
  if (!found.data || (found.data.length === 0 && !write)) return null
  return (
    <Sheet title={title}>
      <NoteRows notes={found.data} acts={acts} named={of.length > 1} />
      {write && first !== undefined && (
        <Only may="add_note">
          <div className={found.data.length > 0 ? 'mt-3' : ''}>
            <NewNote
              onKeep={(words) => {
                acts.add.mutate({ subject, of: first, piece: '', words })
              }}
            />
          </div>
        </Only>
      )}
      <Trouble error={acts.add.error ?? acts.become.error} onPaper />
    </Sheet>
  )
}
