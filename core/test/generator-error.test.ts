import { describe, expect, it } from 'vitest'
import {
  BoundedRecording,
  Draws,
  GeneratorError,
  judgeGate,
  previewOf,
  shapeOf,
  type Bucket,
  type GateResult,
} from '../src/index.js'
import {
  exponentialSizes,
  inOrder,
  lastFirst,
  oneAfterAnother,
  poisson,
  seen,
  shared,
  stallsIn,
  trueTimes,
  type Service,
} from './queues.js'
import { planText, read } from './reading.js'

const SECONDS = 30
const LOAD = `  - { phase: peak, rate: 5/s, for: ${String(SECONDS)}s }`

/** What a gate says of some seconds. */
function judged(rule: string, buckets: readonly Bucket[]): GateResult {
  const { plan, problems } = read(planText({ load: LOAD, gates: `  - ${rule}` }))
  expect(problems).toEqual([])
  const [gate] = plan.gates
  if (gate === undefined) throw new Error('no gate')
  const shape = shapeOf(plan, previewOf(plan).phases)
  const recording = new BoundedRecording(shape)
  for (const bucket of buckets) recording.add(bucket)
  return judgeGate(gate, recording, shape)
}

function percentileOf(times: readonly number[], percent: number): number {
  const sorted = [...times].sort((a, b) => a - b)
  return sorted[Math.ceil((percent / 100) * sorted.length) - 1] ?? NaN
}

describe('the error of a second', () => {
  const errorsOf = (...seconds: [latenessMs: number, inFlight: number][]) => {
    const error = new GeneratorError()
    return seconds.map(([latenessMs, inFlight], second) => error.add({ second, latenessMs, inFlight }))
  }
  const quiet = (count: number, inFlight = 2): [number, number][] =>
    new Array<[number, number]>(count).fill([1, inFlight])

  it('is the largest lateness of the ten seconds to it', () => {
    expect(errorsOf([1, 2], [30, 2], ...quiet(11))).toEqual([1, ...new Array<number>(10).fill(30), 1, 1])
  })

  it('stays until the requests in flight are back at their number before it', () => {
    const errors = errorsOf([1, 2], [30, 50], ...quiet(20, 40), [1, 2], [1, 2])

    expect(errors.slice(1, 23)).toEqual(new Array<number>(22).fill(30))
    expect(errors[23]).toBe(1)
  })
})

describe('with service in order and fixed service times', () => {
  // The true percentile is that of the same arrivals to the same service, each on time. That it lies within the bounds
  // for any lateness follows from departures being a max-plus linear function of arrivals (Baccelli and others,
  // Synchronization and Linearity, 1992, chapter 1); that the load is that of M/D/1 and M/D/c checks nothing here.
  it.each([1, 2, 8])('and %i servers, the true percentile always lies within the bounds', (servers) => {
    for (let seed = 1; seed <= 30; seed++) {
      const draws = new Draws(seed).at(0, 0, 0)
      const due = poisson(draws, 100, SECONDS)
      const busy = 0.3 + 0.65 * draws.next()
      const sizes = new Array<number>(due.length).fill((1000 * servers * busy) / 100)
      const stalls = stallsIn(draws, SECONDS, 1 + Math.floor(6 * draws.next()), 40 * 10 ** (1.5 * draws.next()))
      const service = inOrder(sizes, servers)
      const buckets = seen(due, service, stalls)
      const times = trueTimes(due, service)
      for (const percent of [50, 90, 99]) {
        const { lowerBound, upperBound, observed } = judged(`p${String(percent)} response time under 1s`, buckets)
        const truth = percentileOf(times, percent)
        // A slot of the histogram is 0.1 % wide.
        expect(truth * 1.001, `seed ${String(seed)}, p${String(percent)}`).toBeGreaterThanOrEqual(
          lowerBound ?? observed ?? NaN,
        )
        expect(truth * 0.999, `seed ${String(seed)}, p${String(percent)}`).toBeLessThanOrEqual(
          upperBound ?? observed ?? NaN,
        )
      }
    }
  })
})

