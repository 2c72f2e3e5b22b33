// Figures over runs, some of which have none or do not count.
import { falseDiscoveryLimit } from '../numbers/statistics.js'
import { alarmOf } from './alarm.js'
import { levelChanges, levelsOf, type LevelChange } from './changes.js'

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

/** Changes and levels of one figure. */
export interface TrendRead {
  changes: TrendChange[]
  levels: TrendLevel[]
}

/** One figure: a value for each run, the oldest first; null where the run has no such figure. */
export type FigureOverRuns = readonly (number | null)[]

/** Of the figures that are said to have shifted, at most so many have not, on average. */
const FALSE_DISCOVERIES = 0.05

/**
 * Changes and levels of the figures of a plan. One in a hundred figures without a change has one found: among many
 * figures only those count that are surer than so many would be by chance.
 *
 * @param counts - whether each run counts: one that is void or stopped does not
 */
export function readTrends(figures: readonly FigureOverRuns[], counts: readonly boolean[]): TrendRead[] {
  const found = figures.map((values) => {
    const counted = countedOf(values, counts)
    return { ...counted, changes: levelChanges(counted.values) }
  })
  const limit = falseDiscoveryLimit(
    found.map(({ changes }) => Math.min(1, ...changes.map(({ p }) => p))),
    FALSE_DISCOVERIES,
  )
  return found.map(({ runs, values, changes: all }) => {
    const changes = all.filter(({ p }) => p <= limit)
    const runAt = (place: number) => runs[place] ?? 0
    return {
      changes: changes.map((change) => changeOf(change, runs)),
      levels: levelsOf(values, changes).map(({ from, to, level }) => ({ level, from: runAt(from), to: runAt(to - 1) })),
    }
  })
}

/** The latest shift of a figure that is sure enough to be told by itself. */
export function readAlarm(figure: FigureOverRuns, counts: readonly boolean[]): TrendChange | undefined {
  const { runs, values } = countedOf(figure, counts)
  const change = alarmOf(values)
  return change === undefined ? undefined : changeOf(change, runs)
}

function countedOf(figure: FigureOverRuns, counts: readonly boolean[]): { runs: number[]; values: number[] } {
  const runs: number[] = []
  const values: number[] = []
  for (const [run, value] of figure.entries())
    if (value !== null && counts[run] === true) {
      runs.push(run)
      values.push(value)
    }
  return { runs, values }
}

const changeOf = ({ at, ...change }: LevelChange, runs: readonly number[]): TrendChange => ({
  ...change,
  last: runs[at - 1] ?? 0,
  first: runs[at] ?? 0,
})
