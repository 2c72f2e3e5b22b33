import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  arrivalCounts,
  Draws,
  JourneyMix,
  previewOf,
  TrackArrivals,
  tracksIn,
  waitMs,
  type Phase,
} from '../src/index.js'
import { planText, read } from './reading.js'

const common = {
  measured: true,
  track: null,
  ladder: null,
  spacing: 'even' as const,
  cap: undefined,
  at: { file: 'x', line: 1, column: 1 },
}
const constant = (rate: number, seconds: number): Phase => ({ ...common, name: 'c', kind: 'constant', rate, seconds })
const ramp = (from: number, to: number, seconds: number): Phase => ({
  ...common,
  name: 'r',
  kind: 'ramp',
  from,
  to,
  seconds,
})
const batch = (starts: number, seconds: number): Phase => ({ ...common, name: 'b', kind: 'batch', starts, seconds })
const countsOf = (phases: Phase[]) => arrivalCounts(phases, new Draws(1))
const arrivalsIn = (phases: Phase[]) =>
  tracksIn(phases).flatMap((track) => {
    const arrivals = new TrackArrivals(track, new Draws(1))
    const all: { phase: number; dueMs: number }[] = []
    while (arrivals.advance()) all.push({ phase: arrivals.phase, dueMs: arrivals.dueMs })
    return all
  })
const rest = (seconds: number): Phase => ({ ...common, name: 'rest', kind: 'rest', seconds })

describe('arrivals with even spacing', () => {
  // By hand: 1 × 10 = 10; 0; (1 + 15) / 2 × 10 = 80; 15.
  it('are 10, 0, 80 and 15 for a constant, a rest, a ramp and a batch', () => {
    const phases = [constant(1, 10), rest(1), ramp(1, 15, 10), batch(15, 10)]

    const arrivals = [...arrivalsIn(phases)]

    expect(phases.map((_, phase) => arrivals.filter((arrival) => arrival.phase === phase).length)).toEqual([
      10, 0, 80, 15,
    ])
    expect(countsOf(phases)).toEqual([10, 0, 80, 15])
  })

  // By hand: the integral of a constant 1/s passes n + ½ at n + ½ seconds.
  it('of a constant 1/s come at half past each second', () => {
    expect([...arrivalsIn([constant(1, 3)])].map((arrival) => arrival.dueMs)).toEqual([500, 1500, 2500])
  })

  // By hand: 0/s to 2/s over 2 s has the integral t² / 2, which passes ½ at t = 1 and 1½ at t = √3.
  it('of a ramp from 0/s to 2/s over 2 s come at 1 s and √3 s', () => {
    const [first, second, ...others] = [...arrivalsIn([ramp(0, 2, 2)])].map((arrival) => arrival.dueMs)

    expect(first).toBeCloseTo(1000, 6)
    expect(second).toBeCloseTo(1000 * Math.sqrt(3), 6)
    expect(others).toEqual([])
  })

  it('carry what is left over into the next phase', () => {
    expect(countsOf([constant(0.25, 1), constant(0.25, 1), constant(0.25, 1)])).toEqual([0, 1, 0])
  })

  it('on a border belong to the earlier phase, once', () => {
    expect(countsOf([constant(0.5, 1), constant(0.5, 1)])).toEqual([1, 0])
    expect([...arrivalsIn([constant(0.5, 1), constant(0.5, 1)])]).toEqual([{ phase: 0, dueMs: 1000 }])
  })

  it('are as many as counted, in order, and within their phases, whatever the load', () => {
    const seconds = fc.integer({ min: 1, max: 40 })
    const rate = fc.integer({ min: 0, max: 60 }).map((tenths) => tenths / 4)
    const phase = fc.oneof(
      fc.tuple(rate, seconds).map(([r, s]) => constant(r, s)),
      fc.tuple(rate, rate, seconds).map(([a, b, s]) => ramp(a, b, s)),
      fc.tuple(fc.integer({ min: 0, max: 100 }), seconds).map(([n, s]) => batch(n, s)),
      seconds.map(rest),
    )

    fc.assert(
      fc.property(fc.array(phase, { minLength: 1, maxLength: 6 }), (phases) => {
        const arrivals = [...arrivalsIn(phases)]
        const ends = phases.map(
          (_, index) => 1000 * phases.slice(0, index + 1).reduce((sum, one) => sum + one.seconds, 0),
        )
        expect(phases.map((_, index) => arrivals.filter((arrival) => arrival.phase === index).length)).toEqual(
          countsOf(phases),
        )
        expect(arrivals.every((arrival, index) => arrival.dueMs >= (arrivals[index - 1]?.dueMs ?? 0))).toBe(true)
        expect(arrivals.every((arrival) => arrival.dueMs <= (ends[arrival.phase] ?? 0) + 1e-6)).toBe(true)
        phases.forEach((one, index) => {
          if (one.kind === 'batch') expect(countsOf(phases)[index]).toBe(one.starts)
        })
      }),
      { seed: 11 },
    )
  })
})

