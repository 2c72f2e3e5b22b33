// The search for what a service can take, held against what is known of queues.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  CapacitySearch,
  Draws,
  holdsAtLeast,
  judgedGates,
  noCapacityReason,
  previewOf,
  RunView,
  shapeOf,
  trialAnswer,
  trialPlan,
  type Found,
  type TrialAnswer,
} from '../src/index.js'
import { exponentialSizes, inOrder, poisson, seen } from './queues.js'
import { planText, read } from './reading.js'

const MOST_TRIALS = 60
const rateOf = (rate: number) => Number(rate.toPrecision(3))

/** Searches with what a trial at a rate tells. */
function searched(
  range: { lowest: number; highest: number; exact?: number },
  answer: (rate: number, confirms: boolean) => TrialAnswer,
): { found: Found | null; rates: number[] } {
  const search = new CapacitySearch({ exact: 0.05, rounded: rateOf, ...range })
  const rates: number[] = []
  while (search.found() === null && rates.length < MOST_TRIALS) {
    const trial = search.next()
    rates.push(trial.load)
    search.tell(trial, answer(trial.load, trial.why === 'confirming'))
  }
  return { found: search.found(), rates }
}
const sure = (isHeld: boolean, deviations = 3): TrialAnswer => ({ kind: isHeld ? 'held' : 'breached', deviations })
/** What a gate tells that is so many deviations on the right side of its limit. */
const farBy = (far: number): TrialAnswer => sure(far >= 0, Math.abs(far))

describe('a search', () => {
  it('comes to where the gates give way, within the range, whatever that is', () => {
    const ranges = fc.tuple(fc.double({ min: 1, max: 500, noNaN: true }), fc.double({ min: 2, max: 200, noNaN: true }))
    const truths = fc.double({ min: 0.03, max: 0.97, noNaN: true })
    fc.assert(
      fc.property(ranges, truths, fc.double({ min: 20, max: 150, noNaN: true }), ([low, ratio], place, slope) => {
        const [lowest, highest] = [rateOf(low), rateOf(low * ratio)]
        const truth = lowest * (highest / lowest) ** place
        const { found, rates } = searched({ lowest, highest }, (rate) => farBy(slope * Math.log(truth / rate)))

        expect(rates.every((rate) => rate >= lowest * 0.99 && rate <= highest * 1.01)).toBe(true)
        if (found?.kind === 'found') expect(Math.abs(Math.log(found.load / truth))).toBeLessThan(0.05)
        // At the very ends the answer may be that all of the range holds, or nothing of it.
        else expect(['at least', 'below']).toContain(found?.kind)
        if (found?.kind === 'at least') expect(truth / highest).toBeGreaterThan(0.9)
        if (found?.kind === 'below') expect(truth / lowest).toBeLessThan(1.1)
      }),
      { numRuns: 40 },
    )
  })

  it('claims no more than it knows, however noisy the trials are', () => {
    const draws = new Draws(30).at(0, 0, 0)
    const outcomes = Array.from({ length: 100 }, () => {
      const truth = 20 * 100 ** (0.1 + 0.8 * draws.next())
      const slope = 15 * 6 ** draws.next()
      const { found } = searched({ lowest: 20, highest: 2000, exact: 0.1 }, (rate) =>
        farBy(slope * Math.log(truth / rate) + draws.nextNormal()),
      )
      return found?.kind === 'found' ? truth >= found.interval[0] && truth <= found.interval[1] : undefined
    })
    const told = outcomes.filter((isIn) => isIn !== undefined)

    expect(told.length).toBeGreaterThan(92)
    // 95 %, less three deviations of a count of so many.
    expect(told.filter(Boolean).length / told.length).toBeGreaterThan(0.884)
  })

  it('says what it cannot know', () => {
    const range = { lowest: 20, highest: 200 }

    expect(searched(range, () => sure(true)).found).toEqual({ kind: 'at least', load: 200, why: 'range' })
    expect(searched(range, () => sure(false)).found).toEqual({ kind: 'below', load: 20 })
    expect(searched(range, () => ({ kind: 'undecided' })).found).toMatchObject({ kind: 'unknown' })
    expect(searched(range, (rate) => (rate > 100 ? { kind: 'not delivered' } : sure(true))).found).toEqual({
      kind: 'at least',
      load: 80,
      why: 'generator',
    })
    expect(searched(range, () => ({ kind: 'not delivered' })).found).toMatchObject({ kind: 'unknown' })
  })

  it('of one load alone needs one sure trial, or up to three', () => {
    const answers: [TrialAnswer[], ReturnType<typeof holdsAtLeast>][] = [
      [[], 'more'],
      [[sure(true)], 'held'],
      [[sure(false)], 'breached'],
      [[sure(true, 1)], 'more'],
      [[sure(true, 1), sure(true, 1)], 'more'],
      [[sure(true, 1), sure(true, 1), sure(true, 1)], 'held'],
      [[sure(true, 0.5), sure(false, 0.5), sure(true, 0.5)], 'undecided'],
      [[sure(true, 1), sure(false, 9)], 'more'],
      [[{ kind: 'undecided' }, { kind: 'undecided' }, { kind: 'undecided' }], 'undecided'],
      [[sure(true), { kind: 'not delivered' }], 'undecided'],
    ]
    for (const [given, outcome] of answers) expect(holdsAtLeast(given)).toBe(outcome)
  })
})

