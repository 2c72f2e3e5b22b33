// A run in blocks of seconds, and how two runs differ when neither is taken apart any further.
import type { Distribution } from '../numbers/distribution.js'
import type { Draws } from '../values/random.js'

/** What ended of a step in some seconds in a row. */
export interface Block {
  requests: number
  failed: number
  times: Distribution
}

/** A block over the list of values that both runs had, without those that it has not: most have few of them. */
interface Sparse {
  requests: number
  failed: number
  /** How many times there are: the sum of the counts; and their sum. */
  timed: number
  sumMs: number
  places: Uint32Array
  counts: Float64Array
}

/** Blocks added up, over the list of values; it is used again for the next. */
interface Pooled {
  requests: number
  failed: number
  timed: number
  sumMs: number
  counts: Float64Array
}

/** A figure of pooled blocks: a time in ms, or a share; NaN where there is none. */
export type FigureOf = (pooled: Pooled, valuesMs: Float64Array) => number

export const percentileFigure =
  (percent: number): FigureOf =>
  ({ counts, timed }, valuesMs) => {
    const rank = Math.max(1, Math.ceil((percent / 100) * timed - 1e-9))
    // From the top: what is asked for lies there.
    let above = timed - rank
    for (let index = counts.length - 1; index >= 0; index--) {
      above -= counts[index] ?? 0
      if (above < 0) return valuesMs[index] ?? NaN
    }
    return NaN
  }

export const meanFigure: FigureOf = ({ sumMs, timed }) => sumMs / timed

export const failedFigure: FigureOf = ({ requests, failed }) => failed / requests

/** Both runs over one list of values. */
interface Laid {
  valuesMs: Float64Array
  before: Sparse[]
  after: Sparse[]
}

/** Values this close, by their logarithm, count as one: a test needs them no finer. */
const WIDTH = 0.01

/**
 * Lays the blocks of both runs out over one list of values.
 *
 * @param factor - times and failures of the later run are divided by it
 */
function layOut(before: readonly Block[], after: readonly Block[], factor = 1): Laid {
  const binned = (blocks: readonly Block[], divisor: number) =>
    blocks.map(({ requests, failed, times }) => {
      const bins = new Map<number, number>()
      for (const [valueUs, count] of times.values()) {
        const bin = Math.round(Math.log(Math.max(1, valueUs) / divisor) / WIDTH)
        bins.set(bin, (bins.get(bin) ?? 0) + count)
      }
      return { requests, failed: failed / divisor, bins }
    })
  const [first, second] = [binned(before, 1), binned(after, factor)]
  const all = new Set([...first, ...second].flatMap(({ bins }) => [...bins.keys()]))
  const ascending = Float64Array.from(all).sort()
  const placeOf = new Map(Array.from(ascending, (bin, place) => [bin, place]))
  const valuesMs = ascending.map((bin) => Math.exp(bin * WIDTH) / 1000)
  const laid = ({ requests, failed, bins }: (typeof first)[number]): Sparse => {
    const places = Uint32Array.from(bins.keys(), (bin) => placeOf.get(bin) ?? 0)
    const counts = Float64Array.from(bins.values())
    const timed = counts.reduce((sum, count) => sum + count, 0)
    const sumMs = counts.reduce((sum, count, index) => sum + count * (valuesMs[places[index] ?? 0] ?? 0), 0)
    return { requests, failed, timed, sumMs, places, counts }
  }
  return { valuesMs, before: first.map(laid), after: second.map(laid) }
}

const emptyPool = (size: number): Pooled => ({
  ...{ requests: 0, failed: 0, timed: 0, sumMs: 0 },
  counts: new Float64Array(size),
})

/** Adds up the first so many blocks of a list in a pool. */
function poolInto(pool: Pooled, blocks: readonly Sparse[], many = blocks.length): Pooled {
  pool.requests = pool.failed = pool.timed = pool.sumMs = 0
  const pooled = pool.counts.fill(0)
  for (let number = 0; number < many; number++) {
    const block = blocks[number]
    if (block === undefined) continue
    pool.requests += block.requests
    pool.failed += block.failed
    pool.timed += block.timed
    pool.sumMs += block.sumMs
    const { places, counts } = block
    for (let index = 0; index < places.length; index++) {
      const place = places[index] ?? 0
      pooled[place] = (pooled[place] ?? 0) + (counts[index] ?? 0)
    }
  }
  return pool
}