describe('a mix of journeys', () => {
  it('gives each its exact weight to within one arrival at any time', () => {
    const weights = fc
      .array(fc.integer({ min: 0, max: 30 }), { minLength: 1, maxLength: 8 })
      .filter((list) => list.some((weight) => weight > 0))

    fc.assert(
      fc.property(weights, (list) => {
        const mix = new JourneyMix(list)
        const total = list.reduce((sum, weight) => sum + weight, 0)
        const counts = list.map(() => 0)
        for (let n = 1; n <= 300; n++) {
          const chosen = mix.next()
          counts[chosen] = (counts[chosen] ?? 0) + 1
          counts.forEach((count, index) => expect(Math.abs(count - (n * (list[index] ?? 0)) / total)).toBeLessThan(1))
        }
      }),
      { numRuns: 60, seed: 13 },
    )
  })
})

describe('draws', () => {
  it('depend on where they stand, not on what was drawn before', () => {
    const draws = new Draws(20260601)
    const first = draws.at(7, 0, 3).next()
    draws.at(8, 1, 4).next()

    expect(draws.at(7, 0, 3).next()).toBe(first)
    expect(new Draws(20260602).at(7, 0, 3).next()).not.toBe(first)
  })

  // Common practice, no source: a uniform draw has mean 1/2 and variance 1/12; neighbours are not correlated.
  it('are uniform over users and places', () => {
    const draws = new Draws(1)
    const values = Array.from({ length: 20_000 }, (_, user) => draws.at(user, 0, user % 5).next())
    const mean = values.reduce((sum, value) => sum + value, 0) / values.length
    const variance = values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / values.length
    const correlation =
      values.slice(1).reduce((sum, value, index) => sum + (value - mean) * ((values[index] ?? 0) - mean), 0) /
      values.length /
      variance

    expect(mean).toBeCloseTo(0.5, 1.8)
    expect(variance).toBeCloseTo(1 / 12, 2)
    expect(Math.abs(correlation)).toBeLessThan(0.03)
  })

  it('make waits within their range', () => {
    const draws = new Draws(5)
    for (let user = 0; user < 100; user++) {
      const wait = waitMs({ kind: 'between', fromMs: 1000, toMs: 3000 }, draws.at(user, 0, 1))
      expect(wait).toBeGreaterThanOrEqual(1000)
      expect(wait).toBeLessThan(3000)
    }
  })
})

describe('a preview', () => {
  it('tells totals, peaks and gates that would get too few samples', () => {
    const { plan } = read(
      planText({
        load: '  - { phase: climb, rate: 0/s to 4/s, for: 10s }\n  - { phase: peak, rate: 4/s, for: 5s }',
        gates: '  - p99 response time during peak under 1s\n  - p50 response time under 1s',
      }),
    )

    const preview = previewOf(plan)

    expect(preview).toMatchObject({
      seconds: 15,
      arrivals: 40,
      requests: 40,
      peakRate: 4,
      phases: [{ arrivals: 20 }, { arrivals: 20 }],
    })
    expect(preview.warnings).toEqual([
      { line: 13, message: 'p99 needs 299 samples, and this load makes about 20: the gate would be unmeasured' },
    ])
  })

  it('tells that nothing would be measured', () => {
    const { plan } = read(planText({ load: '  - { phase: peak, rate: 100/h, for: 10s }' }))

    expect(previewOf(plan).warnings.map(({ message }) => message)).toContain(
      'no arrival is due in a measured phase: the run would be void',
    )
  })
})
