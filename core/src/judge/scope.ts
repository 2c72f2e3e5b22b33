// What a gate looks at: phases, steps, groups and journeys, and the cells that belong to them.
import type { Statistic } from '../language/sentences.js'
import type { ArrivalCell, Bucket, CheckCell, ScopeCell, StepCell } from '../measure/bucket.js'
import type { Distribution } from '../numbers/distribution.js'
import type { Cells } from '../measure/cells.js'
import type { Recording, SecondRow } from '../measure/recording.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Gate } from '../plan/model.js'

export interface GateScope {
  isPhase: (phase: number) => boolean
  isStep: (step: number) => boolean
  isGroup: (group: number) => boolean
  isJourney: (journey: number) => boolean
}

/** The cells of a part of a run: of all of it, or of one second. */
export interface CellView {
  steps: readonly StepCell[]
  groups: readonly ScopeCell[]
  journeys: readonly ScopeCell[]
  arrivals: readonly ArrivalCell[]
  checks: readonly CheckCell[]
  /** One entry a second within the phases of the scope. */
  seconds: { busy: number; eventLoopDelay: Distribution; metrics: readonly (number | null)[] }[]
  /** Over which rates are taken. */
  lengthSeconds: number
}

/** The measured phases, and the steps, groups and journeys that a gate covers. */
export function scopeOf(gate: Pick<Gate, 'of' | 'during' | 'journey'>, shape: RunShape): GateScope {
  const { of, during, journey } = gate
  const named = <T>(items: readonly T[], nameOf: (item: T) => string) =>
    new Set(items.flatMap((item, index) => (of.kind !== 'names' || of.names.includes(nameOf(item)) ? [index] : [])))
  const steps = named(shape.steps, (step) => step.name)
  const groups = named(shape.groups, (group) => group)
  const phases = new Set(
    shape.phases.flatMap((phase, index) => {
      const isNamed = during.length === 0 || during.includes(phase.name) || during.includes(phase.ladder ?? '')
      return phase.measured && isNamed ? [index] : []
    }),
  )
  const only = journey === undefined ? -1 : shape.journeys.indexOf(journey)
  return {
    isPhase: (phase) => phases.has(phase),
    isStep: (step) => steps.has(step),
    isGroup: (group) => groups.has(group),
    isJourney: (number) => only < 0 || number === only,
  }
}

/**
 * Everything recorded, as far as a scope covers it.
 *
 * @param cells - the recording's own, or the same at a bound
 */
export function viewOfRecording(
  recording: Recording,
  shape: RunShape,
  scope: GateScope,
  cells: Cells = recording,
): CellView {
  return {
    steps: [...cells.steps.values()],
    groups: [...cells.groups.values()],
    journeys: [...cells.journeys.values()],
    arrivals: [...cells.arrivals.values()],
    checks: [...cells.checks.values()],
    seconds: secondsWithin(recording, shape, scope),
    lengthSeconds: secondsOf(shape, scope),
  }
}

/** The seconds that begin within the phases of a scope. */
export function secondsWithin(recording: Recording, shape: RunShape, scope: Pick<GateScope, 'isPhase'>): SecondRow[] {
  const ranges = phaseRanges(shape).filter((_, index) => scope.isPhase(index))
  return recording.seconds.filter((_, second) => isWithin(ranges, second))
}

/** Readings of a metric in some seconds, and how many of them failed; the first of a rate can only be missing. */
export function readingsOf(
  metric: string,
  rows: readonly Pick<SecondRow, 'metrics'>[],
  shape: RunShape,
): { readings: number; lost: number } {
  const index = shape.metrics.findIndex(({ name }) => name === metric)
  const missing = rows.filter(({ metrics }) => (metrics[index] ?? null) === null).length
  return { readings: rows.length, lost: Math.max(0, missing - 1) }
}

/** One second of a run. */
export function viewOfBucket(bucket: Bucket): CellView {
  return viewOfBuckets([bucket])
}

export function viewOfBuckets(buckets: readonly Bucket[]): CellView {
  return {
    steps: buckets.flatMap(({ steps }) => steps),
    groups: buckets.flatMap(({ groups }) => groups),
    journeys: buckets.flatMap(({ journeys }) => journeys),
    arrivals: buckets.flatMap(({ arrivals }) => arrivals),
    checks: buckets.flatMap(({ checks }) => checks),
    seconds: buckets.map(({ busy, eventLoopDelay, metrics }) => ({ busy, eventLoopDelay, metrics })),
    lengthSeconds: buckets.length,
  }
}

/** Whether a second begins within one of some ranges. */
export function isWithin(ranges: readonly { fromMs: number; toMs: number }[], second: number): boolean {
  return ranges.some(({ fromMs, toMs }) => second * 1000 >= fromMs && second * 1000 < toMs)
}

/**
 * Length of the phases of a scope; where tracks run beside one another, time counts once.
 *
 * @param untilMs - what lies after this moment of the load does not count
 */
export function secondsOf(shape: RunShape, scope: Pick<GateScope, 'isPhase'>, untilMs = Infinity): number {
  const ranges = phaseRanges(shape)
    .filter((_, index) => scope.isPhase(index))
    .sort((a, b) => a.fromMs - b.fromMs)
  let total = 0
  let reachedMs = 0
  for (const { fromMs, toMs } of ranges) {
    const endMs = Math.min(toMs, untilMs)
    total += Math.max(0, endMs - Math.max(fromMs, reachedMs))
    reachedMs = Math.max(reachedMs, endMs)
  }
  return total / 1000
}

/** Passed requests that ended within the phases of a scope, wherever they were due. */
export function passedWithin(steps: Iterable<StepCell>, scope: Pick<GateScope, 'isPhase' | 'isStep'>): number {
  return sum(steps, (cell) =>
    scope.isPhase(cell.endPhase) && scope.isStep(cell.step) ? cell.requests - cell.failed : 0,
  )
}

/** A statistic of a distribution, in ms. */
export function statisticOf(distribution: Distribution, statistic: Statistic): number {
  switch (statistic.kind) {
    case 'mean':
      return distribution.mean / 1000
    case 'median':
      return distribution.percentile(50) / 1000
    case 'min':
      return distribution.least / 1000
    case 'max':
      return distribution.largest / 1000
    case 'sd':
      return distribution.deviation / 1000
    case 'percentile':
      return distribution.percentile(statistic.percent) / 1000
    default:
      return statistic satisfies never
  }
}

/** The percentile that a statistic is, or undefined. */
export function percentOf(statistic: Statistic | undefined): number | undefined {
  if (statistic?.kind === 'median') return 50
  return statistic?.kind === 'percentile' ? statistic.percent : undefined
}

export function sum<T>(items: Iterable<T>, value: (item: T) => number): number {
  let total = 0
  for (const item of items) total += value(item)
  return total
}
