// Every measure of a gate over one small recording whose numbers are known; stop rules; baselines.
import { describe, expect, it } from 'vitest'
import {
  baselineFault,
  baselineFrom,
  baselineValue,
  Distribution,
  distrust,
  reasonsOf,
  emptyBucket,
  emptyScope,
  emptyStep,
  judgeGate,
  previewOf,
  BoundedRecording,
  Recording,
  scalePlan,
  shapeOf,
  StopWatch,
  type Bucket,
  type Plan,
} from '../src/index.js'
import { planText, read, WITH_QUEUE } from './reading.js'

const JOURNEYS = `  look:
    weight: 3
    steps:
      - group: browse
        steps:
          - send: GET /sailings
            name: search
            check: [status is 200]
  book:
    steps:
      - send: POST /holds
        name: hold`
const LOAD = '  - { phase: peak, rate: 5/s, for: 2s }\n  - { phase: after, rate: 5/s, for: 2s, measure: no }'
const METRICS = [
  { name: 'queue', url: '/m', family: 'q', labels: {}, as: { kind: 'value' as const }, unit: '', ceiling: 40 },
]

function planOf(gate: string, load = LOAD): Plan {
  const { plan, problems } = read(
    planText({ target: 'harbour', journeys: JOURNEYS, load, gates: `  - ${gate}` }),
    WITH_QUEUE,
  )
  expect(problems).toEqual([])
  return plan
}
const times = (...ms: number[]): Distribution => {
  const distribution = new Distribution()
  for (const value of ms) distribution.record(1000 * value)
  return distribution
}
const many = (ms: number, count: number): number[] => new Array<number>(count).fill(ms)

/** Two seconds: in each, 20 searches of which 2 fail, and 10 holds. */
function buckets(): Bucket[] {
  return [0, 1].map((second) => {
    const bucket = emptyBucket(second)
    const cell = { ...emptyStep(0, 0, 0, 0), bytesReceived: 4000, bytesSent: 500 }
    bucket.steps.push(
      {
        ...cell,
        step: 0,
        journey: 0,
        requests: 20,
        failed: 2,
        responseTime: times(...many(100, 9), ...many(400, 9)),
        connectTime: times(3),
        timeToFirstByte: times(...many(90, 18)),
      },
      {
        ...cell,
        step: 1,
        journey: 1,
        requests: 10,
        failed: 0,
        responseTime: times(...many(50, 10)),
      },
    )
    bucket.groups.push({
      ...emptyScope(0, 0, 0),
      started: 20,
      finished: 18,
      endedFailed: 2,
      time: times(...many(250, 18)),
    })
    bucket.journeys.push(
      {
        ...emptyScope(0, 0, 0),
        started: 20,
        finished: 15,
        endedFailed: 4,
        cutOff: 1,
        time: times(...many(2000, 15)),
      },
      {
        ...emptyScope(0, 1, 1),
        started: 10,
        finished: 10,
        time: times(...many(1000, 10)),
      },
    )
    bucket.arrivals.push({
      phase: 0,
      started: 30,
      missed: 0,
      capped: 10,
      outOfData: 0,
      startLag: times(...many(0.5, 30)),
    })
    bucket.checks.push({ phase: 0, check: 0, journey: 0, passed: 15, failed: 5 })
    bucket.busy = 0.2 + 0.2 * second
    bucket.eventLoopDelay = times(1, 2)
    bucket.metrics = [10 + 20 * second]
    return bucket
  })
}

const MEASURED = { metrics: METRICS, traces: undefined }

function judged(gate: string, options: Parameters<typeof judgeGate>[3] = {}, plan = planOf(gate)) {
  const shape = shapeOf(plan, previewOf(plan).phases, MEASURED)
  const recording = new BoundedRecording(shape)
  for (const bucket of buckets()) recording.add(bucket)
  const [first] = plan.gates
  if (first === undefined) throw new Error('no gate')
  return judgeGate(first, recording, shape, options)
}

