// Tests and intervals, held against published examples and a library.
import fc from 'fast-check'
import jstat from 'jstat'
import { describe, expect, it } from 'vitest'
import { holm, rankInterval } from '../src/index.js'

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
