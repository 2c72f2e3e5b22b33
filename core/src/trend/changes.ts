// Where the level of a series of runs changes.
import { medianOf } from '../numbers/trends.js'
import { Draws } from '../values/random.js'

/** A shift between two runs that follow one another. */
export interface LevelChange {
  /** Place of the first value after it, among the values that were given. */
  at: number
  /** Medians of the stretches on either side. */
  before: number
  after: number
  /** How likely what parts the series there is by chance. */
  p: number
}

/** A stretch is no shorter: one or two bad runs are no new level. */
export const LEAST_RUNS = 4
/** A series without any change has one reported as often as this. */
export const FALSE_ALARMS = 0.01
/** A shift that is smaller, as a share of the level before, does not matter to anybody. */
const SMALLEST = 0.05
/** On either side so many runs must stand nearer to their own level than to the other: two bad runs of four do not. */
const CLEAR = 0.75
const DEALS = 1999
const SEED = 20_261_126

interface Cut {
  at: number
  p: number
}

/**
 * The shifts in a series, the oldest first.
 *
 * Circular binary segmentation: the stretch whose mean stands furthest from the mean of the rest is sought, one in
 * the middle as well as one at an end, and taken where a permutation of the values parts them as far in fewer than one
 * of a hundred cases; the parts are then looked at in the same way. No distribution is assumed, only that runs
 * without a change between them could as well have come in another order.
 *
 * Source: A. B. Olshen, E. S. Venkatraman, R. Lucito and M. Wigler, "Circular binary segmentation for the analysis of
 * array-based DNA copy number data", 2004; p-value (k + 1) / (n + 1) of B. Phipson and G. K. Smyth, "Permutation
 * P-values should never be zero", 2010. Outliers are pulled in first, as that method does.
 *
 * @param values - one for each run, in the order of the runs
 */
export function levelChanges(values: readonly number[]): LevelChange[] {
  return changesAt(
    values,
    cutsIn(values, 0).toSorted((one, other) => one.at - other.at),
  )
}

/**
 * The level between changes: each stretch with its first place and the one after its last.
 *
 * @param changes - as `levelChanges` finds them, in order
 */
export function levelsOf(
  values: readonly number[],
  changes: readonly LevelChange[],
): { from: number; to: number; level: number }[] {
  if (values.length === 0) return []
  const ends = [...changes.map(({ at }) => at), values.length]
  return ends.map((to, index) => {
    const from = ends[index - 1] ?? 0
    return { from, to, level: medianOf(values.slice(from, to)) }
  })
}

function cutsIn(values: readonly number[], offset: number): Cut[] {
  const found = stretchOf(values)
  if (found === undefined) return []
  const { from, to, p } = found
  const inner = [from, to].filter((at) => at > 0 && at < values.length)
  const ends = [0, ...inner, values.length]
  return [
    ...inner.map((at) => ({ at: offset + at, p })),
    ...ends.slice(0, -1).flatMap((begin, index) => cutsIn(values.slice(begin, ends[index + 1]), offset + begin)),
  ]
}

/** Drops what does not matter, the smallest first: a stretch grows when a cut beside it goes. */
function changesAt(values: readonly number[], cuts: readonly Cut[]): LevelChange[] {
  const sides = cuts.map(({ at, p }, index) => {
    const [from, to] = [cuts[index - 1]?.at ?? 0, cuts[index + 1]?.at ?? values.length]
    const [left, right] = [values.slice(from, at), values.slice(at, to)]
    const change: LevelChange = { at, before: medianOf(left), after: medianOf(right), p }
    return { change, size: isClear(left, right) ? shareOf(change) : 0 }
  })
  const [least] = sides.toSorted((one, other) => one.size - other.size)
  if (least === undefined || least.size >= SMALLEST) return sides.map(({ change }) => change)
  return changesAt(
    values,
    cuts.filter(({ at }) => at !== least.change.at),
  )
}

function isClear(left: readonly number[], right: readonly number[]): boolean {
  const [before, after] = [medianOf(left), medianOf(right)]
  const own = (values: readonly number[], level: number, other: number) =>
    values.filter((value) => Math.abs(value - level) < Math.abs(value - other)).length / values.length
  return own(left, before, after) >= CLEAR && own(right, after, before) >= CLEAR
}

/** How far a level has moved, as a share of the one before. */
function shareOf({ before, after }: LevelChange): number {
  if (before === after) return 0
  return before === 0 ? Infinity : Math.abs(after - before) / Math.abs(before)
}

/** The stretch that stands apart from the rest, where that is no chance. */
function stretchOf(values: readonly number[]): { from: number; to: number; p: number } | undefined {
  if (values.length < 2 * LEAST_RUNS) return undefined
  const dealt = pulledIn(values)
  const seen = furthestApart(dealt)
  if (seen.apart <= 0) return undefined
  const apart = withMemory(dealt, seen)
  const draws = new Draws(SEED).at(values.length, 0, 0)
  const most = FALSE_ALARMS * (DEALS + 1)
  let reached = 0
  for (let deal = 0; deal < DEALS; deal++) {
    shuffle(dealt, draws)
    // Rounding must not make a deal that gives the same differ from it.
    if (mostApart(dealt) >= apart * (1 - 1e-9)) reached++
    if (reached + 1 > most) return undefined
  }
  return { from: seen.from, to: seen.to, p: (reached + 1) / (DEALS + 1) }
}

