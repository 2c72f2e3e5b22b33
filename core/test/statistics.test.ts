// Tests and intervals, held against published examples and a library.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { holm } from '../src/index.js'

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
