// How many samples a percentile needs.

/**
 * Samples that a percentile needs before it is judged: ⌈ln 0.05 / ln p⌉, so that with 95 % confidence at least one
 * sample lies beyond it (the one-sided order-statistic bound, Wilks 1941).
 *
 * @param percent - between 0 and 100, both excluded
 */
export function samplesNeeded(percent: number): number {
  return Math.ceil(Math.log(0.05) / Math.log(percent / 100))
}