/** In standard errors of a correlation of independent values, and what the stretch that is sought takes away of it. */
const BY_CHANCE = 0.5
const TAKEN_AWAY = 0.15
const MOST_CORRELATION = 0.9

/**
 * How far the stretch stands apart where runs resemble those before them (the hour of the day, a neighbour on the
 * host): they move further by chance than independent ones, by the variance of a mean under a first-order
 * autoregression, (1 + r) / (1 − r), with r of what is left beside the stretch. The ratio of what it explains to what
 * is left is divided by that.
 *
 * Source: M. S. Bartlett, "On the theoretical specification of sampling properties of autocorrelated time series",
 * 1946.
 */
function withMemory(values: Float64Array, { from, to, apart }: { from: number; to: number; apart: number }): number {
  const isInside = (index: number) => index >= from && index < to
  const meanOf = (inside: boolean) => {
    const some = values.filter((_, index) => isInside(index) === inside)
    return some.reduce((sum, value) => sum + value, 0) / Math.max(1, some.length)
  }
  const [inner, outer] = [meanOf(true), meanOf(false)]
  const rest = values.map((value, index) => value - (isInside(index) ? inner : outer))
  const squares = rest.reduce((sum, value) => sum + value ** 2, 0)
  const products = rest.reduce((sum, value, index) => sum + (index === 0 ? 0 : value * (rest[index - 1] ?? 0)), 0)
  const found = squares === 0 ? 0 : products / squares
  if (found * Math.sqrt(values.length) < BY_CHANCE) return apart
  const correlation = Math.min(MOST_CORRELATION, found + TAKEN_AWAY)
  const ratio = (apart * (1 - correlation)) / (squares * (1 + correlation))
  return ((apart + squares) * ratio) / (1 + ratio)
}

/** Values further from the median than this many spreads count as that far: one wild run moves no mean. */
const MOST_SPREADS = 6
/** Of the differences between neighbours of the normal law, the median over the deviation: 0.6745 √2. */
const MEDIAN_OF_DIFFERENCES = 0.6745 * Math.SQRT2

function pulledIn(values: readonly number[]): Float64Array {
  const differences = values.slice(1).map((value, index) => Math.abs(value - (values[index] ?? value)))
  const spread = medianOf(differences) / MEDIAN_OF_DIFFERENCES
  const middle = medianOf(values)
  const reach = spread === 0 ? Infinity : MOST_SPREADS * spread
  return Float64Array.from(values, (value) => Math.min(middle + reach, Math.max(middle - reach, value)))
}

/** Between-group sum of squares of the stretch that stands furthest apart. */
function furthestApart(values: Float64Array): { from: number; to: number; apart: number } {
  const n = values.length
  const sums = new Float64Array(n + 1)
  for (let index = 0; index < n; index++) sums[index + 1] = (sums[index] ?? 0) + (values[index] ?? 0)
  const mean = (sums[n] ?? 0) / n
  let [from, to, apart] = [0, 0, 0]
  for (let begin = 0; begin <= n - LEAST_RUNS; begin++) {
    // What is left over at the beginning is a stretch, too.
    if (begin > 0 && begin < LEAST_RUNS) continue
    for (let end = begin + LEAST_RUNS; end <= n; end++) {
      const size = end - begin
      if (n - size < LEAST_RUNS || (end < n && n - end < LEAST_RUNS)) continue
      const off = (sums[end] ?? 0) - (sums[begin] ?? 0) - size * mean
      const squares = (off * off * n) / (size * (n - size))
      if (squares > apart) [from, to, apart] = [begin, end, squares]
    }
  }
  return { from, to, apart }
}

/**
 * The same sum of squares alone. It is sought in each of thousands of deals, and stretches of one size differ by their
 * sum only.
 */
function mostApart(values: Float64Array): number {
  const n = values.length
  const mean = values.reduce((sum, value) => sum + value, 0) / n
  const sums = new Float64Array(n + 1)
  for (let index = 0; index < n; index++) sums[index + 1] = (sums[index] ?? 0) + (values[index] ?? 0) - mean
  let apart = 0
  for (let size = LEAST_RUNS; size <= n - LEAST_RUNS; size++) {
    // At the beginning and at the end; what is left over between them and others is a stretch, too.
    let most = Math.max(Math.abs(sums[size] ?? 0), Math.abs(sums[n - size] ?? 0))
    for (let begin = LEAST_RUNS; begin + size <= n - LEAST_RUNS; begin++) {
      const off = Math.abs((sums[begin + size] ?? 0) - (sums[begin] ?? 0))
      if (off > most) most = off
    }
    apart = Math.max(apart, (most * most * n) / (size * (n - size)))
  }
  return apart
}

function shuffle(values: Float64Array, draws: Draws): void {
  for (let index = values.length - 1; index > 0; index--) {
    const other = Math.floor(draws.next() * (index + 1))
    const one = values[index] ?? 0
    values[index] = values[other] ?? 0
    values[other] = one
  }
}
