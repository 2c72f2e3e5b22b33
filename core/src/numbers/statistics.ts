// Statistics for comparing runs.

/**
 * Holm's correction for several comparisons: which of some p-values are significant together at a level.
 *
 * Source: S. Holm, "A simple sequentially rejective multiple test procedure", 1979.
 *
 * @returns the corrected p-value of each, in the order given
 */
export function holm(pValues: readonly number[]): number[] {
  const order = pValues.map((p, index) => ({ p, index })).sort((a, b) => a.p - b.p)
  const corrected = new Array<number>(pValues.length)
  let most = 0
  for (const [rank, { p, index }] of order.entries()) {
    most = Math.max(most, Math.min(1, p * (pValues.length - rank)))
    corrected[index] = most
  }
  return corrected
}

/**
 * The largest p-value that is taken, among many, where at most a share of those taken shall be false on average
 * (Y. Benjamini and Y. Hochberg, "Controlling the false discovery rate", 1995).
 *
 * @param share - from 0 to 1
 * @returns 0 where none is
 */
export function falseDiscoveryLimit(pValues: readonly number[], share: number): number {
  const sorted = pValues.toSorted((one, other) => one - other)
  const last = sorted.findLastIndex((p, rank) => p <= (share * (rank + 1)) / sorted.length)
  return sorted[last] ?? 0
}