describe('a gate', () => {
  it.each([
    ['max response time of "hold" under 60 ms', 50, 'held', 'ms'],
    ['median time to first byte under 100 ms', 90, 'held', 'ms'],
    ['max connect time of "search" under 2 ms', 3, 'breached', 'ms'],
    ['median group time of "browse" at most 250 ms', 250, 'held', 'ms'],
    ['mean journey time under 2 s', 1600, 'held', 'ms'],
    ['mean journey time in journey "book" under 1.5 s', 1000, 'held', 'ms'],
    ['failed requests at most 5 %', 100 * (4 / 60), 'breached', '%'],
    ['failed requests in journey "book" at most 0 %', 0, 'held', '%'],
    ['failed checks at most 20 %', 25, 'breached', '%'],
    ['failed checks in journey "look" at most 9', 10, 'breached', 'count'],
    ['failed journeys at most 10 %', 100 * (10 / 60), 'breached', '%'],
    ['cut off at most 2', 2, 'held', 'count'],
    ['capped arrivals at most 25 %', 25, 'held', '%'],
    ['requests at least 60', 60, 'held', 'count'],
    // A quarter of the arrivals due were capped, and no gate limits that.
    ['requests of "hold" in journey "book" at least 30', 20, 'undecided', 'count'],
    ['arrivals at least 60', 60, 'held', 'count'],
    ['journeys in journey "look" at least 30', 30, 'held', 'count'],
    ['arrival rate at least 30/s', 30, 'held', '/s'],
    ['throughput of "search" during peak at least 20/s', 18, 'undecided', '/s'],
    ['bytes received at least 8 kB/s', 8000, 'held', 'B/s'],
    ['bytes sent of "hold" under 400 B/s', 500, 'breached', 'B/s'],
    ['p50 start lag under 1 ms', 0.5, 'held', 'ms'],
    ['max generator busy under 30 %', 40, 'breached', '%'],
    ['mean event loop delay under 2 ms', 1.5, 'held', 'ms'],
    ['max metric "queue" under 25', 30, 'breached', 'value'],
    ['mean metric "queue" at most 20', 20, 'held', 'value'],
  ] as const)('%s: %d, %s', (gate, observed, status, unit) => {
    const result = judged(gate)

    expect(result).toMatchObject({ status, unit })
    expect(result.observed).toBeCloseTo(observed, 6)
  })

  it('on the apdex takes no request that timed out soon for a satisfied one, where others are slow', () => {
    const plan = planOf('apdex at 100 ms at least 0.5')
    const shape = shapeOf(plan, previewOf(plan).phases, MEASURED)
    const recording = new BoundedRecording(shape)
    const bucket = emptyBucket(0)
    const [slow, lost] = [emptyStep(0, 0, 0, 0), emptyStep(0, 0, 1, 0)]
    for (let request = 0; request < 10; request++) {
      slow.responseTime.record(5_000_000)
      lost.responseTime.record(50_000)
      lost.waitedTime.record(50_000)
    }
    bucket.steps.push({ ...slow, requests: 10 }, { ...lost, requests: 10, failed: 10 })
    recording.add(bucket, 0)
    const [gate] = plan.gates
    if (gate === undefined) throw new Error('no gate')

    expect(judgeGate(gate, recording, shape).observed).toBe(0)
  })

  // The specification's own formula: (satisfied + tolerating / 2) / all. Here 18 + 20 of 60 are within 100 ms, 18
  // within four times that, and 4 failed. Source: Apdex Alliance, Apdex Technical Specification, version 1.1.
  it('on the apdex counts satisfied, half of the tolerating, and failures as frustrated', () => {
    expect(judged('apdex at 100 ms at least 0.75')).toMatchObject({ status: 'held', unit: 'score' })
    expect(judged('apdex at 100 ms at least 0.75').observed).toBeCloseTo((38 + 18 / 2) / 60, 6)
    expect(judged('apdex at 100 ms in journey "book" at least 1').observed).toBe(1)
  })

  it('on a count or a rate is shown, not judged, when the load was scaled', () => {
    const plan = scalePlan(planOf('throughput at least 1000/s'), 0.1)

    expect(judged('', {}, plan)).toMatchObject({ status: 'not judged', observed: 28 })
    expect(judged('', {}, scalePlan(planOf('failed requests at most 5 %'), 0.1)).status).toBe('breached')
  })
})

