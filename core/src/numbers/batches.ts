// Intervals of figures whose values depend on their neighbours: by batches of seconds in a row, which hardly do.
import { normalTail } from './normal.js'
import { studentQuantile } from './student.js'

/**
 * What some seconds in a row add to a ratio of two sums: `part` of `all`. A share is failures of requests, a mean is
 * the sum of values of their number.
 */
export interface RatioBatch {
  part: number
  all: number
}

/** A ratio with what is known of how sure it is. */
export interface BatchedRatio {
  ratio: number
  /** Of the ratio, by how its batches differ. */
  standardError: number
  batches: number
  /** Whether the batches still depend on their neighbours, so that even this error is too small. */
  isCorrelated: boolean
}

/** Fewer batches tell too little of how they vary. */
export const LEAST_BATCHES = 10
/** From many short batches to few long ones: the first whose neighbours do not correlate are taken. */
const SIZES = [32, 20, 14, LEAST_BATCHES] as const
/** Chances that independent batches are taken for correlated: on the way, and where there are no longer ones. */
const LEVEL = 0.2
const LAST_LEVEL = 0.05

/**
 * A ratio of sums with its standard error by batch means: independent batches of seconds in a row are the longer the
 * longer the memory of the service is.
 *
 * Sources: batch means with Student's t, A. M. Law and W. D. Kelton, "Simulation Modeling and Analysis", and P.
 * Heidelberger and P. A. W. Lewis, "Quantile estimation in dependent sequences", 1984; ratio of sums, W. G. Cochran,
 * "Sampling Techniques", 1977, 6.19; whether batches are correlated, J. von Neumann, "Distribution of the ratio of the
 * mean square successive difference to the variance", 1941, in the form of L. C. Young, 1941.
 *
 * @param seconds - in order; those in which nothing was counted are passed over
 * @returns undefined for fewer than ten batches
 */
export function batchedRatio(
  seconds: readonly RatioBatch[],
  from: readonly number[] = SIZES,
): BatchedRatio | undefined {
  const counted = seconds.filter(({ all }) => all > 0)
  const sizes = from.filter((size) => size <= counted.length)
  for (const size of sizes) {
    const groups = inGroups(counted, size)
    const shares = groups.map(({ part, all }) => part / all)
    const p = chanceOfOrder(shares)
    const isLast = size === LEAST_BATCHES
    if (p >= LEVEL || isLast) return { ...ratioOf(groups), isCorrelated: isLast && p < LAST_LEVEL }
  }
  return undefined
}

/** So many groups of neighbours, as even as can be. */
export function inGroups(batches: readonly RatioBatch[], size: number): RatioBatch[] {
  return Array.from({ length: size }, (_, group) => {
    const from = Math.floor((group * batches.length) / size)
    const to = Math.floor(((group + 1) * batches.length) / size)
    let [part, all] = [0, 0]
    for (let index = from; index < to; index++) {
      part += batches[index]?.part ?? 0
      all += batches[index]?.all ?? 0
    }
    return { part, all }
  })
}

function ratioOf(groups: readonly RatioBatch[]): Omit<BatchedRatio, 'isCorrelated'> {
  let [part, all] = [0, 0]
  for (const group of groups) {
    part += group.part
    all += group.all
  }
  const ratio = part / all
  const squares = groups.reduce((sum, group) => sum + (group.part - ratio * group.all) ** 2, 0)
  const batches = groups.length
  return { ratio, standardError: Math.sqrt((batches / (batches - 1)) * squares) / all, batches }
}

/** How likely values in a row are as alike as these, or more, where their order is chance. */
function chanceOfOrder(values: readonly number[]): number {
  const count = values.length
  const mean = values.reduce((sum, value) => sum + value, 0) / count
  const squares = values.reduce((sum, value) => sum + (value - mean) ** 2, 0)
  if (squares === 0) return 1
  const steps = values.reduce(
    (sum, value, index) => sum + (index === 0 ? 0 : (value - (values[index - 1] ?? 0)) ** 2),
    0,
  )
  const z = (1 - steps / (2 * squares)) / Math.sqrt((count - 2) / (count ** 2 - 1))
  return z >= 0 ? normalTail(z) : 1 - normalTail(-z)
}

/** An interval, an end of which is null where the samples are too few for it. */
export interface BatchInterval {
  low: number | null
  high: number | null
  /** As many independent samples tell as much. */
  effectiveSamples: number
  /** Why it may be too narrow: too few batches, or such that depend on one another. */
  doubt: 'few batches' | 'correlated' | undefined
}

/**
 * What a percentile is read from: how many values there are in each batch, and how many of them are over some value.
 */
export interface BatchedValues {
  counts: readonly number[]
  /** For each batch. */
  countsOver: (value: number) => number[]
  /** Value of a rank of all, from 1. */
  valueAtRank: (rank: number) => number
}

