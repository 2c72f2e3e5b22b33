// Gates against a baseline: how often equal code is breached, and a slower one found, by simulation.
import { describe, expect, it } from 'vitest'
import {
  baselineOf,
  baselineValue,
  Draws,
  gatesOf,
  repeatsFor,
  spreadOfMedian,
  type BaselineRun,
  type Gate,
} from '../src/index.js'
import { withSpread } from '../src/judge/decide.js'
import { limitOf } from '../src/judge/subject.js'
import { planText, read } from './reading.js'

const RULE = 'p95 response time at most 110 % of baseline'
const gate = gateOf(RULE)
function gateOf(rule: string): Gate {
  const [first] = gatesOf(read(planText({ gates: `  - ${rule}` })).plan)
  if (first === undefined) throw new Error('the plan has no gate')
  return first
}

const runOf = (observed: number, number: number, over: Partial<BaselineRun> = {}): BaselineRun => ({
  ...{ id: `r${String(number)}`, verdict: 'open', commit: null, startedAt: '', target: { name: 'a', origin: '' } },
  ...{ scale: 1, load: 'x', gates: [{ rule: RULE, unit: 'ms', observed, status: 'held' }] },
  ...over,
})

/** What the gate comes to with a figure, after runs with others, the latest first. */
function statusAfter(before: readonly number[], observed: number, pinned?: number): string {
  const kept = pinned === undefined ? undefined : runOf(pinned, 99)
  const baseline = baselineOf(
    before.map((value, index) => runOf(value, index)),
    kept,
  )
  const value = baseline === undefined ? null : baselineValue(baseline, gate)
  if (value === null) return 'no baseline'
  const statuses = [value, ...(value.pinned === undefined ? [] : [value.pinned])].map((one) => {
    const isHeld = observed <= (limitOf(gate, one.observed) ?? Infinity)
    return withSpread(gate, one, observed, { status: isHeld ? 'held' : 'breached' }).status
  })
  return ['breached', 'undecided'].find((status) => statuses.some((one) => one === status)) ?? 'held'
}

const ROUNDS = 2000
/** How often runs of a mean of 1, or of as many times that as it is slower, come out so. */
function shareThatAre(status: string, { runs, spread, slower = 1 }: { runs: number; spread: number; slower?: number }) {
  const draws = new Draws(11).at(runs, Math.round(1000 * spread), Math.round(100 * slower))
  const figure = () => 250 * Math.exp(spread * draws.nextNormal())
  let count = 0
  for (let round = 0; round < ROUNDS; round++)
    if (statusAfter(Array.from({ length: runs }, figure), slower * figure()) === status) count++
  return count / ROUNDS
}

describe('a gate against ten runs', () => {
  it.each([0.03, 0.05, 0.1])('is breached by equal code in at most one run of twenty, at a spread of %f', (spread) => {
    expect(shareThatAre('breached', { runs: 10, spread })).toBeLessThanOrEqual(0.05)
  })

  it.each([0.03, 0.05])('finds code that is a fifth slower in nine of ten, at a spread of %f', (spread) => {
    expect(shareThatAre('breached', { runs: 10, spread, slower: 1.2 })).toBeGreaterThanOrEqual(0.9)
  })

  it.each([0.03, 0.05])(
    'finds a creep of three in a hundred a commit within ten commits, at a spread of %f',
    (spread) => {
      const draws = new Draws(3).at(1, Math.round(1000 * spread), 0)
      const figure = (commit: number) => 250 * 1.03 ** Math.max(0, commit) * Math.exp(spread * draws.nextNormal())
      let found = 0
      for (let round = 0; round < 500; round++) {
        // A run that is breached is no part of the baseline of those after it.
        const runs = Array.from({ length: 10 }, () => figure(0))
        for (let commit = 1; commit <= 10; commit++) {
          const observed = figure(commit)
          if (statusAfter(runs, observed, 250) === 'breached') {
            found++
            break
          }
          runs.unshift(observed)
        }
      }

      expect(found / 500).toBeGreaterThanOrEqual(0.9)
    },
  )
})

