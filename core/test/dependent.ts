// Series of response times that depend on their neighbours, with the law that they truly follow.
import { Distribution, normalQuantile, type BatchedValues, type Draws } from '../src/index.js'
import type { Block } from '../src/compare/blocks.js'

export interface Dependent {
  name: string
  /** So many times in ms, in the order of their requests. */
  times: (draws: Draws, count: number) => number[]
  /** The true percentile, in ms. */
  truth: (percent: number) => number
  /** The true mean, in ms. */
  mean: number
}

const exponentialQuantile = (mean: number) => (percent: number) => -mean * Math.log(1 - percent / 100)

export const independent = (mean = 100): Dependent => ({
  name: 'independent',
  times: (draws, count) => Array.from({ length: count }, () => mean * draws.nextExponential()),
  truth: exponentialQuantile(mean),
  mean,
})

/** Log-normal times of which the logarithms follow an autoregression of order one. */
export const autoregressive = (correlation: number, median = 100): Dependent => ({
  name: `autocorrelation ${String(correlation)}`,
  times: (draws, count) => {
    const fresh = Math.sqrt(1 - correlation ** 2)
    let x = draws.nextNormal()
    return Array.from({ length: count }, () => {
      x = correlation * x + fresh * draws.nextNormal()
      return median * Math.exp(x)
    })
  },
  truth: (percent) =>
    median * Math.exp(percent < 50 ? -normalQuantile(1 - percent / 100) : normalQuantile(percent / 100)),
  mean: median * Math.exp(0.5),
})

/**
 * Times in an M/M/1 queue, waiting included: exponential with mean s/(1 − ρ) (L. Kleinrock, "Queueing Systems", volume
 * 1, 1975), by D. V. Lindley's recursion of 1952, begun as it is in the long run.
 */
export const queue = (utilisation: number, serviceMs = 20): Dependent => {
  const mean = serviceMs / (1 - utilisation)
  return {
    name: `M/M/1 at ${String(utilisation)}`,
    times: (draws, count) => {
      let waits = draws.next() < 1 - utilisation ? 0 : mean * draws.nextExponential()
      return Array.from({ length: count }, () => {
        const time = waits + serviceMs * draws.nextExponential()
        waits = Math.max(0, time - (serviceMs / utilisation) * draws.nextExponential())
        return time
      })
    },
    truth: exponentialQuantile(mean),
    mean,
  }
}

/** The times as they would be counted, so many of them in each second. */
export function inSeconds(times: readonly number[], perSecond: number): Distribution[] {
  return Array.from({ length: Math.ceil(times.length / perSecond) }, (_, second) => {
    const counted = new Distribution()
    for (const ms of times.slice(second * perSecond, (second + 1) * perSecond)) counted.record(1000 * ms)
    return counted.compact()
  })
}

/** Seconds as an interval is read from them; values in µs. */
export function valuesOf(seconds: readonly Distribution[]): BatchedValues {
  const all = new Distribution()
  for (const one of seconds) all.add(one)
  return {
    counts: seconds.map(({ count }) => count),
    countsOver: (value) => seconds.map((one) => one.count - one.countUpTo(value)),
    valueAtRank: (rank) => all.valueAtRank(rank),
  }
}

/** A service whose level wanders with a memory of so many seconds, in the fifteen blocks of a run. */
export function wandering(draws: Draws, memorySeconds: number, seconds = 120, factor = 1): Block[] {
  const kept = Math.exp(-1 / memorySeconds)
  let level = draws.nextNormal()
  return Array.from({ length: 15 }, () => {
    const times = new Distribution()
    for (let second = 0; second < seconds / 15; second++) {
      level = kept * level + Math.sqrt(1 - kept ** 2) * draws.nextNormal()
      for (let request = 0; request < 10; request++)
        times.record(100_000 * factor * Math.exp(0.4 * level + 0.4 * draws.nextNormal()))
    }
    return { requests: times.count, failed: 0, times }
  })
}
