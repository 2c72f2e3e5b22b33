// How sure figures are where neighbours depend on one another: believed by simulated error rates.
import jstat from 'jstat'
import { describe, expect, it } from 'vitest'
import { Draws, meanInterval, percentileInterval, shareInterval, studentQuantile, wilson } from '../src/index.js'
import { meanSizes, percentileSizes, shareSizes } from '../src/numbers/sample-sizes.js'
import { autoregressive, independent, inSeconds, queue, valuesOf, type Dependent } from './dependent.js'
import { exponential, HEALTHY, simulate } from './simulated.js'

const ROUNDS = 150
const drawsOf = (round: number) => new Draws(round + 1).at(1, 2, 3)
/** How often something is so, over all rounds. */
const shareOf = (rounds: number, isSo: (round: number) => boolean) =>
  Array.from({ length: rounds }, (_, round) => round).filter(isSo).length / rounds

describe('the interval of a percentile', () => {
  const holds = (series: Dependent, count: number, perSecond: number, percent: number) => (round: number) => {
    const seconds = inSeconds(series.times(drawsOf(round), count), perSecond)
    const { low, high } = percentileInterval(valuesOf(seconds), percent, 0.025)
    const truth = 1000 * series.truth(percent)
    return (low ?? 0) <= truth && truth <= (high ?? Infinity)
  }

  it.each([independent(), autoregressive(0.9), queue(0.5), queue(0.8)])(
    'of 95 % holds the true p95 in at least nine of ten runs: $name',
    (series) => {
      expect(shareOf(ROUNDS, holds(series, 10_000, 100, 95))).toBeGreaterThanOrEqual(0.9)
    },
  )

  it('has an open end where the samples are too few', () => {
    const few = inSeconds(independent().times(drawsOf(1), 30), 1)

    expect(percentileInterval(valuesOf(few), 95, 0.025)).toMatchObject({
      low: expect.any(Number) as number,
      high: null,
    })
  })

  it('says how many independent samples tell as much: nearly all, or few of those in a queue', () => {
    const effective = (series: Dependent) =>
      percentileInterval(valuesOf(inSeconds(series.times(drawsOf(7), 10_000), 100)), 95, 0.025).effectiveSamples

    expect(effective(independent())).toBeGreaterThan(5000)
    expect(effective(queue(0.8))).toBeLessThan(1000)
  })

  it('doubts itself where seconds are too few, or still depend on one another', () => {
    const doubt = (series: Dependent, count: number) =>
      percentileInterval(valuesOf(inSeconds(series.times(drawsOf(3), count), 100)), 50, 0.025).doubt
    const creeping: Dependent = { ...independent(), times: (_, count) => Array.from({ length: count }, (_, at) => at) }

    expect([doubt(independent(), 900), doubt(independent(), 6000)]).toEqual(['few batches', undefined])
    expect(doubt(creeping, 6000)).toBe('correlated')
  })

  it('passes a p95 that is truly a fifth over its limit, with the least samples, in one run of twenty at most', () => {
    const series = independent()
    const limit = (1000 * series.truth(95)) / 1.2
    const passes = (round: number) => {
      const { high } = percentileInterval(valuesOf(inSeconds(series.times(drawsOf(round), 59), 1)), 95, 0.05)
      return high !== null && high < limit
    }

    expect(shareOf(400, passes)).toBeLessThanOrEqual(0.05)
  })
})

describe('the interval of a mean', () => {
  it.each([independent(), autoregressive(0.9), queue(0.5)])(
    'of 95 % holds in at least nine of ten: $name',
    (series) => {
      const holds = (round: number) => {
        const seconds = inSeconds(series.times(drawsOf(round), 10_000), 100)
        const { low, high } = meanInterval(
          seconds.map((one) => ({ part: one.sum, all: one.count })),
          0.025,
        )
        return low !== null && high !== null && low <= 1000 * series.mean && 1000 * series.mean <= high
      }

      expect(shareOf(ROUNDS, holds)).toBeGreaterThanOrEqual(0.9)
    },
  )
})

describe('the interval of a share', () => {
  // R. G. Newcombe, "Two-sided confidence intervals for the single proportion", 1998, table I, method 3 (Wilson without
  // correction), from memory.
  it.each([
    [81, 263, 0.2553, 0.3662],
    [15, 148, 0.0624, 0.1605],
    [0, 20, 0, 0.1611],
    [1, 29, 0.0061, 0.1718],
  ])('of %i in %i is Wilson’s', (part, all, low, high) => {
    const interval = wilson(part / all, all, 1.959964)

    expect(interval.low).toBeCloseTo(low, 4)
    expect(interval.high).toBeCloseTo(high, 4)
  })

  it('passes a true 1.2 % by a limit of 1 %, with a hundred samples, in one run of twenty at most', () => {
    const passes = (round: number) => {
      const draws = drawsOf(round)
      const seconds = Array.from({ length: 50 }, () => ({ part: failures(draws, 2, 0.012), all: 2 }))
      return (shareInterval(seconds, 0.05).high ?? 1) < 0.01
    }

    expect(shareOf(400, passes)).toBeLessThanOrEqual(0.05)
  })

  it('holds where failures come in bursts', () => {
    // A second is a bad one with one chance in fifty; half of its requests fail.
    const holds = (round: number) => {
      const draws = drawsOf(round)
      const seconds = Array.from({ length: 600 }, () => ({
        part: draws.next() < 0.02 ? failures(draws, 20, 0.5) : 0,
        all: 20,
      }))
      const { low, high } = shareInterval(seconds, 0.025)
      return (low ?? 0) <= 0.01 && 0.01 <= (high ?? 1)
    }

    expect(shareOf(400, holds)).toBeGreaterThanOrEqual(0.9)
  })

  const failures = (draws: Draws, requests: number, share: number) =>
    Array.from({ length: requests }, () => draws.next()).filter((one) => one < share).length
})