describe('a run that is made several times', () => {
  const median = (values: readonly number[]) => values.toSorted((a, b) => a - b)[(values.length - 1) / 2] ?? NaN
  /** Single runs differ by a share; those of the baseline and the one that is held are medians of so many. */
  function breachedOf(repeats: number, ofBaseline: number, slower: number, spread: number): number {
    const draws = new Draws(17).at(repeats, ofBaseline, Math.round(100 * slower))
    const figure = (of: number) => median(Array.from({ length: of }, () => 250 * Math.exp(spread * draws.nextNormal())))
    let breached = 0
    for (let round = 0; round < ROUNDS; round++) {
      const runs = Array.from({ length: 10 }, (_, index) => runOf(figure(ofBaseline), index, { repeats: ofBaseline }))
      const baseline = baselineOf(runs)
      const value = baseline === undefined ? null : baselineValue({ ...baseline, repeatsHeld: repeats }, gate)
      const observed = slower * figure(repeats)
      if (value !== null && observed > 1.1 * value.observed && observed > value.highest) breached++
    }
    return breached / ROUNDS
  }

  it.each([
    [7, 1],
    [7, 7],
    [3, 7],
    [1, 7],
  ])(
    '%i times against medians of %i, is breached by equal code in about one of twenty at most',
    (repeats, ofBaseline) => {
      expect(breachedOf(repeats, ofBaseline, 1, 0.1)).toBeLessThanOrEqual(0.06)
    },
  )

  it('finds a fifth as often as is promised: nine times where runs differ by a tenth, once where by a twentieth', () => {
    expect([repeatsFor(1.1, 0.05, 10), repeatsFor(1.1, 0.1, 10)]).toEqual([1, 9])
    expect(breachedOf(1, 1, 1.2, 0.05)).toBeGreaterThanOrEqual(0.9)
    expect(breachedOf(9, 1, 1.2, 0.1)).toBeGreaterThanOrEqual(0.9)
    expect(repeatsFor(1.03, 0.1, 10)).toBeNull()
  })

  // D. Teichroew, "Tables of expected values of order statistics and products of order statistics", 1956: variances of
  // the median of 3, 5 and 9 values of the normal law (from memory).
  it.each([
    [1, 1],
    [3, 0.4487],
    [5, 0.2868],
    [9, 0.1661],
  ])('has a median of %i that varies by %f', (repeats, variance) => {
    expect(spreadOfMedian(repeats) ** 2).toBeCloseTo(variance, 1)
    expect(Math.abs(spreadOfMedian(repeats) / Math.sqrt(variance) - 1)).toBeLessThan(0.012)
  })
})

describe('a gate against one run', () => {
  it.each([0.05, 0.1])('is breached by equal code in at most one of twenty, at a spread of %f', (spread) => {
    expect(shareThatAre('breached', { runs: 1, spread })).toBeLessThanOrEqual(0.06)
  })

  it('is undecided where it is over its limit and runs may differ as much', () => {
    expect([statusAfter([250], 270), statusAfter([250], 290), statusAfter([250], 320)]).toEqual([
      'held',
      'undecided',
      'breached',
    ])
  })
})

describe('a baseline', () => {
  it('leaves out runs that the gate itself was breached in, and takes those that others shut', () => {
    const breached = { gates: [{ rule: RULE, unit: 'ms' as const, observed: 900, status: 'breached' as const }] }
    const baseline = baselineOf([runOf(0, 1, breached), runOf(240, 2, { verdict: 'shut' }), runOf(260, 3)])

    expect(baseline && baselineValue(baseline, gate)).toMatchObject({ observed: 250, runs: 2 })
    expect(baselineValue(runOf(0, 1, breached), gate)).toBeNull()
  })

  it('takes a run that a person named for a gate that was breached in it: a new level can be accepted', () => {
    const breached = { gates: [{ rule: RULE, unit: 'ms' as const, observed: 400, status: 'breached' as const }] }
    const pinned = baselineOf([], runOf(0, 1, breached))

    expect(pinned && baselineValue(pinned, gate)).toMatchObject({ observed: 400 })
    expect(baselineValue(runOf(0, 1, { ...breached, isChosen: true }), gate)).toMatchObject({ observed: 400 })
  })

  it('is of the ten latest, and the pinned one stands beside them', () => {
    const runs = Array.from({ length: 14 }, (_, index) => runOf(200 + index, index))
    const baseline = baselineOf(runs, runOf(150, 99))

    expect(baseline).toMatchObject({ id: 'r0', pinned: { id: 'r99' } })
    expect(baseline && baselineValue(baseline, gate)).toMatchObject({
      observed: 204.5,
      runs: 10,
      pinned: { observed: 150 },
    })
    expect(statusAfter([250, 250, 250, 250, 250], 260, 200)).toBe('breached')
  })
})
