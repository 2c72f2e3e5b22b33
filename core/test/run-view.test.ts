// A run as it is seen second by second: what a page, the command and the result all take from one place.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { decodeBucket, encodeBucket, previewOf, RunView, shapeOf, type Bucket } from '../src/index.js'
import { bucketOf, type Second } from './buckets.js'
import { planText, read } from './reading.js'

function viewOf(gates: string[], load: string): RunView {
  const { plan, problems } = read(planText({ load, gates: gates.map((gate) => `  - ${gate}`).join('\n') || '  []' }))
  if (problems.length > 0) throw new Error(problems[0]?.message)
  return new RunView({ gates: plan.gates, shape: shapeOf(plan, previewOf(plan).phases) })
}
const TEN_SECONDS = '  - { phase: hold, rate: 5/s, for: 10s }'
const FOUR_HOURS = '  - { phase: hold, rate: 5/s, for: 4h }'

function feed(view: RunView, seconds: readonly (Second | undefined)[], from = 0): void {
  for (const [index, second] of seconds.entries())
    if (second !== undefined) view.add({ kind: 'bucket', bucket: bucketOf(from + index, second) })
}

/** The nearest rank: definition 1 of Hyndman and Fan, Sample Quantiles in Statistical Packages (1996), from memory. */
function nearestRank(values: number[], percent: number): number {
  const sorted = values.toSorted((one, other) => one - other)
  return sorted[Math.max(1, Math.ceil((percent / 100) * sorted.length)) - 1] ?? NaN
}

describe('a time range', () => {
  const anySecond = fc.record({
    ms: fc.array(fc.integer({ min: 1, max: 5000 }), { maxLength: 20 }),
    failed: fc.nat(3),
  })

  it('has the figures of its own seconds and of no other, whatever they are', () => {
    fc.assert(
      fc.property(
        fc.array(anySecond, { minLength: 1, maxLength: 30 }),
        fc.nat(29),
        fc.nat(29),
        (seconds, one, other) => {
          const [fromSecond, toSecond] = [Math.min(one, other), Math.max(one, other) + 1]
          const view = viewOf([], '  - { phase: hold, rate: 5/s, for: 30s }')
          feed(view, seconds)

          const [step] = view.steps({ fromSecond, toSecond })

          const part = seconds.slice(fromSecond, toSecond)
          const times = part.flatMap(({ ms }) => ms)
          const failed = part.reduce((sum, second) => sum + second.failed, 0)
          expect(step?.requests ?? 0).toBe(times.length + failed)
          expect(step?.failed ?? 0).toBe(failed)
          if (times.length === 0) return
          expect(step?.throughput).toBeCloseTo(times.length / (toSecond - fromSecond), 3)
          const p90 = nearestRank(times, 90)
          expect(Math.abs((step?.responseTime?.percentiles['90'] ?? NaN) - p90)).toBeLessThanOrEqual(0.01 * p90)
        },
      ),
    )
  })

  it('of one second late in four hours is that second', () => {
    const view = viewOf([], FOUR_HOURS)
    for (let second = 0; second < 4 * 3600; second++) feed(view, [{ ms: [100] }], second)
    feed(view, [{ ms: [700, 700], failed: 1 }], 4 * 3600)

    expect(view.seconds).toBe(4 * 3600 + 1)
    expect(view.steps({ fromSecond: 4 * 3600, toSecond: 4 * 3600 + 1 })[0]).toMatchObject({ requests: 3, failed: 1 })
    expect(view.steps()[0]?.requests).toBe(4 * 3600 + 3)
  })
})

