// Statistics of findings, held against a general statistics package. The values were computed with R 4.2.2 (packages
// stats, diptest 0.76, segmented 1.6); the data sets are published.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { autocorrelation, breakpointOf, changePointOf, dipOf, Draws, normalTail, trendOf } from '../src/index.js'
import { NILE } from './nile.js'

describe('the normal law', () => {
  // R: pnorm(z, lower.tail = FALSE).
  it.each([
    [0.5, 0.308537538725987],
    [1.96, 0.0249978951482204],
    [3, 0.00134989803163009],
    [5, 2.86651571879194e-7],
    [8, 6.22096057427178e-16],
  ])('leaves beyond %f what tables say', (z, tail) => {
    expect(normalTail(z) / tail).toBeCloseTo(1, 10)
  })
})

describe('a trend', () => {
  it('has Kendall’s S and Sen’s slope, and is surer than chance', () => {
    const { s, slope, z, p } = trendOf(NILE)

    expect(s).toBe(-1387)
    expect(slope).toBe(-2.6)
    // R: cor.test(method = "kendall", continuity = TRUE) has z = -4.1281, as if the years were independent.
    expect(z).toBeGreaterThan(-4.1281)
    expect(p).toBeLessThan(0.01)
  })

  // R: cor.test(1:n, x, method = "kendall", exact = FALSE, continuity = TRUE); of a series without autocorrelation.
  it('has the z of Kendall’s test where values do not depend on one another', () => {
    const x = [
      2.287, -1.197, -0.694, -0.412, -0.971, -0.947, 0.748, -0.117, 0.153, 2.19, 0.357, 2.717, 2.281, 0.324, 1.896,
      0.468, -0.894, -0.307, -0.005, 0.988,
    ]

    expect(trendOf(x).z).toBeCloseTo(1.26532708, 6)
    expect(trendOf(x).p).toBeCloseTo(0.2057541, 6)
  })

  it('turns with the series, and cares for order alone', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 5, maxLength: 40 }), (values) => {
        const back = trendOf(values.toReversed())
        expect(back.s).toBe(-trendOf(values).s || 0)
        expect(trendOf(values.map((value) => value ** 3)).s).toBe(trendOf(values).s)
      }),
      { numRuns: 50 },
    )
  })

  // A false alarm in twenty is what a level of 5 % means; an autoregressive series must not have many more.
  it('is seldom seen in a series that depends on its past and goes nowhere', () => {
    const draws = new Draws(5).at(0, 0, 0)
    const alarms = Array.from({ length: 200 }, () => {
      let last = 0
      const series = Array.from({ length: 100 }, () => (last = 0.5 * last + draws.nextNormal()))
      return trendOf(series).p < 0.05
    }).filter(Boolean).length

    expect(alarms).toBeLessThan(30)
  })
})

describe('a change point', () => {
  it('is where the dam was begun: after 1898', () => {
    const { before, p } = changePointOf(NILE)

    expect(1870 + before).toBe(1898)
    expect(p).toBeLessThan(0.001)
  })
})

describe('autocorrelation', () => {
  // R: acf(Nile).
  it.each([
    [1, 0.49840818],
    [2, 0.3845769],
    [3, 0.32786044],
  ])('at lag %i is as the package has it', (lag, expected) => {
    expect(autocorrelation(NILE, lag)).toBeCloseTo(expected, 7)
  })
})

describe('the dip', () => {
  // Quality of 63 statistics departments: P. M. Hartigan 1985; R, diptest::statfaculty.
  const STATFACULTY = [
    30, 33, 35, 36, 37, 37, 39, 39, 39, 39, 39, 40, 40, 40, 40, 41, 42, 43, 43, 43, 44, 44, 45, 45, 46, 46, 47, 47, 48,
    48, 48, 49, 50, 50, 51, 52, 52, 53, 53, 53, 53, 53, 54, 54, 57, 57, 59, 60, 60, 60, 61, 61, 61, 61, 62, 62, 62, 62,
    63, 66, 70, 72, 72,
  ]

  // R: diptest::dip.
  it.each([
    ['the departments', STATFACULTY, 0.0595238095],
    ['a straight line', [1, 2, 3, 4, 5, 6, 7, 8], 0.0625],
    ['two heaps', [1, 1.1, 1.2, 5, 5.1, 5.2], 0.2375],
    ['ties', [1, 1, 1, 2, 2, 3, 9, 9, 9, 10], 0.1714285714],
    [
      'two normal laws',
      [
        0.84, 0.705, 1.306, -1.388, 1.273, 0.184, 0.752, 0.592, -0.983, -0.276, -0.871, 0.719, 4.111, 3.922, 3.58,
        3.438, 4.998, 2.895, 3.858, 4.315,
      ],
      0.0989946826,
    ],
  ])('of %s is as the package has it', (_, values, expected) => {
    expect(dipOf(values)).toBeCloseTo(expected, 9)
  })

  // R: diptest::qDiptab, n = 200: 95 % of samples of the uniform law dip by less than 0.03684.
  it('of uniform samples lies where its table says', () => {
    const draws = new Draws(3).at(0, 0, 0)
    const dips = Array.from({ length: 1000 }, () => dipOf(Array.from({ length: 200 }, () => draws.next())))

    const below = dips.filter((dip) => dip < 0.03684184).length / dips.length
    expect(below).toBeGreaterThan(0.93)
    expect(below).toBeLessThan(0.97)
  })
})

describe('a line with one bend', () => {
  const Y = [
    1.06, 4.28, 4.75, 10.39, 10.49, 10.77, 14.73, 17.11, 18.86, 19.54, 24.27, 24.58, 25.07, 24.68, 31.69, 31.93, 33.98,
    37.42, 39.23, 40.89, 43.38, 45.17, 46.11, 45.02, 50.93, 50.02, 49.97, 48.09, 49.68, 51.13, 52.64, 50.55, 51.38,
    50.82, 48.93, 50.48, 50.61, 51.21, 53.05, 52.64,
  ]
  const X = Y.map((_, index) => index + 1)

  it('bends where the package finds it, with the same slopes', () => {
    const draws = new Draws(1).at(0, 0, 0)

    const found = breakpointOf(X, Y, () => draws.next())

    // R: segmented(lm(y ~ x)): 24.747 (23.79 to 25.71), slopes 1.9999 and 0.1343; places are tried every half here.
    expect(found?.at).toBeCloseTo(24.747, 0)
    expect(found?.slopeBefore).toBeCloseTo(2, 1)
    expect(found?.slopeAfter).toBeCloseTo(0.134, 1)
    expect(found?.interval[0]).toBeGreaterThan(23)
    expect(found?.interval[1]).toBeLessThan(26)
    expect(found?.p).toBeLessThan(0.01)
  })

  it('is seen where there is none as often as its level says', () => {
    const draws = new Draws(2).at(0, 0, 0)
    const alarms = Array.from({ length: 60 }, () => {
      const straight = X.map((x) => x + 2 * draws.nextNormal())
      return (breakpointOf(X, straight, () => draws.next())?.p ?? 1) <= 0.05
    }).filter(Boolean).length

    // Of sixty at 5 % more than eight come once in a hundred times (binomial law).
    expect(alarms).toBeLessThanOrEqual(8)
  })
})
