// One figure over runs, some of which have none or do not count.
import { levelChanges, levelsOf } from './changes.js'

/** A shift; places are those of the runs, whether they count or not. */
export interface TrendChange {
  /** The last run of the level before, and the first of the level after. */
  last: number
  first: number
  before: number
  after: number
  p: number
}

export interface TrendLevel {
  /** Its first run and its last. */
  from: number
  to: number
  level: number
}

/**
 * Changes and levels of one figure.
 *
 * @param values - one for each run, the oldest first; null where the run has no such figure
 * @param counts - whether the run counts: one that is void or stopped does not
 */
export function readTrend(
  values: readonly (number | null)[],
  counts: readonly boolean[],
): { changes: TrendChange[]; levels: TrendLevel[] } {
  const runs: number[] = []
  const counted: number[] = []
  for (const [run, value] of values.entries())
    if (value !== null && counts[run] === true) {
      runs.push(run)
      counted.push(value)
    }
  const changes = levelChanges(counted)
  const runAt = (place: number) => runs[place] ?? 0
  return {
    changes: changes.map(({ at, ...change }) => ({ ...change, last: runAt(at - 1), first: runAt(at) })),
    levels: levelsOf(counted, changes).map(({ from, to, level }) => ({ level, from: runAt(from), to: runAt(to - 1) })),
  }
}
