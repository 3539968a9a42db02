import { plural } from '../../parts/units'
import { keptInAll } from '../cut/waiting'

/** Says, where one signs in again, that nothing pressed at the bench is lost. */
export function KeptHere() {
  const kept = keptInAll()
  if (kept === 0) return null
  return (
    <p role="status" className="border-l-4 border-brass bg-brass/15 px-3 py-1 text-lg">
      {plural(kept, 'tick')} kept on this tablet: sent once somebody is signed in and opens the
      hide.
    </p>
  )
}