describe('with service of another kind', () => {
  const kinds: [string, (sizes: number[], draws: Draws) => Service][] = [
    ['shared among all', (sizes) => shared(sizes)],
    ['in order, with ten places', (sizes) => inOrder(sizes, 1, 10)],
    ['of the last who came first', (sizes) => lastFirst(sizes)],
    [
      'in three steps',
      (sizes, draws) =>
        oneAfterAnother([
          inOrder(sizes, 1),
          shared(exponentialSizes(draws, 4, sizes.length)),
          inOrder(exponentialSizes(draws, 12, sizes.length), 2),
        ]),
    ],
  ]

  it.each(kinds)('%s, at most one verdict in a hundred is wrong', (_, serviceOf) => {
    let wrong = 0
    let decided = 0
    for (let seed = 1; seed <= 100; seed++) {
      const draws = new Draws(1000 + seed).at(0, 0, 0)
      const due = poisson(draws, 100, SECONDS)
      const sizes = exponentialSizes(draws, 4 + 3 * draws.next(), due.length)
      const service = serviceOf(sizes, draws)
      const stalls = stallsIn(draws, SECONDS, 1 + Math.floor(5 * draws.next()), 10 ** (1 + 1.5 * draws.next()))
      const truth = percentileOf(trueTimes(due, service).filter(Number.isFinite), 95)
      // A limit near the truth, on either side.
      const limit = truth * (0.6 + 0.8 * draws.next())
      const { status } = judged(`p95 response time under ${limit.toFixed(2)} ms`, seen(due, service, stalls))
      if (status === 'undecided') continue
      decided++
      if (status !== (truth < limit ? 'held' : 'breached')) wrong++
    }

    expect(wrong).toBeLessThanOrEqual(1)
    expect(decided).toBeGreaterThan(20)
  })
})

describe('bounds', () => {
  const secondOf = (over: Partial<Bucket>, ms: number[], waited: number[] = []): Bucket => {
    const [bucket] = seen([0], inOrder([1], 1), [])
    if (bucket === undefined) throw new Error('no bucket')
    const [cell] = bucket.steps
    if (cell === undefined) throw new Error('no cell')
    cell.responseTime.clear()
    cell.requests = ms.length + waited.length
    cell.failed = waited.length
    for (const value of [...ms, ...waited]) cell.responseTime.record(1000 * value)
    for (const value of waited) cell.waitedTime.record(1000 * value)
    return { ...bucket, ...over }
  }
  const many = (value: number, count: number) => new Array<number>(count).fill(value)

  it('rank what timed out above every limit, and count it in the mean as long as it waited', () => {
    const seconds = [secondOf({ latenessMs: 5 }, many(100, 90), many(2000, 10))]

    expect(judged('p95 response time under 3s', seconds)).toMatchObject({ status: 'undecided', observed: 2000 })
    const median = judged('p50 response time under 3s', seconds)
    expect([median.status, Math.round(median.lowerBound ?? 0), Math.round(median.upperBound ?? 0)]).toEqual([
      'held',
      95,
      105,
    ])
    expect(judged('mean response time under 300 ms', seconds)).toMatchObject({ status: 'held' })
  })

  it('of the apdex are those of the times', () => {
    const seconds = [secondOf({ latenessMs: 20 }, [...many(90, 50), ...many(10, 50)])]

    expect(judged('apdex at 100 ms at least 0.9', seconds)).toMatchObject({
      status: 'undecided',
      observed: 1,
      lowerBound: 0.75,
      upperBound: 1,
    })
  })

  it('say what decides nothing, and by how much', () => {
    const seconds = [secondOf({ latenessMs: 9 }, many(303, 90))]

    expect(judged('p50 response time under 300 ms', seconds).reason).toMatch(
      /^the gate is breached by 3\.\d+ ms, and the generator may have changed that by 9\.\d+ ms$/,
    )
  })
})
