// What a gate's measure comes to over some cells. This is the one place where a measure meets its numbers.
import type { Statistic } from '../language/sentences.js'
import type { Distribution } from '../measure/distribution.js'
import { rankInterval, samplesNeeded } from '../numbers/percentiles.js'
import { pool } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import type { Gate } from '../plan/model.js'
import { passedWithin, percentOf, statisticOf, sum, type CellView, type GateScope } from './scope.js'

/** A measure before a statistic is taken. Distributions are in µs, lists in the measure's own unit. */
type Measured =
  | { kind: 'distribution'; distribution: Distribution }
  | { kind: 'list'; values: number[] }
  | { kind: 'share'; part: number; all: number }
  | { kind: 'number'; value: number; samples: number }

export type Interval = [low: number | null, high: number | null]

/** A measure with its statistic taken: ms, a share of 1, a rate or a count. */
export type Reading =
  | { kind: 'measured'; value: number; samples: number; interval: Interval | null }
  | { kind: 'unmeasured'; samples: number }

/** What a gate's measure comes to; a percentile of too few samples, and 0 of 0, are unmeasured. */
export function readGate(gate: Gate, view: CellView, shape: RunShape, scope: GateScope): Reading {
  const measured = measure(gate, view, shape, scope)
  switch (measured.kind) {
    case 'distribution':
      return readDistribution(gate.statistic, measured.distribution)
    case 'list':
      return readList(gate.statistic, measured.values)
    case 'share':
      return readShare(gate, measured.part, measured.all)
    case 'number':
      return { ...measured, kind: 'measured', interval: null }
    default:
      return measured satisfies never
  }
}

/** Fewer samples than this in a second say nothing about it. */
const LEAST_IN_A_SECOND = 10

/** What a gate's measure was in one second, by what ended in it; null where too little did. */
export function readSecond(gate: Gate, view: CellView, shape: RunShape, scope: GateScope): number | null {
  const measured = measure(gate, view, shape, scope)
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
    case 'number':
      return gate.measure.kind === 'apdex' && measured.samples < LEAST_IN_A_SECOND ? null : measured.value
    default:
      return measured satisfies never
  }
}

/** Whether a gate on a share is held against a count. */
export const isCount = (gate: Gate): boolean => gate.limit.kind === 'fixed' && gate.limit.unit === 'number'

function measure(gate: Gate, view: CellView, shape: RunShape, scope: GateScope): Measured {
  const { measure } = gate
  const steps = () => cellsOf(view.steps, scope).filter((cell) => scope.isStep(cell.step))
  const journeys = () => cellsOf(view.journeys, scope)
  const arrivals = () => [...view.arrivals].filter((cell) => scope.isPhase(cell.phase))
  const ended = () =>
    [...view.steps].filter(
      (cell) => scope.isPhase(cell.endPhase) && scope.isStep(cell.step) && scope.isJourney(cell.journey),
    )
  const over = (distributions: Iterable<Distribution>): Measured => ({ kind: 'distribution', distribution: pool(distributions) }) // prettier-ignore
  const count = (value: number): Measured => ({ kind: 'number', value, samples: value })
  const rate = (value: number): Measured => ({
    kind: 'number',
    value: view.lengthSeconds === 0 ? 0 : value / view.lengthSeconds,
    samples: value,
  })
  switch (measure.kind) {
    case 'response time':
      return over(steps().map((cell) => cell.responseTime))
    case 'time to first byte':
      return over(steps().map((cell) => cell.timeToFirstByte))
    case 'connect time':
      return over(steps().map((cell) => cell.connectTime))
    case 'group time':
      return over(cellsOf(view.groups, scope).flatMap((cell) => (scope.isGroup(cell.scope) ? [cell.time] : [])))
    case 'journey time':
      return over(journeys().map((cell) => cell.time))
    case 'start lag':
      return over(arrivals().map((cell) => cell.startLag))
    case 'event loop delay':
      return over(view.seconds.map((second) => second.eventLoopDelay))
    case 'generator busy':
      return { kind: 'list', values: view.seconds.map((second) => second.busy) }
    case 'metric': {
      const index = shape.metrics.findIndex((metric) => metric.name === measure.name)
      // OpenMetrics counts time in seconds; a limit in ms means the same.
      const scale = gate.limit.kind === 'fixed' && gate.limit.unit === 'time' ? 1000 : 1
      const read = view.seconds.map((second) => second.metrics[index] ?? null)
      return { kind: 'list', values: read.flatMap((value) => (value === null ? [] : [value * scale])) }
    }
    case 'failed requests':
      return { kind: 'share', part: sum(steps(), (cell) => cell.failed), all: sum(steps(), (cell) => cell.requests) }
    case 'failed checks': {
      const checks = cellsOf(view.checks, scope).filter((cell) => scope.isStep(shape.checks[cell.check]?.step ?? -1))
      const failed = sum(checks, (cell) => cell.failed)
      return { kind: 'share', part: failed, all: failed + sum(checks, (cell) => cell.passed) }
    }
    case 'failed journeys':
      return {
        kind: 'share',
        part: sum(journeys(), (cell) => cell.failed),
        all: sum(journeys(), (cell) => cell.finished + cell.failed + cell.cutOff),
      }
    case 'cut off':
      return {
        kind: 'share',
        part: sum(journeys(), (cell) => cell.cutOff),
        all: sum(journeys(), (cell) => cell.finished + cell.failed + cell.cutOff),
      }
    case 'capped arrivals':
      return {
        kind: 'share',
        part: sum(arrivals(), (cell) => cell.capped),
        all: sum(arrivals(), (cell) => cell.started + cell.missed + cell.capped + cell.outOfData),
      }
    case 'requests':
      return count(sum(steps(), (cell) => cell.requests))
    case 'arrivals':
      return count(sum(journeys(), (cell) => cell.started))
    case 'journeys':
      return count(sum(journeys(), (cell) => cell.finished))
    case 'arrival rate':
      return rate(sum(journeys(), (cell) => cell.started))
    case 'throughput':
      return rate(passedWithin(ended(), scope))
    case 'bytes received':
      return rate(sum(ended(), (cell) => cell.bytesReceived))
    case 'bytes sent':
      return rate(sum(ended(), (cell) => cell.bytesSent))
    case 'apdex':
      return apdex(steps(), measure.goalMs)
    default:
      return measure satisfies never
  }
}

