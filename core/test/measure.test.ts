import fc from 'fast-check'
import * as hdr from 'hdr-histogram-js'
import * as statistics from 'simple-statistics'
import { describe, expect, it } from 'vitest'
import {
  decodeBucket,
  decodeHdr,
  Distribution,
  emptyBucket,
  emptyStep,
  encodeBucket,
  encodeHdr,
  Recording,
  samplesNeeded,
  slotOf,
} from '../src/index.js'

function distributionOf(values: readonly number[]): Distribution {
  const distribution = new Distribution()
  for (const value of values) distribution.record(value)
  return distribution
}
const times = fc.array(fc.integer({ min: 0, max: 3_600_000_000 }), { minLength: 1, maxLength: 300 })

describe('a distribution', () => {
  // Source: "Percentile", the nearest-rank method's worked example with the list 15, 20, 35, 40, 50. From memory.
  it.each([
    [5, 15],
    [30, 20],
    [40, 20],
    [50, 35],
    [100, 50],
  ])('takes the %dth percentile of 15, 20, 35, 40, 50 by nearest rank: %d', (percent, value) => {
    expect(distributionOf([15, 20, 35, 40, 50]).percentile(percent)).toBe(value)
  })

  // Source: NIST Statistical Reference Datasets, univariate, NumAcc1: certified mean 10000002, standard deviation 1.
  // From memory.
  it('has the certified mean and standard deviation of NumAcc1', () => {
    const distribution = distributionOf([10_000_001, 10_000_003, 10_000_002])

    expect(distribution.mean).toBe(10_000_002)
    expect(distribution.deviation).toBeCloseTo(1, 6)
  })

  // Source: Michelson's 100 readings of the speed of light, 1879 (NIST dataset Michelso): the first twenty, less 299
  // 000 km/s. From memory.
  it('agrees with a general statistics library on published readings', () => {
    const readings = [
      850, 740, 900, 1070, 930, 850, 950, 980, 980, 880, 1000, 980, 930, 650, 760, 810, 1000, 1000, 960, 960,
    ]
    const distribution = distributionOf(readings)

    expect(distribution.mean).toBeCloseTo(statistics.mean(readings), 9)
    expect(distribution.deviation).toBeCloseTo(statistics.sampleStandardDeviation(readings), 9)
    expect(distribution.percentile(50)).toBe(readings.toSorted((a, b) => a - b)[9])
  })

  it('is within 0.1 % of the nearest-rank value of the samples themselves', () => {
    fc.assert(
      fc.property(times, fc.double({ min: 0.1, max: 99.9, noNaN: true }), (values, percent) => {
        const sorted = values.toSorted((a, b) => a - b)
        const exact = sorted[Math.max(1, Math.ceil((percent / 100) * sorted.length - 1e-9)) - 1] ?? 0
        expect(Math.abs(distributionOf(values).percentile(percent) - exact)).toBeLessThanOrEqual(exact * 0.001)
      }),
      { seed: 17 },
    )
  })

  it('adds up to what one of all the values would be, compact or not', () => {
    fc.assert(
      fc.property(times, times, (left, right) => {
        const added = distributionOf(left).compact()
        added.add(distributionOf(right).compact())
        const whole = distributionOf([...left, ...right])
        expect([...added.slots()]).toEqual([...whole.slots()])
        expect([added.count, added.least, added.largest]).toEqual([whole.count, whole.least, whole.largest])
      }),
      { seed: 19 },
    )
  })

  it('clamps what is longer than an hour, and counts it', () => {
    const distribution = distributionOf([7_200_000_000])

    expect(distribution.clamped).toBe(1)
    expect(distribution.percentile(50)).toBe(3_600_000_000)
    expect(distribution.largest).toBe(7_200_000_000)
  })
})