// Erlang C (A. K. Erlang 1917): the chance that all c servers are busy. Values of the common tables, from memory.
function erlangC(servers: number, load: number): number {
  let term = 1
  let sum = 1
  for (let n = 1; n < servers; n++) {
    term *= load / n
    sum += term
  }
  const last = ((term * load) / servers) * (servers / (servers - load))
  return last / (sum + last)
}

/** The share of response times over a limit in M/M/c, first come, first served: waiting and service together. */
function shareOver(limitMs: number, servers: number, rate: number, meanMs: number): number {
  const mu = 1 / meanMs
  const lambda = rate / 1000
  const wait = erlangC(servers, lambda * meanMs)
  const theta = servers * mu - lambda
  const [service, waited] = [Math.exp(-mu * limitMs), Math.exp(-theta * limitMs)]
  return service + (wait * mu * (service - waited)) / (theta - mu)
}

/** The rate at which the p95 is at the limit. */
function rateAtLimit(limitMs: number, servers: number, meanMs: number): number {
  let [low, high] = [0, (1000 * servers) / meanMs]
  for (let step = 0; step < 60; step++) {
    const middle = (low + high) / 2
    if (shareOver(limitMs, servers, middle, meanMs) > 0.05) high = middle
    else low = middle
  }
  return low
}

const WARM_UP_SECONDS = 10
const PLAN = read(planText({ gates: '  - p95 response time at most 100 ms' })).plan

/** What a trial of a queue tells, by the gates as they are. */
function trialOf(servers: number, meanMs: number, rate: number, holdSeconds: number, draws: Draws): TrialAnswer {
  const plan = trialPlan(PLAN, 'arrivals', rate, { warmUpSeconds: WARM_UP_SECONDS, holdSeconds })
  // Gates of its own alone: what failed is not in question.
  const hold = { ...plan, load: { ...plan.load, phases: plan.load.phases.slice(1) }, gates: plan.gates.slice(0, 1) }
  const shape = shapeOf(hold, previewOf(hold).phases)
  const due = poisson(draws, rate, WARM_UP_SECONDS + holdSeconds)
  const view = new RunView({ gates: hold.gates, shape })
  for (const bucket of seen(due, inOrder(exponentialSizes(draws, meanMs, due.length), servers), [])) {
    const second = bucket.second - WARM_UP_SECONDS
    if (second >= 0 && second < holdSeconds) view.add({ kind: 'bucket', bucket: { ...bucket, second } })
  }
  const results = view.gates()
  const [gate] = results
  const exitCode = gate?.status === 'breached' ? 1 : gate?.status === 'held' ? 0 : 3
  const answer = trialAnswer({ verdict: 'void', exitCode, reasons: [], notes: [], isOpenQuestion: true }, results)
  return answer.kind === 'impossible' ? { kind: 'undecided' } : answer
}

