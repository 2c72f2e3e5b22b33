// Runs that are made several times, and judged by their median.
import { normalQuantile } from './normal.js'
import { studentQuantile } from './student.js'

/**
 * The deviation of the median of so many values of a normal law, as a part of that of one; an odd number of them.
 *
 * Source: the large-sample variance π/2n, with n + π/2 − 1 for n, which is exact for one (from memory); within a
 * hundredth of tables of order statistics (D. Teichroew, 1956).
 */
export const spreadOfMedian = (repeats: number): number => Math.sqrt(Math.PI / 2 / (repeats + Math.PI / 2 - 1))

/** Degrees of freedom of a variance by successive differences of so many runs (J. von Neumann and others, 1941). */
export const freedomOfDifferences = (runs: number): number => (2 * (runs - 1) ** 2) / (3 * runs - 4)

/**
 * How far one more may be from the mean of some runs in 95 of 100, on one side: G. J. Hahn and W. Q. Meeker,
 * "Statistical Intervals", 1991, section 4.8.
 *
 * @param held - it is the median of so many
 * @param meanVariance - of the mean, in those of a single run
 * @returns in deviations of a single run
 */
export const reachOfOneMore = (freedom: number, held: number, meanVariance: number): number =>
  studentQuantile(0.95, freedom) * Math.sqrt(spreadOfMedian(held) ** 2 + meanVariance)

const MOST_REPEATS = 15
const NINE_OF_TEN = normalQuantile(0.9)

/**
 * How often a run must be made (an odd number, judged by its median) so that a change by twice what a limit allows is
 * breached in nine of ten.
 *
 * @param limit - as a factor of the baseline, over 1
 * @param spread - by which single runs of equal code differ, as a share
 * @param runs - of the baseline
 * @returns null where not even fifteen times are enough
 */
export function repeatsFor(limit: number, spread: number, runs: number): number | null {
  const slower = Math.log(1 + 2 * (limit - 1))
  for (let repeats = 1; repeats <= MOST_REPEATS; repeats += 2) {
    const freedom = freedomOfDifferences(runs)
    const reach = spread * reachOfOneMore(freedom, repeats, 1 / runs)
    // The spread is known from the runs themselves: its own deviation is about s/√2f.
    const off =
      NINE_OF_TEN * Math.sqrt(spread ** 2 * (spreadOfMedian(repeats) ** 2 + 1 / runs) + reach ** 2 / (2 * freedom))
    if (Math.max(Math.log(limit), reach) + off <= slower) return repeats
  }
  return null
}
