// Whether a series of figures rises or falls, and how fast, without a wish for a straight line or a normal law.
import { normalTail } from './normal.js'

export interface Trend {
  /** Kendall's S: rising pairs less falling ones. */
  s: number
  /** Of S, corrected for ties and for autocorrelation. */
  variance: number
  z: number
  /** Two-sided. */
  p: number
  /** Per step of the series; the median of the slopes of all pairs. */
  slope: number
}

/**
 * Mann-Kendall test for a monotonic trend, its variance corrected for autocorrelation, with Theil-Sen slope.
 *
 * A positive autocorrelation makes trends seem surer than they are; a negative one is not used to make them surer.
 *
 * Sources: H. B. Mann, "Nonparametric tests against trend", 1945; M. G. Kendall, "Rank correlation methods", 1975;
 * K. H. Hamed and A. R. Rao, "A modified Mann-Kendall trend test for autocorrelated data", 1998; P. K. Sen, "Estimates
 * of the regression coefficient based on Kendall's tau", 1968.
 *
 * @param values - equally spaced, in order
 */
export function trendOf(values: readonly number[]): Trend {
  const n = values.length
  let s = 0
  const slopes: number[] = []
  for (let later = 1; later < n; later++)
    for (let earlier = 0; earlier < later; earlier++) {
      const difference = (values[later] ?? 0) - (values[earlier] ?? 0)
      s += Math.sign(difference)
      slopes.push(difference / (later - earlier))
    }
  const slope = medianOf(slopes)
  const variance = plainVariance(values) * autocorrelationFactor(values.map((value, index) => value - slope * index))
  const z = variance === 0 ? 0 : (s - Math.sign(s)) / Math.sqrt(variance)
  return { s, variance, z, p: Math.min(1, 2 * normalTail(Math.abs(z))), slope }
}

/** Of S under no trend, with ties. */
function plainVariance(values: readonly number[]): number {
  const counts = new Map<number, number>()
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1)
  const part = (count: number) => count * (count - 1) * (2 * count + 5)
  let all = part(values.length)
  for (const count of counts.values()) all -= part(count)
  return all / 18
}

/** By how much autocorrelation widens the variance: Hamed and Rao 1998, over the lags that are significant. */
function autocorrelationFactor(residuals: readonly number[]): number {
  const n = residuals.length
  if (n < 4) return 1
  const ranks = ranksOf(residuals)
  let sum = 0
  for (let lag = 1; lag < n - 1; lag++) {
    const r = autocorrelation(ranks, lag)
    if (Math.abs(r) > 1.96 / Math.sqrt(n)) sum += (n - lag) * (n - lag - 1) * (n - lag - 2) * r
  }
  return Math.max(1, 1 + (2 * sum) / (n * (n - 1) * (n - 2)))
}

/**
 * Correlation of a series with itself, so many places later (Box and Jenkins, 1970).
 *
 * @param lag - in places, 1 for neighbours
 * @returns between −1 and 1; 0 for a series that never changes
 */
export function autocorrelation(values: readonly number[], lag: number): number {
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length
  let [shared, all] = [0, 0]
  for (const [index, value] of values.entries()) {
    all += (value - mean) ** 2
    const later = values[index + lag]
    if (later !== undefined) shared += (value - mean) * (later - mean)
  }
  return all === 0 ? 0 : shared / all
}

/** Ranks from 1; equal values share the mean of theirs. */
export function ranksOf(values: readonly number[]): number[] {
  const order = values.map((value, index) => ({ value, index })).sort((a, b) => a.value - b.value)
  const ranks = new Array<number>(values.length).fill(0)
  for (let from = 0; from < order.length;) {
    let to = from
    while (to + 1 < order.length && order[to + 1]?.value === order[from]?.value) to++
    for (let at = from; at <= to; at++) ranks[order[at]?.index ?? 0] = (from + to) / 2 + 1
    from = to + 1
  }
  return ranks
}

/** The middle value, or the mean of the two in the middle; NaN of none. */
export function medianOf(values: readonly number[]): number {
  const sorted = values.toSorted((a, b) => a - b)
  const middle = sorted.length / 2
  return sorted.length % 2 === 1
    ? (sorted[Math.floor(middle)] ?? NaN)
    : ((sorted[middle - 1] ?? NaN) + (sorted[middle] ?? NaN)) / 2
}

/**
 * Where a series changes its level: Pettitt's test.
 *
 * Source: A. N. Pettitt, "A non-parametric approach to the change-point problem", 1979; p by its approximation.
 *
 * @returns the number of values before the change, and how likely so large a change is by chance
 */
export function changePointOf(values: readonly number[]): { before: number; p: number } {
  const n = values.length
  const ranks = ranksOf(values)
  let [sum, most, before] = [0, -1, 0]
  for (let index = 0; index < n - 1; index++) {
    sum += ranks[index] ?? 0
    const u = Math.abs(2 * sum - (index + 1) * (n + 1))
    if (u > most) [most, before] = [u, index + 1]
  }
  return { before, p: Math.min(1, 2 * Math.exp((-6 * most * most) / (n ** 3 + n ** 2))) }
}
