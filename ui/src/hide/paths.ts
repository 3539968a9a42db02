import type { Schemas } from '../api/client'

export type Ring = number[][]
export type HideShape = Schemas['HideShape']

/** SVG path data of rings given as points in mm. */
export const pathOf = (rings: Ring[]) =>
  rings.map((ring) => `M${ring.map((p) => `${p[0] ?? 0},${p[1] ?? 0}`).join('L')}Z`).join('')

/** Bounds of rings: x0, y0, x1, y1. */
export function boundsOf(rings: Ring[]): [number, number, number, number] {
  const points = rings.flat()
  const xs = points.map((p) => p[0] ?? 0)
  const ys = points.map((p) => p[1] ?? 0)
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)]
}

/** Leather by the name of its colour. An unknown name is drawn as plain russet. */
const LEATHERS: Record<string, string> = {
  chestnut: '#8b5a3a',
  russet: '#a86c3e',
  undyed: '#cbb48c',
  natural: '#c79a6b',
  black: '#4a4643',
  tan: '#b98350',
  umber: '#5f4632',
  brown: '#6e4a33',
  oxblood: '#6f2f2c',
  red: '#8f3a30',
  moss: '#5d6440',
  green: '#4c6047',
  slate: '#5b6468',
  grey: '#72706c',
  blue: '#42566e',
  white: '#d8cfbd',
  yellow: '#c39a45',
}
/** The last word of a colour that is known decides: "waxed dark brown" is a brown. */
export const leatherColour = (name = '') =>
  name
    .toLowerCase()
    .split(/[^a-z]+/)
    .map((word) => LEATHERS[word])
    .findLast((found) => found !== undefined) ?? '#a5693f'
