// Whether failures are those of one row of a data file, or of a few.
import type { FailureCell } from '../../measure/bucket.js'
import type { RunShape } from '../../measure/shape.js'

/** Failures and seconds, so that one iteration that fails again and again is no cause. */
const LEAST_FAILURES = 10
const LEAST_SECONDS = 5
/** At most so many rows, of a file with ten times as many, have nine of ten failures. */
const MOST_ROWS = 3
const TIMES_AS_MANY = 10
const SHARE = 0.9

export interface FailedRows {
  data: string
  /** Counted from 1, without the header. */
  rows: number[]
  /** Failures of these rows. */
  count: number
}

/**
 * The rows that most failures have, where they are few: by chance, three rows of thirty have nine of ten
 * failures of ten in less than one of a million cases (binomial law).
 */
export function failedRowsOf(
  cells: readonly (Pick<FailureCell, 'count' | 'rows'> & { second: number })[],
  shape: RunShape,
): FailedRows | undefined {
  const all = cells.reduce((sum, { count }) => sum + count, 0)
  if (all < LEAST_FAILURES || new Set(cells.map(({ second }) => second)).size < LEAST_SECONDS) return undefined
  for (const [number, { name, rows }] of (shape.data ?? []).entries()) {
    const counts = new Map<number, number>()
    for (const cell of cells)
      for (const { data, row, count } of cell.rows) if (data === number) counts.set(row, (counts.get(row) ?? 0) + count)
    const most = [...counts].toSorted(([, one], [, other]) => other - one).slice(0, MOST_ROWS)
    for (let used = 1; used <= most.length && used * TIMES_AS_MANY <= rows; used++) {
      const count = most.slice(0, used).reduce((sum, [, times]) => sum + times, 0)
      if (count < SHARE * all) continue
      const found = most.slice(0, used).map(([row]) => row + 1)
      return { data: name, rows: found.toSorted((one, other) => one - other), count }
    }
  }
  return undefined
}
