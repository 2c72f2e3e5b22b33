import { describe, expect, it } from 'vitest'
import { Distribution, Draws } from '../src/index.js'
import { failedFigure, meanFigure, memoryOf, percentileFigure, shiftsOf, type Block } from '../src/compare/blocks.js'
import { holm } from '../src/numbers/statistics.js'
import { wandering } from './dependent.js'
import { exponentialSizes, inOrder, poisson, trueTimes } from './queues.js'

const SECONDS = 60
const BLOCK_SECONDS = 4
const FIGURES = [meanFigure, percentileFigure(50), percentileFigure(95), percentileFigure(99), failedFigure]

/** A run against a queue with random service: its times depend on one another from second to second. */
function runOf(draws: Draws, meanMs: number): Block[] {
  const due = poisson(draws, 40, SECONDS)
  const times = trueTimes(due, inOrder(exponentialSizes(draws, meanMs, due.length), 1))
  const blocks = Array.from({ length: SECONDS / BLOCK_SECONDS }, () => ({
    requests: 0,
    failed: 0,
    times: new Distribution(),
  }))
  for (const [index, ms] of times.entries()) {
    const block = blocks[Math.floor((due[index] ?? 0) / 1000 / BLOCK_SECONDS)]
    if (block === undefined) continue
    block.requests++
    if (draws.next() < 0.02) block.failed++
    else block.times.record(1000 * ms)
  }
  return blocks
}

/** Whether a comparison of two runs finds anything, with the correction for its rows. */
function findsAny(before: Block[], after: Block[], draws: Draws, smallest: number): boolean {
  const pValues = shiftsOf(before, after, FIGURES, smallest, draws).map(({ p }) => p)
  return holm(pValues).some((p) => p < 0.05)
}

describe('a comparison of two runs', () => {
  it('of the same code raises at most one false alarm in twenty', () => {
    let alarms = 0
    for (let pair = 1; pair <= 100; pair++) {
      const draws = new Draws(pair).at(0, 0, 0)
      // 40 % busy: M/M/1 with a memory of some seconds.
      if (findsAny(runOf(draws, 10), runOf(draws, 10), draws, 0.05)) alarms++
    }

    expect(alarms).toBeLessThanOrEqual(5)
  })

  it('finds service that takes half as long again, nine times in ten', () => {
    let found = 0
    for (let pair = 1; pair <= 20; pair++) {
      const draws = new Draws(1000 + pair).at(0, 0, 0)
      if (findsAny(runOf(draws, 10), runOf(draws, 15), draws, 0.05)) found++
    }

    expect(found).toBeGreaterThanOrEqual(18)
  })
})

describe('a service with a long memory', () => {
  it.each([5, 20])('of %i s raises at most one false alarm in twenty', (memorySeconds) => {
    let alarms = 0
    for (let pair = 1; pair <= 60; pair++) {
      const draws = new Draws(pair).at(1, memorySeconds, 0)
      if (findsAny(wandering(draws, memorySeconds), wandering(draws, memorySeconds), draws, 0.05)) alarms++
    }

    expect(alarms).toBeLessThanOrEqual(3)
  })

  it('is known by what neighbouring blocks have in common', () => {
    const factorOf = (memorySeconds: number) => {
      const draws = new Draws(3).at(2, memorySeconds, 0)
      return memoryOf([wandering(draws, memorySeconds), wandering(draws, memorySeconds)]).factor
    }

    expect(factorOf(30)).toBeGreaterThan(1.2)
    expect(factorOf(0.1)).toBe(1)
  })
})

describe('a permutation test', () => {
  const blocksOf = (values: number[]): Block[] =>
    values.map((value) => {
      const times = new Distribution()
      times.record(1000 * value)
      return { requests: 1, failed: 0, times }
    })

  // By hand, as R. A. Fisher's exact test of a difference of means over all deals: of the C(8, 4) = 70 ways to deal out
  // the values 1 to 8, only one has a mean of the second hand as large as that of 5, 6, 7, 8; two-sided 2/70.
  it('has the p-value of all deals', () => {
    const before = blocksOf([1, 2, 3, 4])
    const [shift] = shiftsOf(before, blocksOf([5, 6, 7, 8]), [meanFigure], 0, new Draws(1).at(0, 0, 0))

    expect(shift?.p).toBeGreaterThan(2 / 70 - 0.015)
    expect(shift?.p).toBeLessThan(2 / 70 + 0.015)
  })
})