describe('the capacity of M/M/c', () => {
  it('by Erlang’s formula is that of the tables', () => {
    expect(erlangC(1, 0.7)).toBeCloseTo(0.7, 9)
    expect(erlangC(2, 1)).toBeCloseTo(1 / 3, 9)
    expect(erlangC(5, 4)).toBeCloseTo(0.5541, 4)
    // M/M/1: response times are exponential, with the mean 1 / (μ − λ).
    expect(shareOver(100, 1, 80, 10)).toBeCloseTo(Math.exp(-2), 9)
  })

  it.each([
    [1, 10],
    [4, 20],
  ])('with %i servers is found within 5 % in nine of ten, and where the interval says', (servers, meanMs) => {
    const truth = rateAtLimit(100, servers, meanMs)
    const draws = new Draws(31).at(servers, 0, 0)
    const founds = Array.from({ length: 10 }, () => {
      const { found } = searched({ lowest: 10, highest: 1000 / (meanMs / servers), exact: 0.1 }, (rate, confirms) =>
        trialOf(servers, meanMs, rate, confirms ? 60 : 30, draws),
      )
      return found?.kind === 'found' ? found : undefined
    }).filter((found) => found !== undefined)
    const near = founds.filter(({ load }) => Math.abs(load / truth - 1) <= 0.05)
    const within = founds.filter(({ interval: [low, high] }) => truth >= low && truth <= high)

    expect(founds.length).toBe(10)
    // In truth nineteen of twenty: see docs/capacity.md.
    expect(near.length).toBeGreaterThanOrEqual(9)
    expect(within.length).toBeGreaterThanOrEqual(8)
  })
})

describe('the plan of a trial', () => {
  const gates = [
    'p95 response time under 300 ms',
    'p95 response time during peak under 200 ms',
    'throughput at least 5/s',
    'failed requests at most 3',
    'p95 response time at most 110 % of baseline',
  ]
  const { plan } = read(planText({ gates: gates.map((gate) => `  - ${gate}`).join('\n') }))

  it('has its load, all gates that mean something there, and says which do not', () => {
    const { leftOut } = judgedGates(plan)
    const trial = trialPlan(plan, 'users', 7, { warmUpSeconds: 3, holdSeconds: 9 })

    expect(leftOut.map(({ rule }) => rule)).toEqual(gates.slice(2))
    expect(trial.load.phases).toMatchObject([
      { kind: 'users', from: 7, to: 7, seconds: 3, measured: false },
      { kind: 'users', from: 7, to: 7, seconds: 9, measured: true },
    ])
    expect(trial.gates.filter(({ isDefault }) => !isDefault).map(({ during }) => during)).toEqual([[], []])
  })

  it('is of no use without a gate that a load could break', () => {
    expect(noCapacityReason(plan)).toBeUndefined()
    expect(noCapacityReason(read(planText({ gates: '  - throughput at least 5/s' })).plan)).toMatch(/no gate/)
  })
})

it('a trial whose verdict is void is no answer, and never one that holds', () => {
  const ofVoid = (more: object) =>
    trialAnswer({ verdict: 'void', exitCode: 3, reasons: ['why'], notes: [], ...more }, [])

  expect(trialAnswer({ verdict: 'open', exitCode: 0, reasons: [], notes: [] }, [])).toEqual({ kind: 'undecided' })
  expect(ofVoid({ isOpenQuestion: true, mayDiffer: true })).toEqual({ kind: 'undecided', why: 'why' })
  expect(ofVoid({ mayDiffer: true })).toEqual({ kind: 'not delivered' })
  // That a generator was lost says nothing of how much can be made.
  expect(ofVoid({ mayDiffer: true, lacksGenerators: true })).toEqual({ kind: 'impossible', reasons: ['why'] })
  expect(ofVoid({})).toEqual({ kind: 'impossible', reasons: ['why'] })
  for (const exitCode of [2, 4, 5] as const)
    expect(trialAnswer({ verdict: 'void', exitCode, reasons: [], notes: [] }, []).kind).toBe('impossible')
})
