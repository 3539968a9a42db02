import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { Trouble, Waiting } from '../../parts/controls'
import { RoomKeys } from '../../parts/keys'
import { useArticle } from './article'
import { ByMeasures } from './ByMeasures'
import { FromDrawing } from './FromDrawing'
import { FromPhotograph } from './FromPhotograph'

const WAYS = [
  ['measures', 'By its measures'],
  ['photograph', 'From a photograph'],
  ['drawing', 'From a drawing'],
] as const

/** A new piece: three ways in. */
export function AddRoom() {
  const id = Number(useParams().id)
  const hand = useArticle(id)
  const go = useNavigate()
  const [search, setSearch] = useSearchParams()
  const way = search.get('way') ?? 'measures'
  const choose = (to: string) => {
    setSearch({ way: to }, { replace: true })
  }
  if (hand.error)
    return (
      <div className="p-8">
        <Trouble error={hand.error} />
      </div>
    )
  if (!hand.view) return <Waiting what="the article" />
  const added = () => {
    void go(`/patterns/${id}`)
  }
  return (
    <div className="flex h-full flex-col">
      <div className="flex items-center gap-4 px-5 py-2">
        <Link to={`/patterns/${id}`} className="text-chalk-dim hover:text-chalk">
          ← {hand.view.article.name}
        </Link>
        <h1 className="font-stamp text-2xl font-bold">A new piece</h1>
        <div role="tablist" aria-label="Ways in" className="flex">
          {WAYS.map(([key, name]) => (
            <button
              key={key}
              role="tab"
              type="button"
              aria-selected={way === key}
              className={`min-h-11 border px-4 ${way === key ? 'border-card bg-card font-semibold text-ink' : 'border-chalk/40 text-chalk hover:bg-chalk/10'}`}
              onClick={() => {
                choose(key)
              }}
            >
              {name}
            </button>
          ))}
        </div>
        <span className="ml-auto">
          <RoomKeys
            room="A new piece"
            keys={[
              {
                key: '1',
                does: 'by its measures',
                act: () => {
                  choose('measures')
                },
              },
              {
                key: '2',
                does: 'from a photograph',
                act: () => {
                  choose('photograph')
                },
              },
              {
                key: '3',
                does: 'from a drawing',
                act: () => {
                  choose('drawing')
                },
              },
              { key: 'Escape', shown: 'Esc', does: 'back to the article', act: added },
            ]}
          />
        </span>
      </div>
      {!hand.open && (
        <div className="px-5">
          <p className="docket px-4 py-2">
            Revision {hand.view.letter} is planned in a batch and stays as it is.{' '}
            <Link className="underline" to={`/patterns/${id}/revisions`}>
              Begin a new revision
            </Link>{' '}
            first.
          </p>
        </div>
      )}
      {way === 'measures' && <ByMeasures hand={hand} onAdded={added} />}
      {way === 'photograph' && <FromPhotograph hand={hand} onAdded={added} />}
      {way === 'drawing' && <FromDrawing hand={hand} onAdded={added} />}
    </div>
  )
}
