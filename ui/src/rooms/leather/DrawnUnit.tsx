import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, readFrom, told } from '../../api/client'
import { Trouble } from '../../parts/controls'
import { Choice } from '../../parts/fields'
import { afterJob } from '../../parts/job'
import type { Seen } from './seenTaken'

const UNITS: [number, string][] = [
  [1, 'a millimetre'],
  [10, 'a centimetre'],
  [25.4, 'an inch'],
  [1000, 'a metre'],
  [25.4 / 96, 'a pixel (1/96 in)'],
  [25.4 / 72, 'a point (1/72 in)'],
]

/** Has a hide read from a drawing; `unit_mm` where somebody says how long its unit is. */
export const readDrawing = (hide_id: number, file: number, unit_mm: number | null) =>
  afterJob(
    told(
      api.POST('/api/leather/hides/{hide_id}/drawing', {
        params: { path: { hide_id } },
        body: { file, unit_mm },
      }),
    ),
    () => Promise.resolve(),
  )

/** How long a unit of the drawing was taken to be; another is said here, and it is read anew. */
export function DrawnUnit({ id, seen }: { id: number; seen: Seen }) {
  const queries = useQueryClient()
  const file = seen.files[0]
  const again = useMutation({
    mutationFn: (mm: number) => readDrawing(id, file ?? 0, mm),
    onSuccess: () => queries.invalidateQueries(readFrom('/api/leather/hides/{hide_id}')),
  })
  if (file === undefined || !seen.unit_mm) return null
  const same = (mm: number) => Math.abs(mm / seen.unit_mm - 1) < 1e-3
  const shown: [number, string][] = seen.told_mm
    ? [[seen.told_mm, 'as the file says'], ...UNITS]
    : UNITS
  const now = shown.find(([mm]) => same(mm))
  return (
    <>
      <Choice
        className="mt-2"
        label={again.isPending ? 'Reading it anew …' : 'A unit of the drawing is'}
        value={String((now ?? [seen.unit_mm])[0])}
        options={[
          ...(now ? [] : [[String(seen.unit_mm), `${seen.unit_mm.toFixed(4)} mm`] as const]),
          ...shown.map(([mm, words]) => [String(mm), words] as const),
        ]}
        onChange={(mm) => {
          again.mutate(Number(mm))
        }}
      />
      <Trouble error={again.error} onPaper />
    </>
  )
}
