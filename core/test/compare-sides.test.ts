// Several runs a side, that differ among themselves as runs of equal code do.
import { describe, expect, it } from 'vitest'
import {
  compareSides,
  comparisonMarkdown,
  comparisonMethod,
  comparisonOutcome,
  comparisonWords,
  Draws,
  type RunResult,
} from '../src/index.js'
import { studentReach, studentTail } from '../src/numbers/student.js'
import { BASE, runWith, sideOf } from './results.js'

const ROUNDS = 200
const foundIn = (count: number, level: number, spread: number): number =>
  Array.from({ length: ROUNDS }, (_, seed) => {
    const draws = new Draws(seed + 1).at(0, 0, 0)
    const comparison = compareSides(sideOf(draws, count, 1, spread), sideOf(draws, count, level, spread))
    return comparison.steps.some(({ changes }) =>
      changes.some(({ outcome }) => outcome === 'worse' || outcome === 'better'),
    )
  }).filter(Boolean).length / ROUNDS

describe('sides of several runs', () => {
  it.each([
    [2, 0.1],
    [3, 0.03],
    [3, 0.1],
    [5, 0.1],
  ])('of equal code, %i each that differ by %f, raise a false alarm in at most one of twenty', (count, spread) => {
    expect(foundIn(count, 1, spread)).toBeLessThanOrEqual(0.05)
  })

  it.each([
    [5, 1.3, 0.05],
    [3, 1.4, 0.03],
  ])('%i each find what takes %f times as long at a spread of %f, nine times in ten', (count, level, spread) => {
    expect(foundIn(count, level, spread)).toBeGreaterThanOrEqual(0.9)
  })

  it('say what they come to, and by what method', () => {
    const comparison = compareSides(
      [1, 1.02, 0.98].map((level, index) => runWith(level, `a${String(index)}`)),
      [1.5, 1.53, 1.47].map((level, index) => runWith(level, `b${String(index)}`)),
    )

    expect(comparisonOutcome(comparison)).toBe('worse')
    expect(comparisonWords(comparison)).toBe('Worse: mean, median, p95, p99 of "search".')
    expect(comparisonMethod(comparison)).toMatch(/^Each row by Student's t over its own figure of 3 and 3 runs, at 5 %/)
    expect(comparisonMarkdown(comparison)).toContain(
      'Run b0 (open), b1 (open), b2 (open) compared with a0 (open), a1 (open), a2 (open).',
    )
    const wide = compareSides(
      [1, 1.4].map((level, index) => runWith(level, `a${String(index)}`)),
      [1.5, 1.9].map((level, index) => runWith(level, `b${String(index)}`)),
    )
    expect(comparisonWords(wide)).toMatch(/^Cannot tell: .*runs of one side differ as much among themselves/)
  })

  it('are not tested where a run tells nothing, is of another plan, or is alone', () => {
    const fine = [runWith(1, 'a'), runWith(1.01, 'b')]
    const other = { ...BASE.plan, name: 'Other', file: 'other' }
    const wordsWith = (...last: RunResult[]) => comparisonWords(compareSides(fine, last))

    expect(wordsWith(runWith(2, 'c'), runWith(2, 'd', { verdict: 'void', reasons: ['late'] }))).toBe(
      'Nothing could be tested: run d is void (late).',
    )
    expect(wordsWith(runWith(2, 'c'), runWith(2, 'd', { plan: other }))).toMatch(/the plans differ: Test, Other/)
    expect(wordsWith(runWith(2, 'c'))).toMatch(/each side needs 2 runs or more/)
  })

  it('miss a step that one of the later runs has not got', () => {
    const [step] = BASE.steps
    const more = step === undefined ? [] : [{ ...step, name: 'pay' }, ...BASE.steps]
    const comparison = compareSides(
      [runWith(1, 'a', { steps: more }), runWith(1, 'b', { steps: more })],
      [runWith(1, 'c', { steps: more }), runWith(1, 'd')],
    )
    expect(comparison.onlyBefore).toEqual(['pay'])
    expect(comparisonOutcome(comparison)).toBe('worse')
  })
})

describe("Student's t", () => {
  // R. A. Fisher and F. Yates, "Statistical Tables", table III: two-sided 5 %.
  it.each([
    [1, 12.706],
    [2, 4.303],
    [4, 2.776],
    [10, 2.228],
    [30, 2.042],
  ])('of %i degrees of freedom lies within %f in 95 of 100', (freedom, reach) => {
    expect(studentReach(0.95, freedom)).toBeCloseTo(reach, 3)
    expect(studentTail(-reach, freedom)).toBeCloseTo(0.975, 4)
  })
})
