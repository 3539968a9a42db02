import { useQueryClient } from '@tanstack/react-query'
import { DropdownMenu } from 'radix-ui'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { api, readFrom, server, told, type Schemas } from '../../api/client'
import { Button, Trouble, Said } from '../../parts/controls'
import { plural, useUnits } from '../../parts/units'
import type { Hand, View } from './article'
import { PrintDialog } from './PrintDialog'
import { SeamsDialog } from './SeamsDialog'
import { NotesOn } from '../book/NotesOn'

type Finding = Schemas['FindingOut']

/** The article's docket: what one takes, what is not right yet, and what to do next. */
export function ArticleDocket({
  id,
  hand,
  at,
  onPoint,
}: {
  id: number
  hand: Hand
  at: string | null
  onPoint: (slug: string) => void
}) {
  const go = useNavigate()
  const queries = useQueryClient()
  const view = hand.view
  const rack = server.useQuery(
    'get',
    '/api/patterns/{article_id}/rack',
    {
      params: { path: { article_id: id }, query: view ? { revision: view.number } : {} },
    },
    { enabled: !!view && view.drawn.length > 0 },
  )
  const [asking, setAsking] = useState(false)
  if (!view) return null
  const found = [...view.findings, ...(rack.data ?? [])]
  const wrong = found.filter((f) => f.level === 'wrong')
  const pointed = view.drawn.find((d) => d.slug === at)
  return (
    <section
      className="docket torn grid grid-cols-[minmax(250px,0.8fr)_minmax(0,1.5fr)_auto] gap-x-8 px-6 pt-3 pb-4"
      aria-label={`Docket of ${view.article.name}`}
    >
      {pointed ? <PieceFigures view={view} slug={pointed.slug} /> : <Takes view={view} />}
      <div className="max-h-[190px] min-w-0 overflow-auto">
        <h2 className="font-stamp text-lg font-bold">
          {found.length === 0 ? (
            <span className="text-sound">✓ Complete: nothing is missing</span>
          ) : wrong.length > 0 ? (
            <span className="text-unsound">
              ✗ {plural(wrong.length, 'thing')} would spoil a batch
            </span>
          ) : (
            `◦ ${plural(found.length, 'thing')} worth a look`
          )}
        </h2>
        <ul>
          {found.map((f, i) => (
            <Found
              key={i}
              finding={f}
              onPoint={onPoint}
              onOpen={() => {
                if (f.piece) void go(`/patterns/${id}/piece/${f.piece}`)
              }}
            />
          ))}
        </ul>
        <Trouble error={hand.refused ?? rack.error} onPaper />
        <NotesOn subject="article" of={[id]} title="What use taught" />
      </div>
      <div className="grid grid-cols-2 content-start gap-2">
        {hand.open ? (
          <Button
            look="brass"
            className="col-span-2 min-h-14 text-lg"
            onClick={() => {
              void go(`/patterns/${id}/add`)
            }}
          >
            Add a piece
          </Button>
        ) : (
          <Button
            look="brass"
            className="col-span-2 min-h-14 text-lg"
            onClick={() => {
              void go(`/patterns/${id}/revisions`)
            }}
          >
            {view.newest ? 'Change it: new revision' : 'See its revisions'}
          </Button>
        )}
        <PrintDialog id={id} view={view} />
        <TakeFile id={id} view={view} />
        <SeamsDialog hand={hand} />
        <Button
          onClick={() => {
            void go(`/patterns/${id}/revisions`)
          }}
        >
          Revisions
        </Button>
        {hand.open &&
          view.number === 1 &&
          (asking ? (
            <span className="col-span-2 flex items-center gap-2 text-sm">
              Take the whole article away?
              <Button
                onClick={() => {
                  void told(
                    api.DELETE('/api/patterns/{article_id}', {
                      params: { path: { article_id: id } },
                    }),
                  ).then(async () => {
                    await queries.invalidateQueries(readFrom('/api/patterns'))
                    await go('/patterns')
                  })
                }}
              >
                Yes
              </Button>
              <Button
                onClick={() => {
                  setAsking(false)
                }}
              >
                No
              </Button>
            </span>
          ) : (
            <button
              type="button"
              className="col-span-2 min-h-8 text-left text-sm text-ink-soft underline"
              onClick={() => {
                setAsking(true)
              }}
            >
              Take the article away
            </button>
          ))}
      </div>
    </section>
  )
}

