// Tests and intervals, held against published examples and a library.
import fc from 'fast-check'
import jstat from 'jstat'
import { wilcoxonRankSum } from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import { differenceOf, holm, mannWhitney, normalCdf, rankInterval, twoProportions, wilson } from '../src/index.js'

const tallyOf = (values: number[]): [number, number][] => values.map((value) => [value, 1])

describe('the normal distribution', () => {
  it('is that of a library', () => {
    for (let z = -5; z <= 5; z += 0.25) expect(normalCdf(z)).toBeCloseTo(jstat.normal.cdf(z, 0, 1), 6)
  })
})

describe('the Mann–Whitney test', () => {
  // M. Hollander and D. A. Wolfe, Nonparametric Statistical Methods, 1973, table 4.1: permeability constants of the
  // human chorioamnion at term and at 12 to 26 weeks. W (at term less 12 to 26 weeks) is 35. Data and W from memory.
  it('agrees with the example of Hollander and Wolfe', () => {
    const term = [0.8, 0.83, 1.89, 1.04, 1.45, 1.38, 1.91, 1.64, 0.73, 1.46]
    const early = [1.15, 0.88, 0.9, 0.74, 1.21]

    expect(mannWhitney(tallyOf(early), tallyOf(term)).u).toBe(35)
  })

  it('has the rank sum of a library, for samples without ties', () => {
    const sample = fc.uniqueArray(fc.integer({ min: 0, max: 1e6 }), { minLength: 2, maxLength: 40 })
    fc.assert(
      fc.property(sample, fc.integer({ min: 1, max: 39 }), (values, cut) => {
        const [first, second] = [
          values.slice(0, Math.min(cut, values.length - 1)),
          values.slice(Math.min(cut, values.length - 1)),
        ]
        const { u } = mannWhitney(tallyOf(first), tallyOf(second))
        expect(u + (second.length * (second.length + 1)) / 2).toBe(wilcoxonRankSum(second, first))
      }),
    )
  })

  it('turns its sign with its samples, and finds nothing between equal ones', () => {
    const [low, high] = [tallyOf([1, 2, 2, 3, 5]), tallyOf([4, 5, 6, 6, 7, 9])]

    expect(mannWhitney(low, high).z).toBeCloseTo(-mannWhitney(high, low).z, 10)
    expect(mannWhitney(low, low)).toMatchObject({ z: 0, p: expect.closeTo(1, 6) as number })
  })
})

describe('shares', () => {
  // R. G. Newcombe, "Interval estimation for the difference between independent proportions", 1998, table II, column
  // (a): 56/70 − 48/80 has 0.0524 to 0.3339 by method 10. From memory.
  it('have the intervals that Newcombe printed', () => {
    const estimate = (part: number, all: number) => {
      const [low, high] = wilson(part, all)
      return { value: part / all, low, high }
    }
    const { value, low, high } = differenceOf(estimate(48, 80), estimate(56, 70))

    expect(value).toBeCloseTo(0.2, 10)
    expect(low).toBeCloseTo(0.0524, 4)
    expect(high).toBeCloseTo(0.3339, 4)
  })

  it('differ by the chi-square test of a two by two table', () => {
    const { z, p } = twoProportions(48, 80, 56, 70)
    // By hand: the chi-square of the table 48, 32, 56, 14 is 150 (48·14 − 32·56)² / (80·70·104·46).
    const chiSquare = (150 * (48 * 14 - 32 * 56) ** 2) / (80 * 70 * 104 * 46)

    expect(z * z).toBeCloseTo(chiSquare, 8)
    expect(p).toBeCloseTo(1 - jstat.chisquare.cdf(chiSquare, 1), 6)
  })
})

describe('several comparisons', () => {
  // By hand after S. Holm 1979: sorted 0.01, 0.02, 0.03, 0.04 times 4, 3, 2, 1, never falling.
  it('are corrected by Holm’s steps', () => {
    const corrected = holm([0.04, 0.01, 0.03, 0.02])

    for (const [index, expected] of [0.06, 0.04, 0.06, 0.06].entries())
      expect(corrected[index]).toBeCloseTo(expected, 10)
  })

  it('never become more significant, and never by another order', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { maxLength: 20 }), (pValues) => {
        for (const [index, p] of holm(pValues).entries()) expect(p).toBeGreaterThanOrEqual(pValues[index] ?? 0)
      }),
    )
  })
})

describe('the interval of a percentile', () => {
  // The binomial law itself, by a library: at most 2.5 % of probability is left beyond each end.
  it.each([
    [50, 20],
    [90, 100],
    [95, 200],
    [99, 1000],
  ])('of p%i with %i samples holds by the binomial law', (percent, count) => {
    const { low, high } = rankInterval(count, percent)
    const p = percent / 100

    expect(jstat.binomial.cdf((low ?? 1) - 1, count, p)).toBeLessThanOrEqual(0.025 + 1e-9)
    expect(jstat.binomial.cdf(low ?? 1, count, p)).toBeGreaterThan(0.025)
    if (high !== null) expect(jstat.binomial.cdf(high - 1, count, p)).toBeGreaterThanOrEqual(0.975 - 1e-9)
  })
})
