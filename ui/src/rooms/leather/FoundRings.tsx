import { Button } from '../../parts/controls'
import { Choice } from '../../parts/fields'
import { plural } from '../../parts/units'
import { FLAW_KINDS, SEVERITIES } from './hide'
import type { Ring, SeenAct } from './seenTaken'

/**
 * The rings that were found, to be taken or left; the one that is chosen says what it is. What was
 * drawn may be a hole or a flaw: that is told apart here.
 */
export function FoundRings({
  rings,
  holes,
  drawn,
  at,
  act,
}: {
  rings: Ring[]
  holes: number
  /** Whether they come from a drawing, not from chalk. */
  drawn: boolean
  at: number | null
  act: (a: SeenAct) => void
}) {
  const ringIs = (i: number, is: Partial<Ring>) => {
    act({ type: 'ring is', at: i, is })
  }
  return (
    <>
      <h2 className="mt-3 font-semibold">
        {rings.length ? 'Rings' : drawn ? 'No flaw was told in it' : 'No ring of chalk was found'}
      </h2>
      <ul>
        {rings.map((r, i) => (
          <li key={i} className={`border-b border-docket-line ${i === at ? 'bg-brass/15' : ''}`}>
            <div className="flex items-center gap-3">
              <input
                type="checkbox"
                className="size-5"
                checked={r.taken}
                aria-label={`Take ring ${i + 1}`}
                onChange={(e) => {
                  ringIs(i, { taken: e.target.checked })
                }}
              />
              <button
                type="button"
                className="flex min-h-11 flex-1 items-center gap-3 text-left"
                aria-label={`Ring ${i + 1}`}
                onClick={() => {
                  act({ type: 'choose', at: i === at ? null : i })
                }}
              >
                <span className="figure w-5 font-bold">{i + 1}</span>
                <span>{['how bad?', 'surface', 'blemish', 'unsound'][r.severity]}</span>
                <span className="text-ink-soft">{r.kind}</span>
                <span className="ml-auto text-sm text-ink-soft">
                  {r.doubted ? 'look at it' : r.chalk && `${r.chalk} chalk`}
                </span>
              </button>
            </div>
            {i === at && (
              <div className="grid grid-cols-[122px_1fr] gap-2 pb-2 pl-8">
                <Choice
                  label="What is it?"
                  value={r.kind}
                  options={FLAW_KINDS.map((k) => [k, k] as const)}
                  onChange={(kind) => {
                    ringIs(i, { kind })
                  }}
                />
                <Choice
                  label="How bad is it?"
                  value={String(r.severity)}
                  options={[
                    ['0', 'as its kind suggests'],
                    ...SEVERITIES.map(([n, words]) => [String(n), words] as const),
                  ]}
                  onChange={(s) => {
                    ringIs(i, { severity: Number(s), taken: true, doubted: false })
                  }}
                />
                {drawn && (
                  <Button
                    className="col-span-2"
                    onClick={() => {
                      act({ type: 'ring is a hole', at: i })
                    }}
                  >
                    It is a hole
                  </Button>
                )}
              </div>
            )}
          </li>
        ))}
      </ul>
      {drawn && holes > 0 && (
        <Button
          className="mt-2 w-full"
          onClick={() => {
            act({ type: 'holes are flaws' })
          }}
        >
          {holes === 1 ? 'The hole is a flaw' : `The ${plural(holes, 'hole')} are flaws`}
        </Button>
      )}
    </>
  )
}
