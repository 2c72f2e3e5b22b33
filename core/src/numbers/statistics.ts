// Tests and intervals for comparing two runs.

/** The standard normal distribution function, by the error function of W. J. Cody's kind of rational fit. */
export function normalCdf(z: number): number {
  return 0.5 * erfc(-z / Math.SQRT2)
}

/** Complementary error function; relative error under 1.2e-7 (Press et al., Numerical Recipes, section 6.2). */
function erfc(x: number): number {
  const z = Math.abs(x)
  const t = 1 / (1 + 0.5 * z)
  const coefficients = [
    0.17087277, -0.82215223, 1.48851587, -1.13520398, 0.27886807, -0.18628806, 0.09678418, 0.37409196, 1.00002368,
    -1.26551223,
  ]
  let exponent = 0
  for (const coefficient of coefficients) exponent = exponent * t + coefficient
  const tail = t * Math.exp(-z * z + exponent)
  return x >= 0 ? tail : 2 - tail
}

/** Two-sided p-value of a z score. */
export const twoSided = (z: number): number => Math.min(1, 2 * (1 - normalCdf(Math.abs(z))))

/** Values with how often each was seen, ascending. */
export type Counts = Iterable<readonly [value: number, count: number]>

/**
 * Mann–Whitney U test with the normal approximation, corrected for ties.
 *
 * Source: H. B. Mann and D. R. Whitney, "On a test of whether one of two random variables is stochastically larger than
 * the other", 1947; tie correction as in W. J. Conover, Practical Nonparametric Statistics.
 *
 * @returns U of the second sample, z (positive when the second tends to be larger) and the two-sided p-value
 */
export function mannWhitney(first: Counts, second: Counts): { u: number; z: number; p: number } {
  const counts = new Map<number, [number, number]>()
  for (const [which, sample] of [first, second].entries()) {
    for (const [value, count] of sample) {
      const pair = counts.get(value) ?? [0, 0]
      pair[which === 0 ? 0 : 1] += count
      counts.set(value, pair)
    }
  }
  let [n1, n2, u, ties] = [0, 0, 0, 0]
  for (const value of [...counts.keys()].sort((a, b) => a - b)) {
    const [a, b] = counts.get(value) ?? [0, 0]
    // Each of the second beats all of the first below it, and ties with those beside it.
    u += b * (n1 + a / 2)
    n1 += a
    n2 += b
    const tied = a + b
    ties += tied ** 3 - tied
  }
  const all = n1 + n2
  const variance = ((n1 * n2) / 12) * (all + 1 - ties / (all * (all - 1)))
  if (!(variance > 0)) return { u, z: 0, p: 1 }
  const z = (u - (n1 * n2) / 2) / Math.sqrt(variance)
  return { u, z, p: twoSided(z) }
}

/**
 * Two-proportion z test with the pooled share (K. Pearson's chi-square with one degree of freedom, as a z score).
 *
 * @returns z, positive when the second share is larger, and the two-sided p-value
 */
export function twoProportions(part1: number, all1: number, part2: number, all2: number): { z: number; p: number } {
  if (all1 === 0 || all2 === 0) return { z: 0, p: 1 }
  const pooled = (part1 + part2) / (all1 + all2)
  const variance = pooled * (1 - pooled) * (1 / all1 + 1 / all2)
  if (!(variance > 0)) return { z: 0, p: 1 }
  const z = (part2 / all2 - part1 / all1) / Math.sqrt(variance)
  return { z, p: twoSided(z) }
}

/** Wilson's 95 % score interval of a share (E. B. Wilson 1927). */
export function wilson(part: number, all: number): [low: number, high: number] {
  if (all === 0) return [0, 1]
  const z = 1.959963984540054
  const share = part / all
  const middle = share + (z * z) / (2 * all)
  const reach = z * Math.sqrt((share * (1 - share)) / all + (z * z) / (4 * all * all))
  const scale = 1 + (z * z) / all
  return [Math.max(0, (middle - reach) / scale), Math.min(1, (middle + reach) / scale)]
}

/** A value with its interval. */
export interface Estimate {
  value: number
  low: number
  high: number
}

/**
 * Interval of the difference second − first from the intervals of both ("square and add").
 *
 * Source: G. Y. Zou and A. Donner, "Construction of confidence limits about effect measures: a general approach", 2008;
 * for shares with Wilson's intervals it is R. G. Newcombe's method 10, 1998.
 */
export function differenceOf(first: Estimate, second: Estimate): Estimate {
  const value = second.value - first.value
  return {
    value,
    low: value - Math.hypot(second.value - second.low, first.high - first.value),
    high: value + Math.hypot(second.high - second.value, first.value - first.low),
  }
}

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
