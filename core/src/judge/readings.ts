// What a gate's measure comes to over some cells, with its statistic, its interval and the samples it needs.
import type { Statistic } from '../language/sentences.js'
import type { Distribution } from '../numbers/distribution.js'
import { rankInterval, samplesNeeded } from '../numbers/percentiles.js'
import type { RunShape } from '../measure/shape.js'
import { MEASURES, type Measured } from '../plan/measures.js'
import type { Gate } from '../plan/model.js'
import { CellFigures } from './figures.js'
import { percentOf, statisticOf, sum, type CellView, type GateScope } from './scope.js'

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

/** The measure of a gate over some cells, with no statistic taken. */
function measure(gate: Gate, view: CellView, shape: RunShape, scope: GateScope): Measured {
  return MEASURES[gate.measure.kind].read(new CellFigures(gate, view, shape, scope), gate.measure)
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
