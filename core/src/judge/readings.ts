// What a gate's measure comes to over some cells, with its statistic, its interval and the samples it needs.
import type { Statistic } from '../language/sentences.js'
import type { Distribution } from '../numbers/distribution.js'
import { samplesNeeded } from '../numbers/percentiles.js'
import type { RunShape } from '../measure/shape.js'
import { MEASURES, type Measured } from '../plan/measures.js'
import type { Gate } from '../plan/model.js'
import { CellFigures } from './figures.js'
import { percentOf, statisticOf, sum, viewOfBuckets, type CellView, type GateScope } from './scope.js'
import { isCount } from './subject.js'
import type { Bucket } from '../measure/bucket.js'
import { copyOf } from '../measure/cells.js'

export type Interval = [low: number | null, high: number | null]

/** A measure with its statistic taken: ms, a share of 1, a rate or a count. */
export type Reading = { kind: 'measured'; value: number; samples: number } | { kind: 'unmeasured'; samples: number }

/** What a gate's measure comes to; a percentile of too few samples, and 0 of 0, are unmeasured. */
export function readGate(gate: Gate, view: CellView, shape: RunShape, scope: GateScope): Reading {
  const measured = measureOf(gate, view, shape, scope)
  switch (measured.kind) {
    case 'distribution':
      return readDistribution(gate.statistic, measured.distribution)
    case 'list':
      return readList(gate.statistic, measured.values)
    case 'share':
      return readShare(gate, measured.part, measured.all)
    case 'number':
      return { ...measured, kind: 'measured' }
    case 'of the run':
      return { kind: 'unmeasured', samples: 0 }
    default:
      return measured satisfies never
  }
}

/** Fewer samples than this in a second say nothing about it. */
const LEAST_IN_A_SECOND = 10

/** What a gate's measure was in one second, by what ended in it; null where too little did. */
export function secondOf(gate: Gate, measured: Measured): number | null {
  switch (measured.kind) {
    case 'distribution':
      return measured.distribution.count < LEAST_IN_A_SECOND || gate.statistic === undefined
        ? null
        : statisticOf(measured.distribution, gate.statistic)
    case 'list':
      return measured.values[0] ?? null
    case 'share':
      if (isCount(gate)) return measured.part
      return measured.all < LEAST_IN_A_SECOND ? null : measured.part / measured.all
    case 'of the run':
      return null
    case 'number':
      return gate.measure.kind === 'apdex' && measured.samples < LEAST_IN_A_SECOND ? null : measured.value
    default:
      return measured satisfies never
  }
}

/**
 * What a stop rule judges at the end of a second: rates by the second itself; times and shares by what ended in it, or,
 * where that were fewer than ten, by the latest seconds in which ten ended. Requests that have been in flight for
 * longer than an upper limit on the response time count as if they had ended by now, so that a hang is seen.
 *
 * @param latest - seconds up to this one, in order
 * @param limitMs - the upper limit on a time, or undefined
 * @returns in the measure's own unit; null where nothing can be said
 */
export function readLatest(
  gate: Gate,
  latest: readonly Bucket[],
  shape: RunShape,
  scope: GateScope,
  limitMs: number | undefined,
): number | null {
  const now = latest.at(-1)
  if (now === undefined) return null
  const isRead = (measured: Measured): boolean => samplesOf(measured) >= LEAST_IN_A_SECOND
  let from = latest.length - 1
  let measured = measureOf(gate, viewOfBuckets(latest.slice(from)), shape, scope)
  if (measured.kind === 'list' || (measured.kind === 'number' && gate.measure.kind !== 'apdex'))
    return measured.kind === 'list' ? (measured.values[0] ?? null) : measured.value
  const overdue = gate.measure.kind === 'response time' && limitMs !== undefined ? overdueIn(now, scope, limitMs) : []
  while (!isRead(measured) && from > 0) {
    from--
    // A slow load has many seconds in which nothing ended: they add nothing.
    if (hasEnded(latest[from])) measured = measureOf(gate, viewOfBuckets(latest.slice(from)), shape, scope)
  }
  if (measured.kind === 'distribution' && gate.statistic !== undefined) {
    const times = copyOf(measured.distribution)
    for (const ms of overdue) times.record(1000 * ms)
    return times.count === 0 ? null : statisticOf(times, gate.statistic)
  }
  if (measured.kind === 'share') return isCount(gate) ? measured.part : shareOf(measured.part, measured.all)
  return measured.kind === 'number' && measured.samples > 0 ? measured.value : null
}