/**
 * The interval of a percentile: all values v of which the share of values over v, with its error by batches, is not
 * significantly another than 1 − p. The error is that of the batches at v, and no less than a binomial one with the
 * design effect that they have at the percentile itself.
 *
 * Sources: inversion, R. S. Woodruff, "Confidence intervals for medians and other position measures", 1952; design
 * effect, L. Kish, "Survey Sampling", 1965; batches as for `batchedRatio`.
 *
 * @param percent - between 0 and 100, both excluded
 * @param tail - the chance of being beyond one end, such as 0.025
 */
export function percentileInterval(values: BatchedValues, percent: number, tail: number): BatchInterval {
  const { counts, countsOver, valueAtRank } = values
  const count = counts.reduce((sum, one) => sum + one, 0)
  const wanted = 1 - percent / 100
  const rank = Math.max(1, Math.ceil((percent / 100) * count - 1e-9))
  const batchesAt = (value: number) => countsOver(value).map((part, index) => ({ part, all: counts[index] ?? 0 }))
  const own = batchedRatio(batchesAt(valueAtRank(rank)))
  const binomial = (wanted * (1 - wanted)) / count
  const designEffect = own === undefined ? 1 : Math.max(1, own.standardError ** 2 / binomial)
  const least = Math.sqrt(binomial * designEffect)
  const quantile = studentQuantile(1 - tail, (own?.batches ?? LEAST_BATCHES) - 1)
  const isWithin = (place: number) => {
    const batches = batchesAt(valueAtRank(place)).filter(({ all }) => all > 0)
    const { ratio, standardError } = ratioOf(own === undefined ? batches : inGroups(batches, own.batches))
    const error = own === undefined ? least : Math.max(least, standardError)
    return Math.abs(ratio - wanted) <= quantile * error
  }
  const high = edge(rank, count, isWithin)
  const low = edge(rank, 1, isWithin)
  return {
    low: low === undefined ? null : valueAtRank(low),
    high: high === undefined ? null : valueAtRank(high),
    effectiveSamples: count / designEffect,
    doubt: doubtOf(own),
  }
}

const doubtOf = (own: BatchedRatio | undefined): BatchInterval['doubt'] =>
  own === undefined ? 'few batches' : own.isCorrelated ? 'correlated' : undefined

/** The first place outside, from one that is within towards a last one; undefined where that is within, too. */
function edge(from: number, last: number, isWithin: (place: number) => boolean): number | undefined {
  if (isWithin(last)) return undefined
  let [inside, outside] = [from, last]
  while (Math.abs(outside - inside) > 1) {
    const middle = Math.floor((inside + outside) / 2)
    if (isWithin(middle)) inside = middle
    else outside = middle
  }
  return outside
}

/**
 * The interval of a share: that of E. B. Wilson, "Probable inference, the law of succession, and statistical
 * inference", 1927, for as many independent samples as tell as much, with Student's t for the batches.
 */
export function shareInterval(seconds: readonly RatioBatch[], tail: number): BatchInterval {
  const count = seconds.reduce((sum, { all }) => sum + all, 0)
  const share = seconds.reduce((sum, { part }) => sum + part, 0) / count
  const own = batchedRatio(seconds)
  const binomial = (share * (1 - share)) / count
  const designEffect = own === undefined || binomial === 0 ? 1 : Math.max(1, own.standardError ** 2 / binomial)
  const effective = count / designEffect
  const { low, high } = wilson(share, effective, studentQuantile(1 - tail, (own?.batches ?? LEAST_BATCHES) - 1))
  return { low, high, effectiveSamples: effective, doubt: doubtOf(own) }
}

/** Wilson's interval of a share, for a quantile of the law of its error. */
export function wilson(share: number, samples: number, quantile: number): { low: number; high: number } {
  const square = quantile ** 2 / samples
  const middle = (share + square / 2) / (1 + square)
  const reach = (quantile / (1 + square)) * Math.sqrt((share * (1 - share)) / samples + square / (4 * samples))
  return { low: share === 0 ? 0 : Math.max(0, middle - reach), high: share === 1 ? 1 : Math.min(1, middle + reach) }
}

/**
 * The interval of a mean by batch means.
 *
 * @param deviation - of the single values, which tells how many independent ones tell as much; undefined where they are
 * not known
 */
export function meanInterval(seconds: readonly RatioBatch[], tail: number, deviation?: number): BatchInterval {
  const count = seconds.reduce((sum, { all }) => sum + all, 0)
  // Long batches from the start: sums are skewed where a few stretches are slow, and long ones are less so.
  const own = batchedRatio(seconds, [LEAST_BATCHES])
  if (own === undefined) return { low: null, high: null, effectiveSamples: count, doubt: 'few batches' }
  // Batches that differ less than independent values would are no reason to be surer.
  const error = Math.max(own.standardError, deviation === undefined ? 0 : deviation / Math.sqrt(count))
  const reach = error * studentQuantile(1 - tail, own.batches - 1)
  const effectiveSamples = deviation === undefined || error === 0 ? count : Math.min(count, (deviation / error) ** 2)
  return { low: own.ratio - reach, high: own.ratio + reach, effectiveSamples, doubt: doubtOf(own) }
}