/** Times that the blocks of both runs are dealt out anew. */
const DEALS = 2000
/** Deals that part the runs as far; after so many the p-value is known well enough. */
const ENOUGH = 20
const RESAMPLES = 200

export interface Shift {
  /** 95 %, of after less before. */
  interval: [number, number]
  /** Two-sided, of the hypothesis that the figures differ by no more than the smallest difference. */
  p: number
}

/**
 * Tests whether figures of two runs differ by more than a share of the earlier one. Neighbouring requests depend on one
 * another (a queue has a memory), so blocks of seconds are what is dealt out, never single requests: if the later run
 * differs by just that share, dividing it out makes the blocks of both exchangeable.
 *
 * Sources: permutation test, E. J. G. Pitman, "Significance tests which may be applied to samples from any
 * populations", 1937, with the p-value (k + 1) / (n + 1) of B. Phipson and G. K. Smyth, 2010; interval by the
 * percentile bootstrap over blocks, H. R. Künsch, "The jackknife and the bootstrap for general stationary
 * observations", 1989.
 *
 * @param smallest - differences up to this share of the earlier figure do not matter
 */
export function shiftsOf(
  before: readonly Block[],
  after: readonly Block[],
  figures: readonly FigureOf[],
  smallest: number,
  draws: Draws,
): Shift[] {
  const [ofTimes, ofFailures] = [memoryOf([before, after]), memoryOf([before, after], failedShareOf)]
  const memory = figures.map((figure) => (figure === failedFigure ? ofFailures : ofTimes).factor)
  const worse = deal(layOut(before, after, 1 + smallest), figures, 'above', draws, memory)
  const better = deal(layOut(before, after, 1 - smallest), figures, 'below', draws, memory)
  const intervals = resample(layOut(before, after), figures, draws, memory)
  return figures.map((_, index) => ({
    interval: intervals[index] ?? [NaN, NaN],
    p: Math.min(1, 2 * Math.min(worse[index] ?? 1, better[index] ?? 1)),
  }))
}

/** How far blocks of one run still depend on one another. */
export interface Memory {
  /** Of a block with the next; 0 where chance alone makes as much. */
  correlation: number
  /** Differences of means are wider by this factor than those of blocks that are dealt out by chance. */
  factor: number
}

/**
 * The memory of the service beyond a block, by what neighbouring blocks of both runs have in common, where that is more
 * than chance makes in one of ten, and what it does to the error of a mean.
 *
 * Source: M. S. Bartlett, "On the theoretical specification of sampling properties of autocorrelated time series",
 * 1946, for the variance of a mean under a first-order autoregression.
 */
export function memoryOf(
  runs: readonly (readonly Block[])[],
  levelOf: (block: Block) => number | undefined = slownessOf,
): Memory {
  let [products, squares, count] = [0, 0, 0]
  for (const blocks of runs) {
    const levels = blocks.flatMap((block) => levelOf(block) ?? [])
    const mean = levels.reduce((sum, level) => sum + level, 0) / Math.max(1, levels.length)
    for (const [index, level] of levels.entries()) {
      squares += (level - mean) ** 2
      if (index > 0) products += (level - mean) * ((levels[index - 1] ?? mean) - mean)
    }
    count += levels.length
  }
  // Levels that never change differ by rounding alone.
  const found = squares < 1e-12 ? 0 : products / squares
  const correlation = found * Math.sqrt(count) < BY_CHANCE ? 0 : Math.min(MOST_CORRELATION, found)
  return { correlation, factor: Math.sqrt((1 + correlation) / (1 - correlation)) }
}
const slownessOf = ({ times }: Block): number | undefined =>
  times.count === 0 ? undefined : Math.log(Math.max(1, times.mean))
const failedShareOf = ({ requests, failed }: Block): number | undefined =>
  requests === 0 ? undefined : failed / requests

