// What a gate measured in batches of seconds in a row, and how surely that is known.
import type { Bucket } from '../measure/bucket.js'
import type { RunShape } from '../measure/shape.js'
import {
  inGroups,
  LEAST_BATCHES,
  meanInterval,
  percentileInterval,
  shareInterval,
  type BatchedValues,
  type BatchInterval,
  type RatioBatch,
} from '../numbers/batches.js'
import { Distribution } from '../numbers/distribution.js'
import type { Measured } from '../plan/measures.js'
import type { Gate } from '../plan/model.js'
import { measureOf } from './readings.js'
import { percentOf, viewOfBucket, type GateScope } from './scope.js'
import { isCount } from './subject.js'

/** More batches than this are merged, two by two: enough to find such as do not depend on one another. */
const MOST_BATCHES = 128

/** What one or more seconds in a row hold. */
interface Batch {
  times: Distribution
  values: number[]
  ratio: RatioBatch
}
const emptyBatch = (): Batch => ({ times: new Distribution(), values: [], ratio: { part: 0, all: 0 } })

/** Fed with every second of a run, in order. */
export class GateBatches {
  private batches: Batch[] = []
  /** Seconds of a full batch, and of the last one. */
  private width = 1
  private filled = 1

  constructor(
    private readonly gate: Gate,
    private readonly shape: RunShape,
    private readonly scope: GateScope,
  ) {}

  /** @returns what the gate measured in that second alone */
  add(bucket: Bucket): Measured {
    const measured = measureOf(this.gate, viewOfBucket(bucket), this.shape, this.scope)
    this.addMeasured(measured)
    return measured
  }

  private addMeasured(measured: Measured): void {
    let batch = this.batches.at(-1)
    if (batch === undefined || this.filled === this.width) {
      // Only the last one is added to: the others give up the memory for it.
      batch?.times.compact()
      if (this.batches.length === MOST_BATCHES) this.merge()
      batch = emptyBatch()
      this.batches.push(batch)
      this.filled = 0
    }
    this.filled++
    const { times, values, ratio } = batch
    switch (measured.kind) {
      case 'distribution':
        times.add(measured.distribution)
        return
      case 'list':
        values.push(...measured.values)
        return
      case 'share':
        ratio.part += measured.part
        ratio.all += measured.all
        return
      case 'number':
        ratio.part += measured.value * measured.samples
        ratio.all += measured.samples
        return
      case 'of the run':
        return
      default:
        measured satisfies never
    }
  }

  private merge(): void {
    const merged: Batch[] = []
    for (let index = 0; index < this.batches.length; index += 2) {
      const [first = emptyBatch(), second = emptyBatch()] = this.batches.slice(index, index + 2)
      first.times.add(second.times)
      first.times.compact()
      first.values.push(...second.values)
      first.ratio.part += second.ratio.part
      first.ratio.all += second.ratio.all
      merged.push(first)
    }
    this.batches = merged
    this.width *= 2
    this.filled = this.width
  }

  /**
   * The interval of what the gate measured over all seconds, in the measure's own unit; undefined for what has none:
   * counts, rates, extremes and deviations.
   *
   * @param tail - the chance of being beyond one end
   */
  interval(tail: number): BatchInterval | undefined {
    const { statistic, measure } = this.gate
    const percent = percentOf(statistic)
    const timed = this.batches.filter(({ times }) => times.count > 0)
    if (timed.length > 0) {
      if (percent !== undefined) return inMs(percentileInterval(valuesOfTimes(timed), percent, tail))
      if (statistic?.kind !== 'mean') return undefined
      const all = new Distribution()
      for (const { times } of timed) all.add(times)
      const sums = timed.map(({ times }) => ({ part: times.sum, all: times.count }))
      return inMs(meanInterval(sums, tail, all.deviation))
    }
    const listed = this.batches.filter(({ values }) => values.length > 0)
    if (listed.length > 0) {
      if (percent !== undefined) return percentileInterval(valuesOfLists(listed), percent, tail)
      return statistic?.kind === 'mean'
        ? meanInterval(
            listed.map(({ values }) => sumOf(values)),
            tail,
          )
        : undefined
    }
    const ratios = this.batches.map(({ ratio }) => ratio).filter(({ all }) => all > 0)
    if (ratios.length === 0) return undefined
    if (measure.kind === 'apdex') return meanInterval(ratios, tail)
    const { limit } = this.gate
    const isExact = limit.kind === 'fixed' && (limit.value <= 0 || limit.value >= 1)
    return isOfShare(this.gate) && !isExact ? shareInterval(ratios, tail) : undefined
  }

  /**
   * Whether each of ten batches, or of five seconds or more where there are fewer, by itself lies on the same side of a
   * limit: then it does not matter how far they depend on one another, such as where the load grows. By chance five do
   * in one of thirty (sign test; J. Arbuthnott, 1710).
   *
   * @param limit - in the measure's own unit
   */
  areOnOneSide(limit: number): boolean {
    const percent = percentOf(this.gate.statistic)
    const overs = percent === undefined ? this.ratios() : this.countedOver(limit)
    const border = percent === undefined ? limit : 1 - percent / 100
    const stretches = inTen(overs)
    const over = stretches.filter(({ part, all }) => part > border * all).length
    return stretches.length >= LEAST_ON_ONE_SIDE && (over === 0 || over === stretches.length)
  }

  private ratios(): RatioBatch[] {
    return this.batches.map(({ times, values, ratio }) => {
      if (times.count > 0) return { part: times.sum / 1000, all: times.count }
      return values.length > 0 ? sumOf(values) : ratio
    })
  }

  private countedOver(limit: number): RatioBatch[] {
    return this.batches.map(({ times, values }) =>
      times.count > 0
        ? { part: times.count - times.countUpTo(1000 * limit), all: times.count }
        : { part: values.filter((value) => value > limit).length, all: values.length },
    )
  }
}

/** Ten batches, or as many as there are seconds. */
function inTen(batches: readonly RatioBatch[]): RatioBatch[] {
  const counted = batches.filter(({ all }) => all > 0)
  return inGroups(counted, Math.min(LEAST_BATCHES, counted.length))
}
const LEAST_ON_ONE_SIDE = 5

const SHARES: readonly Gate['measure']['kind'][] = [
  'failed requests',
  'resent requests',
  'failed checks',
  'failed journeys',
  'capped arrivals',
  'cut off',
]
const isOfShare = (gate: Gate): boolean => SHARES.includes(gate.measure.kind) && !isCount(gate)

function valuesOfTimes(batches: readonly Batch[]): BatchedValues {
  const all = new Distribution()
  for (const { times } of batches) all.add(times)
  return {
    counts: batches.map(({ times }) => times.count),
    countsOver: (value) => batches.map(({ times }) => times.count - times.countUpTo(value)),
    valueAtRank: (rank) => all.valueAtRank(rank),
  }
}

function valuesOfLists(batches: readonly Batch[]): BatchedValues {
  const sorted = batches.flatMap(({ values }) => values).toSorted((one, other) => one - other)
  return {
    counts: batches.map(({ values }) => values.length),
    countsOver: (value) => batches.map(({ values }) => values.filter((one) => one > value).length),
    valueAtRank: (rank) => sorted[rank - 1] ?? NaN,
  }
}

const sumOf = (values: readonly number[]): RatioBatch => ({
  part: values.reduce((sum, value) => sum + value, 0),
  all: values.length,
})

function inMs({ low, high, ...rest }: BatchInterval): BatchInterval {
  return { low: low === null ? null : low / 1000, high: high === null ? null : high / 1000, ...rest }
}