const hasEnded = (bucket: Bucket | undefined): boolean =>
  bucket !== undefined && bucket.steps.length + bucket.journeys.length + bucket.groups.length + bucket.checks.length > 0

function samplesOf(measured: Measured): number {
  if (measured.kind === 'distribution') return measured.distribution.count
  if (measured.kind === 'share') return measured.all
  if (measured.kind === 'of the run') return 0
  return measured.kind === 'number' ? measured.samples : measured.values.length
}

/** Seconds that are looked back for ten samples, at most. */
export const MOST_LOOKED_BACK = 600

const shareOf = (part: number, all: number): number | null => (all === 0 ? null : part / all)

/** What requests in flight have waited beyond a limit, in ms. */
function overdueIn({ open }: Bucket, scope: GateScope, limitMs: number): number[] {
  return open
    .filter(({ phase, step, journey }) => scope.isPhase(phase) && scope.isStep(step) && scope.isJourney(journey))
    .flatMap(({ waitedMs }) => waitedMs.filter((ms) => ms > limitMs))
}

/** The measure of a gate over some cells, with no statistic taken. */
export function measureOf(gate: Gate, view: CellView, shape: RunShape, scope: GateScope): Measured {
  return MEASURES[gate.measure.kind].read(new CellFigures(gate, view, shape, scope), gate.measure)
}

function readDistribution(statistic: Statistic | undefined, distribution: Distribution): Reading {
  const samples = distribution.count
  if (samples === 0 || statistic === undefined) return { kind: 'unmeasured', samples }
  const percent = percentOf(statistic)
  const value = statisticOf(distribution, statistic)
  if (percent === undefined) return { kind: 'measured', value, samples }
  return samples < samplesNeeded(percent) ? { kind: 'unmeasured', samples } : { kind: 'measured', value, samples }
}

/** A statistic over one value a second; percentiles by nearest rank. */
function readList(statistic: Statistic | undefined, values: number[]): Reading {
  const samples = values.length
  if (samples === 0 || statistic === undefined) return { kind: 'unmeasured', samples }
  const sorted = [...values].sort((a, b) => a - b)
  const percent = percentOf(statistic)
  if (percent !== undefined && samples < samplesNeeded(percent)) return { kind: 'unmeasured', samples }
  return { kind: 'measured', value: statisticOfList(sorted, statistic), samples }
}

function statisticOfList(sorted: readonly number[], statistic: Statistic): number {
  const count = sorted.length
  const mean = sum(sorted, (value) => value) / count
  switch (statistic.kind) {
    case 'mean':
      return mean
    case 'min':
      return sorted[0] ?? NaN
    case 'max':
      return sorted.at(-1) ?? NaN
    case 'sd':
      return count < 2 ? 0 : Math.sqrt(sum(sorted, (value) => (value - mean) ** 2) / (count - 1))
    default: {
      const rank = Math.max(1, Math.ceil(((percentOf(statistic) ?? 50) / 100) * count - 1e-9))
      return sorted[rank - 1] ?? NaN
    }
  }
}

/** A share of all, or a count where the limit is one; 0 of 0 is unmeasured. */
function readShare(gate: Gate, part: number, all: number): Reading {
  if (all === 0) return { kind: 'unmeasured', samples: 0 }
  return { kind: 'measured', value: isCount(gate) ? part : part / all, samples: all }
}