/** In standard errors of a correlation of independent values. */
const BY_CHANCE = 1.28
const MOST_CORRELATION = 0.95

/**
 * One-sided p-values: how often a deal of all blocks parts the figures at least as far as they stand apart. What is far
 * from significant is left after so many deals that did (J. Besag and P. Clifford, "Sequential Monte Carlo p-values",
 * 1991).
 */
function deal(
  laid: Laid,
  figures: readonly FigureOf[],
  way: 'above' | 'below',
  draws: Draws,
  memory: readonly number[],
): number[] {
  const { valuesMs, before, after } = laid
  const blocks = [...before, ...after]
  const size = valuesMs.length
  const [all, first, second] = [poolInto(emptyPool(size), blocks), emptyPool(size), emptyPool(size)]
  const sign = way === 'above' ? 1 : -1
  const apart = (later: readonly Sparse[]) => {
    poolInto(second, later, after.length)
    subtractInto(first, all, second)
    return figures.map((figure) => sign * (figure(second, valuesMs) - figure(first, valuesMs)))
  }
  const seen = apart(after)
  const reached = figures.map(() => 0)
  const pValues = new Map<number, number>()
  for (let number = 1; number <= DEALS && pValues.size < figures.length; number++) {
    shuffle(blocks, after.length, draws)
    for (const [index, distance] of apart(blocks).entries()) {
      // Rounding must not make a deal that gives the same differ from it.
      if (pValues.has(index) || distance < (seen[index] ?? 0) / (memory[index] ?? 1) - 1e-12) continue
      const count = (reached[index] ?? 0) + 1
      reached[index] = count
      if (count >= ENOUGH) pValues.set(index, count / number)
    }
  }
  return reached.map((count, index) => pValues.get(index) ?? (count + 1) / (DEALS + 1))
}

/** Puts blocks by chance in the first so many places. */
function shuffle(blocks: Sparse[], places: number, draws: Draws): void {
  for (let index = 0; index < places; index++) {
    const other = index + Math.floor(draws.next() * (blocks.length - index))
    const [one, two] = [blocks[index], blocks[other]]
    if (one === undefined || two === undefined) continue
    blocks[index] = two
    blocks[other] = one
  }
}

function subtractInto(pool: Pooled, all: Pooled, part: Pooled): void {
  pool.requests = all.requests - part.requests
  pool.failed = all.failed - part.failed
  pool.timed = all.timed - part.timed
  pool.sumMs = all.sumMs - part.sumMs
  const { counts } = pool
  for (let index = 0; index < counts.length; index++)
    counts[index] = (all.counts[index] ?? 0) - (part.counts[index] ?? 0)
}

/** 95 % intervals of the differences. */
function resample(
  { valuesMs, before, after }: Laid,
  figures: readonly FigureOf[],
  draws: Draws,
  memory: readonly number[],
): [number, number][] {
  const [first, second] = [emptyPool(valuesMs.length), emptyPool(valuesMs.length)]
  const differencesOf = (one: readonly Sparse[], other: readonly Sparse[]) => {
    poolInto(first, one)
    poolInto(second, other)
    return figures.map((figure) => figure(second, valuesMs) - figure(first, valuesMs))
  }
  const seen = differencesOf(before, after)
  const drawn = (blocks: readonly Sparse[]) =>
    blocks.flatMap(() => blocks[Math.floor(draws.next() * blocks.length)] ?? [])
  const differences = figures.map(() => new Float64Array(RESAMPLES))
  for (let number = 0; number < RESAMPLES; number++) {
    for (const [index, difference] of differencesOf(drawn(before), drawn(after)).entries()) {
      const list = differences[index]
      if (list !== undefined) list[number] = difference
    }
  }
  return differences.map((list, index) => {
    const middle = seen[index] ?? 0
    const sorted = list.filter((value) => !Number.isNaN(value)).sort()
    const at = (share: number) => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? NaN
    const wider = memory[index] ?? 1
    return [middle + wider * (at(0.025) - middle), middle + wider * (at(0.975) - middle)]
  })
}