// Reference: hdr-histogram-js, the reference JavaScript library of HdrHistogram.
describe('HdrHistogram V2', () => {
  const reference = () =>
    hdr.build({
      lowestDiscernibleValue: 1,
      highestTrackableValue: 3_600_000_000,
      numberOfSignificantValueDigits: 3,
      bitBucketSize: 32,
    })

  it('that we write is read by the reference library with the same counts', () => {
    fc.assert(
      fc.property(times, (values) => {
        const read = hdr.decodeFromCompressedBase64(Buffer.from(encodeHdr(distributionOf(values))).toString('base64'))
        const direct = reference()
        for (const value of values) direct.recordValue(value)
        expect(read.totalCount).toBe(values.length)
        for (const percent of [10, 50, 95, 99, 100])
          expect(read.getValueAtPercentile(percent)).toBe(direct.getValueAtPercentile(percent))
      }),
      { numRuns: 60, seed: 23 },
    )
  })

  it('that the reference library writes is read by us with the same counts', () => {
    fc.assert(
      fc.property(times, (values) => {
        const written = reference()
        for (const value of values) written.recordValue(value)
        const read = decodeHdr(Buffer.from(hdr.encodeIntoCompressedBase64(written), 'base64'))
        expect([...read.slots()]).toEqual([...distributionOf(values).slots()])
      }),
      { numRuns: 60, seed: 29 },
    )
  })

  it('of anything else is refused, never a crash', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => {
        expect(() => decodeHdr(bytes)).toThrow()
      }),
      { seed: 31 },
    )
  })
})

describe('percentiles', () => {
  // Source: the plan format's own table; the bound is that of S. S. Wilks, 1941: n = ln 0.05 / ln p.
  it.each([
    [50, 5],
    [90, 29],
    [95, 59],
    [99, 299],
    [99.9, 2995],
  ])('p%d needs %d samples', (percent, samples) => {
    expect(samplesNeeded(percent)).toBe(samples)
  })
})

describe('a bucket', () => {
  it('is the same after it was written and read', () => {
    const bucket = emptyBucket(7)
    bucket.users = 12
    bucket.latenessMs = 4.5
    bucket.inFlight = 3
    bucket.steps.push({
      ...emptyStep(1, -1, 2, 0),
      requests: 3,
      failed: 1,
      bytesReceived: 5e9,
      responseTime: distributionOf([1500, 2500]).compact(),
      waitedTime: distributionOf([2500]).compact(),
      failedTime: distributionOf([9]).compact(),
    })
    bucket.failures.push({
      phase: 1,
      step: 2,
      kind: 'status',
      detail: '503',
      count: 1,
      firstAtMs: 7100.5,
      sample: 'zu viel Öl 🛢',
      kept: '{"request":null}',
      rows: [{ data: 1, row: 16, count: 1 }],
    })
    const parts = { dns: null, connect: 0.5, tls: null, firstByte: 7.25, receive: 1, total: 9 }
    bucket.slowest.push({ phase: 1, step: 2, dueMs: 7100.5, failed: true, trace: 'ab', parts })
    bucket.drawn.push({ phase: 1, step: 2, totalMs: 9, status: 503, bytesReceived: 120, isConnected: true })

    const read = decodeBucket(encodeBucket(bucket))

    expect(read).toMatchObject({
      second: 7,
      users: 12,
      latenessMs: 4.5,
      inFlight: 3,
      failures: bucket.failures,
      slowest: bucket.slowest,
      drawn: bucket.drawn,
      steps: [{ endPhase: -1, bytesReceived: 5e9, requests: 3 }],
    })
    expect([...(read.steps[0]?.responseTime.slots() ?? [])]).toEqual([
      [slotOf(1500), 1],
      [slotOf(2500), 1],
    ])
  })

  it('is refused where the bytes are none, whatever they are', () => {
    const refusal = (bytes: Uint8Array): unknown => {
      try {
        decodeBucket(bytes)
        return undefined
      } catch (error) {
        return error
      }
    }
    const written = encodeBucket(emptyBucket(3))
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), fc.nat(written.length), (bytes, at) => {
        const torn = Uint8Array.from([...written.subarray(0, at), ...bytes])
        for (const some of [bytes, Uint8Array.from([4, ...bytes]), torn])
          expect([undefined, RangeError]).toContain((refusal(some) as object | undefined)?.constructor)
      }),
    )
  })

  it('of two senders adds up, in any order', () => {
    const [one, two] = [emptyBucket(0), emptyBucket(0)]
    one.arrivals.push({
      phase: 0,
      started: 3,
      missed: 1,
      capped: 0,
      outOfData: 0,
      startLag: distributionOf([10, 20, 30]),
    })
    two.arrivals.push({
      phase: 0,
      started: 2,
      missed: 0,
      capped: 0,
      outOfData: 0,
      startLag: distributionOf([5, 50]),
    })
    const totals = [
      [one, two],
      [two, one],
    ].map((order) => {
      const recording = new Recording()
      for (const bucket of order) recording.add(bucket)
      const cell = recording.arrivals.get(0)
      return [cell?.started, cell?.missed, cell?.startLag.count, cell?.startLag.largest]
    })

    expect(totals).toEqual([
      [5, 1, 5, 50],
      [5, 1, 5, 50],
    ])
  })
})
