// What the bench finds, each row beside its aim, and whether that is met.

/** A figure with its aim; ratios alone are judged, since they hold on any machine. */
export interface Row {
  what: string
  /** As it is printed. */
  value: string
  aim?: string
  /** The median of the rounds, with what it should at least or at most be. */
  judged?: { ratio: number; least: number } | { ratio: number; most: number }
}

/** So much beside an aim is the host's: rounds of one machine differ by it. */
const LEEWAY = 0.1

export type Met = 'met' | 'nearly met' | 'missed' | 'cannot tell'

export function metOf({ judged }: Row, isQuiet: boolean): Met | '' {
  if (judged === undefined) return ''
  if (Number.isNaN(judged.ratio)) return 'cannot tell'
  const beside = 'least' in judged ? judged.ratio / judged.least : judged.most / judged.ratio
  if (beside >= 1) return 'met'
  if (!isQuiet) return 'cannot tell'
  return beside >= 1 - LEEWAY ? 'nearly met' : 'missed'
}

/** A table of all rows. */
export function tableOf(rows: readonly Row[], isQuiet: boolean): string {
  const lines = [
    ['measured', 'value', 'aim', ''],
    ['---', '---:', '---:', '---'],
  ]
  for (const row of rows) lines.push([row.what, row.value, row.aim ?? '', metOf(row, isQuiet)])
  return lines.map((cells) => `| ${cells.join(' | ')} |\n`).join('')
}

export const median = (values: readonly number[]): number =>
  values.toSorted((a, b) => a - b)[Math.floor(values.length / 2)] ?? NaN
