// Whether a figure has shifted, told to those who did not ask.
import { levelChanges, type LevelChange } from './changes.js'

/** As sure as the permutations can be. */
const MOST_CHANCE = 0.0005
/** It must have been there, within so many runs, when the run before had ended. */
const SAME_PLACE = 2

/**
 * The latest shift of a series, if it is sure enough to be told by itself. A series is looked at after each of its
 * runs: at one false shift in a hundred looks, every third one would be told one sooner or later.
 *
 * @param values - one for each run that counts, in the order of the runs
 */
export function alarmOf(values: readonly number[]): LevelChange | undefined {
  const sureIn = (some: readonly number[]) => levelChanges(some).filter(({ p }) => p <= MOST_CHANCE)
  const latest = sureIn(values).at(-1)
  if (latest === undefined) return undefined
  const isThere = sureIn(values.slice(0, -1)).some(({ at }) => Math.abs(at - latest.at) <= SAME_PLACE)
  return isThere ? latest : undefined
}