it('Student’s t has the quantiles of the library', () => {
  for (const freedom of [9, 13, 19, 31])
    for (const p of [0.95, 0.975, 0.995])
      expect(studentQuantile(p, freedom)).toBeCloseTo(jstat.studentt.inv(p, freedom), 2)
})

describe('as many samples as strict is said to need', () => {
  it('leave a p95 that is a fifth under its limit out of doubt in 95 of 100 runs', () => {
    const series = independent()
    const limit = (1000 * series.truth(95)) / 0.8
    const count = percentileSizes(95).strict
    const isSure = (round: number) => {
      const seconds = inSeconds(series.times(drawsOf(round), count), Math.ceil(count / 60))
      return (percentileInterval(valuesOf(seconds), 95, 0.05).high ?? Infinity) < limit
    }

    expect(shareOf(400, isSure)).toBeGreaterThanOrEqual(0.95)
  })

  it('do so for a mean, and for a share of which nothing fails', () => {
    const series = independent()
    const count = meanSizes().strict
    const isSure = (round: number) => {
      const seconds = inSeconds(series.times(drawsOf(round), count), Math.ceil(count / 60))
      const { high } = meanInterval(
        seconds.map((one) => ({ part: one.sum, all: one.count })),
        0.05,
      )
      return (high ?? Infinity) < (1000 * series.mean) / 0.8
    }
    const all = shareSizes(0.01).strict
    const seconds = Array.from({ length: 10 }, () => ({ part: 0, all: Math.ceil(all / 10) }))

    expect(shareOf(400, isSure)).toBeGreaterThanOrEqual(0.95)
    expect(shareInterval(seconds, 0.05).high).toBeLessThan(0.01)
  })
})

describe('a gate', () => {
  const gateOf = (load: string, gates: string, service = HEALTHY) => simulate(load, service, 5, gates).view.gates()[0]
  const calm = '  - { phase: hold, rate: 40/s, for: 60s }'

  it('has a one-sided interval on the side of its limit, and counts as many samples as are worth something', () => {
    const held = gateOf(calm, '  - p95 response time under 900ms')
    const breached = gateOf(calm, '  - p95 response time under 20ms')

    expect(held).toMatchObject({ status: 'held', borderline: false, interval: [null, expect.any(Number)] })
    expect(breached).toMatchObject({ status: 'breached', borderline: false, interval: [expect.any(Number), null] })
    expect(held?.effectiveSamples).toBeLessThanOrEqual(held?.samples ?? 0)
  })

  it('is borderline where the interval reaches its limit, and says why where seconds are too few', () => {
    const observed = gateOf(calm, '  - p95 response time under 900ms')?.observed ?? 0
    const near = gateOf(calm, `  - p95 response time under ${String(Math.ceil(observed) + 1)}ms`)
    const short = gateOf('  - { phase: hold, rate: 100/s, for: 3s }', '  - p95 response time under 900ms')
    const clear = gateOf('  - { phase: hold, rate: 100/s, for: 8s }', '  - p95 response time under 900ms')

    expect(near).toMatchObject({ status: 'held', borderline: true })
    // Eight seconds of which each by itself is far on the right side leave no doubt.
    expect(clear?.borderline).toBe(false)
    expect(short).toMatchObject({ borderline: true, reason: expect.stringContaining('under 10 seconds') as string })
  })

  it('on a count or a limit of nothing has none', () => {
    expect(gateOf(calm, '  - failed requests at most 5')?.interval).toBeNull()
    expect(gateOf(calm, '  - failed requests at most 0 %')?.interval).toBeNull()
    expect(gateOf(calm, '  - failed requests at most 1 %')?.interval).toEqual([null, expect.any(Number)])
  })

  it('is out of doubt where the load grows and every stretch by itself is far under the limit', () => {
    const ramp = '  - { phase: grow, rate: 10/s to 300/s, for: 60s }'
    const slower = { ...HEALTHY, workMs: (atMs: number, draws: Draws) => exponential(20 + atMs / 2000)(atMs, draws) }

    expect(gateOf(ramp, '  - p95 response time under 2s', slower)).toMatchObject({ status: 'held', borderline: false })
  })
})
