// Beats, held against published values and by simulated error rates.
import { describe, expect, it } from 'vitest'
import { Draws } from '../src/index.js'
import { beatOf, fishersG } from '../src/numbers/periodogram.js'

describe('the largest frequency of noise', () => {
  // R. A. Fisher, 1929, table I: 5 % points of g for n = 5, 10, 20, 50 frequencies; from memory.
  it.each([
    [5, 0.6838],
    [10, 0.4449],
    [20, 0.2704],
    [50, 0.1315],
  ])('has, of %i, a share of %f in one of twenty', (count, g) => {
    expect(fishersG(g, count)).toBeCloseTo(0.05, 2)
  })

  it('is taken for a beat about as often as it says', () => {
    const series = 400
    let found = 0
    for (let seed = 1; seed <= series; seed++) {
      const draws = new Draws(seed).at(4, 0, 0)
      if (
        (beatOf(
          Array.from({ length: 120 }, () => draws.nextNormal()),
          4,
        )?.p ?? 1) < 0.05
      )
        found++
    }

    // The binomial law: a share of 5 % of 400 is between 2.5 and 8 % but once in a hundred times.
    expect(found / series).toBeGreaterThan(0.025)
    expect(found / series).toBeLessThan(0.08)
  })

  it('of a wave is its period, whole or not', () => {
    for (const period of [2.5, 5, 7.3, 20]) {
      const wave = Array.from({ length: 120 }, (_, at) => Math.sin((2 * Math.PI * at) / period))
      expect(beatOf(wave, 4)?.period).toBeCloseTo(period, 1)
    }
  })
})
