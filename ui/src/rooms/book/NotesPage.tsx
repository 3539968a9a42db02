import { useState } from 'react'
import { server } from '../../api/client'
import { Trouble, Waiting } from '../../parts/controls'
import { FIELD } from '../../parts/fields'
import { Only } from '../people/Only'
import { BookFrame } from './BookFrame'
import { NewNote, NoteRows, useNoteActs } from './NotesOn'
import { Sheet } from './Sheet'

/** Every note of the shop, and what became of it. */
export function NotesPage() {
  const found = server.useQuery('get', '/api/book/notes')
  const articles = server.useQuery('get', '/api/articles')
  const [article, setArticle] = useState('')
  const acts = useNoteActs()
  return (
    <BookFrame>
      <div className="grid max-w-5xl gap-4">
        <Only may="add_note">
          <Sheet title="Keep a note">
            <p className="mb-2 text-ink-soft">
              What use taught: “loop too tight on the post”. It comes up when the article is planned
              next, and can become a revision of it.
            </p>
            <NewNote
              before={
                <select
                  aria-label="article"
                  className={FIELD}
                  value={article}
                  onChange={(e) => {
                    setArticle(e.target.value)
                  }}
                >
                  <option value="">which article</option>
                  {articles.data?.map((a) => (
                    <option key={a.id} value={a.id}>
                      {a.name}
                    </option>
                  ))}
                </select>
              }
              ready={article !== ''}
              onKeep={(words) => {
                acts.add.mutate({ subject: 'article', of: Number(article), piece: '', words })
              }}
            />
            <Trouble error={acts.add.error} onPaper />
          </Sheet>
        </Only>
        {found.isPending && <Waiting what="the notes" />}
        <Trouble error={found.error} />
        {found.data?.length === 0 && <p className="text-chalk-dim">No note was kept yet.</p>}
        {found.data && found.data.length > 0 && (
          <Sheet title="Notes">
            <NoteRows notes={found.data} acts={acts} named />
          </Sheet>
        )}
      </div>
    </BookFrame>
  )
}