/**
 * Apdex: satisfied up to the goal, tolerating up to four times it, all else frustrated; failures are frustrated.
 *
 * Source: Apdex Technical Specification, version 1.1.
 */
function apdex(
  cells: readonly { requests: number; failed: number; responseTime: Distribution }[],
  goalMs: number,
): Measured {
  const times = pool(cells.map((cell) => cell.responseTime))
  const requests = sum(cells, (cell) => cell.requests)
  // Requests that timed out stand among the times, at the far end; they are not among those that passed.
  const passed = requests - sum(cells, (cell) => cell.failed)
  const satisfied = Math.min(passed, times.countUpTo(1000 * goalMs))
  const tolerating = Math.min(passed, times.countUpTo(4000 * goalMs)) - satisfied
  if (requests === 0) return { kind: 'share', part: 0, all: 0 }
  return { kind: 'number', value: (satisfied + tolerating / 2) / requests, samples: requests }
}

function cellsOf<T extends { phase: number; journey: number }>(cells: Iterable<T>, scope: GateScope): T[] {
  return [...cells].filter((cell) => scope.isPhase(cell.phase) && scope.isJourney(cell.journey))
}

function readDistribution(statistic: Statistic | undefined, distribution: Distribution): Reading {
  const samples = distribution.count
  if (samples === 0 || statistic === undefined) return { kind: 'unmeasured', samples }
  const percent = percentOf(statistic)
  const value = statisticOf(distribution, statistic)
  if (percent === undefined) return { kind: 'measured', value, samples, interval: null }
  if (samples < samplesNeeded(percent)) return { kind: 'unmeasured', samples }
  const { low, high } = rankInterval(samples, percent)
  const at = (rank: number | null) => (rank === null ? null : distribution.valueAtRank(rank) / 1000)
  return { kind: 'measured', value, samples, interval: [at(low), at(high)] }
}

/** A statistic over one value a second; percentiles by nearest rank. */
function readList(statistic: Statistic | undefined, values: number[]): Reading {
  const samples = values.length
  if (samples === 0 || statistic === undefined) return { kind: 'unmeasured', samples }
  const sorted = [...values].sort((a, b) => a - b)
  const percent = percentOf(statistic)
  if (percent !== undefined && samples < samplesNeeded(percent)) return { kind: 'unmeasured', samples }
  return { kind: 'measured', value: statisticOfList(sorted, statistic), samples, interval: null }
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
  return { kind: 'measured', value: isCount(gate) ? part : part / all, samples: all, interval: null }
}
