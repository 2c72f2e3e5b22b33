// All times of a step as they are drawn: percentiles to the end of the tail, and a histogram.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { pictureOfTimes, previewOf, RunView, shapeOf } from '../src/index.js'
import { bucketOf, distributionOf } from './buckets.js'
import { planText, read } from './reading.js'

const anyTimes = fc.array(fc.integer({ min: 1, max: 60_000 }), { minLength: 1, maxLength: 300 })

describe('a picture of times', () => {
  it('has every percentile as nearest rank has it, rising to the largest time', () => {
    fc.assert(
      fc.property(anyTimes, (ms) => {
        const times = distributionOf(ms)
        const { curve = [] } = pictureOfTimes(times) ?? {}

        for (const [index, point] of curve.entries()) {
          expect(point.ms).toBeGreaterThanOrEqual(curve[index - 1]?.ms ?? 0)
          expect(point.percent).toBeGreaterThanOrEqual(curve[index - 1]?.percent ?? 0)
        }
        for (const { percent, ms: value } of curve.slice(0, -1))
          expect(Math.abs(value - times.percentile(percent) / 1000)).toBeLessThanOrEqual(0.002 * value)
        expect(curve.at(-1)?.ms).toBeCloseTo(Math.max(...ms), 6)
      }),
    )
  })

  // Half of the times are at most the median: nearest rank, as every table has it.
  it('prints the percentiles of the distribution, and none that no time lies beyond', () => {
    const half = [...new Array<number>(60).fill(106), ...new Array<number>(40).fill(301)]

    const printed = pictureOfTimes(distributionOf(half))?.percentiles
    expect(printed?.['50']).toBeCloseTo(106, 0)
    expect(printed?.['75']).toBeCloseTo(301, 0)
    expect(printed?.['99.9']).toBeNull()
    fc.assert(
      fc.property(anyTimes, (ms) => {
        const times = distributionOf(ms)
        for (const [name, value] of Object.entries(pictureOfTimes(times)?.percentiles ?? {}))
          if (value !== null) expect(value).toBe(times.percentile(Number(name)) / 1000)
      }),
    )
  })

  it('has each time in one bar, and bars that meet from the least to the largest', () => {
    fc.assert(
      fc.property(anyTimes, (ms) => {
        const { bars = [], count } = pictureOfTimes(distributionOf(ms)) ?? {}

        expect(bars.reduce((sum, bar) => sum + bar.count, 0)).toBe(ms.length)
        expect(count).toBe(ms.length)
        expect(bars[0]?.fromMs).toBeCloseTo(Math.min(...ms), 6)
        expect((bars.at(-1)?.toMs ?? NaN) / Math.max(...ms)).toBeCloseTo(1, 9)
        for (const [index, { fromMs }] of bars.entries())
          if (index > 0) expect(fromMs / (bars[index - 1]?.toMs ?? NaN)).toBeCloseTo(1, 9)
      }),
    )
  })

  // Ten points to each power of ten: of a thousand times the tail has three.
  it('goes as far into the tail as there are times', () => {
    const thousand = pictureOfTimes(distributionOf(Array.from({ length: 1000 }, (_, index) => index + 1)))

    expect(thousand?.curve.map(({ percent }) => Number(percent.toFixed(1)))).toEqual(
      expect.arrayContaining([0, 90, 99, 99.9]),
    )
    expect(thousand?.curve.find(({ percent }) => percent >= 90)?.ms).toBeCloseTo(900, -1)
    expect(pictureOfTimes(distributionOf([7]))?.curve.map(({ ms }) => ms)).toEqual([7, 7])
    expect(pictureOfTimes(distributionOf([]))).toBeNull()
  })
})

describe('the times of a run', () => {
  const view = () => {
    const { plan } = read(
      planText({
        load: '  - { phase: calm, rate: 1/s, for: 2s, measure: no }\n  - { phase: peak, rate: 1/s, for: 3s }',
      }),
    )
    const run = new RunView({ gates: [], shape: shapeOf(plan, previewOf(plan).phases) })
    for (const [second, ms] of [10, 20, 30, 40, 50].entries())
      run.add({ kind: 'bucket', bucket: bucketOf(second, { ms: [ms], phase: second < 2 ? 0 : 1 }) })
    return run
  }
  const of = { kind: 'step', name: 'search' } as const

  it('are those of its measured phases, and of a range whatever lies in it', () => {
    const run = view()

    expect([run.times(of).count, run.times(of).least, run.times(of).largest]).toEqual([3, 30_000, 50_000])
    const part = run.times(of, { fromSecond: 1, toSecond: 3 })
    expect([part.count, part.least, part.largest]).toEqual([2, 20_000, 30_000])
  })

  it('and its phases are told as far as they lie in a range', () => {
    const run = view()
    const of = (fromSecond: number, toSecond: number) =>
      run.phasesWithin({ fromSecond, toSecond }).map(({ name, fromMs, toMs, arrivalsDue, throughput, steps }) => ({
        ...{ name, span: [fromMs / 1000, toMs / 1000], arrivalsDue, throughput },
        requests: steps.map(({ requests }) => requests),
      }))

    expect(of(1, 3)).toEqual([
      { name: 'calm', span: [1, 2], arrivalsDue: 1, throughput: 1, requests: [1] },
      { name: 'peak', span: [2, 3], arrivalsDue: 1, throughput: 1, requests: [1] },
    ])
    expect(of(3, 9)).toEqual([{ name: 'peak', span: [3, 5], arrivalsDue: 2, throughput: 1, requests: [2] }])
    expect(of(0, 5).map(({ arrivalsDue }) => arrivalsDue)).toEqual(run.phases().map(({ arrivalsDue }) => arrivalsDue))
  })

  it('are none of what is not in the plan', () => {
    expect(view().times({ kind: 'step', name: 'pay' }).count).toBe(0)
    expect(view().times({ kind: 'group', name: 'checkout' }).count).toBe(0)
    expect(view().times({ kind: 'journey', name: 'leave' }).count).toBe(0)
  })
})