describe('a further second', () => {
  /** A bucket that may be read until it is closed. */
  function closable(bucket: Bucket): { bucket: Bucket; close: () => void } {
    let isClosed = false
    const guarded = new Proxy(bucket, {
      get(target, key, receiver) {
        if (isClosed) throw new Error(`second ${String(bucket.second)} was read again`)
        const value: unknown = Reflect.get(target, key, receiver)
        return value
      },
    })
    return { bucket: guarded, close: () => (isClosed = true) }
  }

  it('is taken, and every gate judged, without a look at those before it', () => {
    const view = viewOf(['p95 response time under 300 ms', 'failed requests at most 1 %'], TEN_SECONDS)
    for (let second = 0; second < 10; second++) {
      const { bucket, close } = closable(bucketOf(second, { ms: new Array<number>(60).fill(100 + second) }))
      view.add({ kind: 'bucket', bucket })
      close()
      expect(view.gates().map(({ status }) => status)).toEqual(['held', 'held'])
      expect(view.steps()[0]?.requests).toBe(60 * (second + 1))
    }
  })

  it('after one in which nobody reported anything leaves a row of nothing, in every series', () => {
    const view = viewOf(['p95 response time under 300 ms'], TEN_SECONDS)
    feed(view, [{ ms: [100] }, undefined, undefined, { ms: [200, 200], failed: 1 }])

    const { series } = view
    expect(series.requests).toEqual([1, 0, 0, 3])
    expect(series.failures.get('status')).toEqual([0, 0, 0, 1])
    expect(series.median.map((value) => (value === null ? null : Math.round(value)))).toEqual([100, null, null, 200])
    expect(view.gateValues(0)).toHaveLength(4)
  })
})

describe('what a run tells beside its seconds', () => {
  const LOWER = 'throughput at least 4/s'

  it('a lower limit on a rate is still on its way until its phases are over, or nothing more comes', () => {
    const view = viewOf([LOWER], TEN_SECONDS)
    const status = () => view.gates()[0]?.status
    feed(view, [{ ms: [1] }])
    expect(status()).toBe('not judged')
    view.add({ kind: 'end' })
    expect(status()).toBe('breached')
  })

  it('throughput of a live run is over the seconds that have passed', () => {
    const view = viewOf([], TEN_SECONDS)
    feed(view, [{ ms: [1, 1, 1, 1, 1] }, { ms: [1, 1, 1, 1, 1] }])
    expect(view.steps()[0]?.throughput).toBe(5)
    view.add({ kind: 'end' })
    expect(view.steps()[0]?.throughput).toBe(1)
  })

  it('phases that were shorter than planned make the rate', () => {
    const view = viewOf([LOWER], TEN_SECONDS)
    feed(view, [{ ms: [1, 1, 1, 1, 1] }, { ms: [1, 1, 1, 1, 1] }])
    view.add({ kind: 'end' })
    expect(view.gates()[0]).toMatchObject({ status: 'breached', observed: 1 })

    view.add({ kind: 'phases', seconds: [2] })
    expect(view.gates()[0]).toMatchObject({ status: 'held', observed: 5 })
    expect(view.steps()[0]?.throughput).toBe(5)
  })

  it('a gate whose stop rule fired stays breached, whatever comes later', () => {
    const view = viewOf(['failed requests at most 50 %'], TEN_SECONDS)
    feed(view, [{ failed: 10 }])
    view.add({ kind: 'stop rule', gate: 0, atMs: 1000, value: 42 })
    feed(view, [{ ms: new Array<number>(1000).fill(1) }], 1)
    expect(view.gates()[0]).toMatchObject({ status: 'breached', stoppedAtMs: 1000, observed: 42 })
  })

  it('does not change the shape of the one who asked', () => {
    const { plan } = read(planText({ load: TEN_SECONDS }))
    const shape = shapeOf(plan, previewOf(plan).phases)
    const view = new RunView({ gates: plan.gates, shape })
    view.add({ kind: 'phases', seconds: [3] })
    expect([shape.phases[0]?.seconds, view.shape.phases[0]?.seconds]).toEqual([10, 3])
  })
})

it('seconds that travelled as bytes make the same picture', () => {
  fc.assert(
    fc.property(
      fc.array(fc.record({ ms: fc.array(fc.integer({ min: 1, max: 60_000 })), failed: fc.nat(4) }), { maxLength: 12 }),
      (seconds) => {
        const gates = ['p95 response time under 300 ms', 'failed requests at most 1 %', 'throughput at least 1/s']
        const [here, there] = [viewOf(gates, TEN_SECONDS), viewOf(gates, TEN_SECONDS)]
        for (const [number, second] of seconds.entries()) {
          const bucket = bucketOf(number, second)
          here.add({ kind: 'bucket', bucket })
          there.add({ kind: 'bucket', bucket: decodeBucket(encodeBucket(bucket)) })
          expect(there.gates()).toEqual(here.gates())
        }
        expect(there.series).toEqual(here.series)
        expect(there.steps()).toEqual(here.steps())
      },
    ),
    { numRuns: 40 },
  )
})