function Takes({ view }: { view: View }) {
  const units = useUnits()
  const f = view.figures
  return (
    <div>
      <h2 className="font-stamp text-lg font-bold">Each takes</h2>
      <table className="w-full">
        <tbody>
          {Object.entries(f.leather_m2).map(([material, area]) => (
            <Row key={material} what={material} note="before any waste">
              {units.area(area)}
            </Row>
          ))}
          {f.thread_mm > 0 && (
            <Row what={view.article.thread} note={plural(f.stitches, 'stitch', 'stitches')}>
              {(f.thread_mm / 1000).toFixed(1)} m
            </Row>
          )}
          {Object.entries(f.hardware).map(([name, n]) => (
            <Row key={name} what={name}>
              {n}
            </Row>
          ))}
        </tbody>
      </table>
      {view.article.note && <p className="mt-1 text-sm text-ink-soft">{view.article.note}</p>}
    </div>
  )
}

function Row({ what, note, children }: { what: string; note?: string; children: React.ReactNode }) {
  return (
    <tr className="border-b border-docket-line">
      <th scope="row" className="py-0.5 text-left font-normal">
        {what} {note && <span className="text-[13px] text-ink-soft">{note}</span>}
      </th>
      <td className="figure text-right text-lg font-bold whitespace-nowrap">{children}</td>
    </tr>
  )
}

function PieceFigures({ view, slug }: { view: View; slug: string }) {
  const units = useUnits()
  const drawn = view.drawn.find((d) => d.slug === slug)
  const p = view.article.pieces.find((q) => q.slug === slug)
  if (!drawn || !p) return null
  return (
    <div>
      <h2 className="font-stamp text-lg font-bold">
        {p.name} <span className="text-base font-normal">rev. {drawn.letter}</span>
      </h2>
      <p>
        {drawn.quantity_words} from {p.material}
        {p.part && `; ${p.part}: ${p.way}`}
      </p>
      <p className="figure text-lg font-bold">
        {units.length(drawn.length_mm)} × {units.length(drawn.width_mm)},{' '}
        {units.area(drawn.area_m2)}
      </p>
      <p className="text-sm text-ink-soft">
        <Said words={drawn.needs.join(' · ')} />
      </p>
      {drawn.stitches.map((s) => (
        <p key={s.mark} className="text-sm text-ink-soft">
          {s.mark}: <Said words={s.says} />
        </p>
      ))}
    </div>
  )
}

function Found({
  finding,
  onPoint,
  onOpen,
}: {
  finding: Finding
  onPoint: (slug: string) => void
  onOpen: () => void
}) {
  return (
    <li
      className="border-b border-docket-line py-1.5 last:border-0"
      onPointerEnter={() => {
        if (finding.piece) onPoint(finding.piece)
      }}
    >
      <span className={finding.level === 'wrong' ? 'font-semibold' : ''}>
        {finding.level === 'wrong' ? '✗ ' : '◦ '}
        <Said words={finding.says} />
      </span>{' '}
      <span className="text-ink-soft">{finding.do}</span>{' '}
      {finding.piece && (
        <button type="button" className="underline" onClick={onOpen}>
          Open it
        </button>
      )}
    </li>
  )
}

const FILES = [
  ['svg', 'SVG, true size: outlines and marks in groups'],
  ['dxf', 'DXF, true size: marks on their own layers'],
  ['json', 'Exchange JSON: everything, to bring in again'],
] as const

function TakeFile({ id, view }: { id: number; view: View }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>Take a file</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          side="top"
          align="end"
          className="docket z-30 border border-ink/30 shadow-xl"
        >
          {FILES.map(([kind, words]) => (
            <DropdownMenu.Item key={kind} asChild>
              <a
                className="block min-h-11 px-4 py-2.5 data-highlighted:bg-ink/10"
                href={`/api/patterns/${id}/file?kind=${kind}&revision=${view.number}`}
                download
              >
                {words}
              </a>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