describe('a baseline', () => {
  const gate = 'mean response time of "hold" at most 110 % of baseline or 60 ms'

  const of40 = { observed: 40, lowerBound: 40, upperBound: 40, runs: 5, lowest: 38, highest: 42 }

  it('gives the limit, the larger of two where a quantity stands beside it', () => {
    expect(judged(gate)).toMatchObject({ status: 'no baseline', observed: 50, limit: null })
    expect(judged(gate, { baseline: of40 })).toMatchObject({ status: 'held', limit: 60, baselineValue: 40 })
    const alone = gate.replace(' or 60 ms', '')
    expect(judged(alone, { baseline: of40 })).toMatchObject({ status: 'breached' })
    expect(judged(alone, { baseline: of40 }).limit).toBeCloseTo(44, 6)
  })

  it('is found by what it measures, and only for the same target, scale and load', () => {
    const { target, plan } = {
      target: { name: 'harbour', origin: 'http://127.0.0.1:1' },
      plan: { commit: null, scale: 1, load: 'x' },
    }
    const earlier = {
      rule: 'mean response time of "hold" under 300 ms',
      unit: 'ms',
      observed: 41,
      lowerBound: 38,
      upperBound: null,
    } as const
    const baseline = baselineFrom({ id: 'a', verdict: 'open', startedAt: '', target, plan, gates: [earlier] })
    const [now] = planOf(gate).gates
    if (now === undefined) throw new Error('no gate')

    expect(baselineValue(baseline, now)).toMatchObject({ observed: 41, lowerBound: 38, upperBound: 41 })
    expect(baselineFault(baseline, { target, plan })).toBeUndefined()
    expect(baselineFault(baseline, { target: { name: 'pier' }, plan })).toMatch(/against harbour/)
    expect(baselineFault(baseline, { target, plan: { scale: 0.5, load: 'x' } })).toMatch(/scale 1/)
    expect(baselineFault(baseline, { target, plan: { scale: 1, load: 'y' } })).toMatch(/load/)
    expect(baselineFault({ ...baseline, verdict: 'void' }, { target, plan })).toMatch(/Void \(inconclusive\)/)
    expect(baselineFault({ ...baseline, verdict: 'stopped' }, { target, plan })).toMatch(/Stopped/)
  })
})

describe('a stop rule', () => {
  const watchOf = (stop: string, counts: [requests: number, failed: number][]) => {
    const plan = planOf(
      `rule: failed requests at most 25 %\n    stop: ${stop}`,
      '  - { phase: peak, rate: 5/s, for: 60s }',
    )
    const watch = new StopWatch(plan.gates, shapeOf(plan, previewOf(plan).phases))
    return counts.findIndex(([requests, failed], second) => {
      const bucket = emptyBucket(second)
      bucket.steps.push({
        ...emptyStep(0, 0, 0, 0),
        requests,
        failed,
      })
      return watch.add(bucket) !== undefined
    })
  }
  const good: [number, number] = [20, 1]
  const bad: [number, number] = [20, 10]
  const few: [number, number] = [9, 9]

  it('fires at the first breach, after seconds in a row, or after seconds in all', () => {
    expect(watchOf('after 1 breached second', [good, bad])).toBe(1)
    expect(watchOf('after 3 breached seconds in a row', [bad, bad, good, bad, bad, bad])).toBe(5)
    expect(watchOf('after 3 breached seconds', [bad, bad, good, bad])).toBe(3)
  })

  it('judges few samples by the latest ten, so that a slow load can fire, too', () => {
    expect(watchOf('after 3 breached seconds in a row', [good, few, few, few])).toBe(3)
    expect(watchOf('after 1 breached second', [few])).toBe(0)
    expect(watchOf('after 1 breached second', [good, [1, 1], [1, 0]])).toBe(-1)
  })

  it('sees a target that hangs by what has been in flight beyond the limit', () => {
    const plan = planOf(
      'rule: p95 response time under 2s\n    stop: after 2 breached seconds in a row',
      '  - { phase: peak, rate: 5/s, for: 60s }',
    )
    const hanging = (second: number, waitedMs: number[]) => ({
      ...emptyBucket(second),
      open: [{ phase: 0, step: 0, journey: 0, waitedMs }],
    })
    const watch = new StopWatch(plan.gates, shapeOf(plan, previewOf(plan).phases))

    expect(watch.add(hanging(0, []))).toBeUndefined()
    expect(watch.add(hanging(1, [1500]))).toBeUndefined()
    expect(watch.add(hanging(2, [2500, 1500]))).toBeUndefined()
    expect(watch.add(hanging(3, [3500, 2500]))).toMatchObject({ index: 0, atMs: 4000, value: 3500 })
  })
})

describe('the generator', () => {
  const reasons = (gate: string, faults = { local: [], deaths: [] }) => {
    const plan = planOf(gate)
    const shape = shapeOf(
      plan,
      previewOf(plan).phases.map((phase) => ({ ...phase, arrivals: 80 })),
      MEASURED,
    )
    const recording = new Recording()
    for (const bucket of buckets()) recording.add(bucket)
    return reasonsOf(distrust(recording, shape, plan.gates, faults))
  }

  it('is distrusted when arrivals were capped, unless a gate limits that', () => {
    expect(reasons('failed requests at most 1 %')).toEqual([expect.stringMatching(/60 of 80.*20 arrivals were capped/)])
    expect(reasons('capped arrivals at most 30 %')).toEqual([])
  })
})
