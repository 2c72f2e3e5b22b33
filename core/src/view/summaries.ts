// The figures of steps and distributions, as results and pages show them.
import type { FailureCell } from '../measure/bucket.js'
import type { Distribution } from '../numbers/distribution.js'
import { pool, type Recording } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import { passedWithin, sum } from '../judge/scope.js'

export const PERCENTILES = ['50', '75', '90', '95', '99', '99.9'] as const
export type PercentileName = (typeof PERCENTILES)[number]

export interface DistributionSummary {
  count: number
  min: number
  mean: number
  sd: number
  max: number
  percentiles: Record<PercentileName, number>
}

export interface FailureSummary {
  kind: string
  detail: string
  count: number
  firstAtMs: number
  sample: string
}

export interface StepSummary {
  name: string
  journeys: string[]
  group: string | null
  requests: number
  failed: number
  failedShare: number
  throughput: number
  bytesReceived: number
  bytesSent: number
  responseTime: DistributionSummary | null
  failedTime: DistributionSummary | null
  connectTime: DistributionSummary | null
  timeToFirstByte: DistributionSummary | null
  failures: FailureSummary[]
  checks: { name: string; passed: number; failed: number }[]
}

/** The usual figures of a distribution, in ms; null when it is empty. */
export function summaryOf(distribution: Distribution): DistributionSummary | null {
  if (distribution.count === 0) return null
  const at = (percent: number) => round(distribution.percentile(percent) / 1000)
  return {
    count: distribution.count,
    min: round(distribution.least / 1000),
    mean: round(distribution.mean / 1000),
    sd: round(distribution.deviation / 1000),
    max: round(distribution.largest / 1000),
    percentiles: { '50': at(50), '75': at(75), '90': at(90), '95': at(95), '99': at(99), '99.9': at(99.9) },
  }
}

/** The figures of every step that sends something, or that failed. */
export function stepSummaries(
  recording: Recording,
  shape: RunShape,
  isPhase: (phase: number) => boolean,
  seconds: number,
): StepSummary[] {
  return shape.steps.flatMap(({ isRequest }, step) => {
    const summary = stepSummary(recording, shape, step, isPhase, seconds)
    return isRequest || summary.failures.length > 0 ? [summary] : []
  })
}

/** The figures of one step over some phases, or over a time range whose recording holds nothing else. */
function stepSummary(
  recording: Recording,
  shape: RunShape,
  step: number,
  isPhase: (phase: number) => boolean,
  seconds: number,
): StepSummary {
  const cells = [...recording.stepCells(isPhase, (other) => other === step)]
  const requests = sum(cells, (cell) => cell.requests)
  const failed = sum(cells, (cell) => cell.failed)
  const named = shape.steps[step]
  const passed = passedWithin(recording.steps.values(), { isPhase, isStep: (other) => other === step })
  return {
    name: named?.name ?? '',
    journeys: named?.journeys ?? [],
    group: named?.group ?? null,
    requests,
    failed,
    failedShare: share(failed, requests),
    throughput: share(passed, seconds),
    bytesReceived: sum(cells, (cell) => cell.bytesReceived),
    bytesSent: sum(cells, (cell) => cell.bytesSent),
    responseTime: summaryOf(pool(cells.map((cell) => cell.responseTime))),
    failedTime: summaryOf(pool(cells.map((cell) => cell.failedTime))),
    connectTime: summaryOf(pool(cells.map((cell) => cell.connectTime))),
    timeToFirstByte: summaryOf(pool(cells.map((cell) => cell.timeToFirstByte))),
    failures: failuresOf([...recording.failures.values()].filter((cell) => cell.step === step && isPhase(cell.phase))),
    checks: shape.checks.flatMap((check, index) => {
      if (check.step !== step) return []
      const counted = [...recording.checks.values()].filter((cell) => cell.check === index && isPhase(cell.phase))
      return [
        { name: check.name, passed: sum(counted, (cell) => cell.passed), failed: sum(counted, (cell) => cell.failed) },
      ]
    }),
  }
}

function failuresOf(cells: FailureCell[]): FailureSummary[] {
  const kinds = new Map<string, FailureSummary>()
  for (const { kind, detail, count, firstAtMs, sample } of cells) {
    const key = `${kind} ${detail}`
    const known = kinds.get(key)
    if (known === undefined) kinds.set(key, { kind, detail, count, firstAtMs: round(firstAtMs), sample })
    else {
      known.count += count
      known.firstAtMs = Math.min(known.firstAtMs, round(firstAtMs))
    }
  }
  return [...kinds.values()].sort((a, b) => b.count - a.count)
}

export const share = (part: number, all: number): number => (all === 0 ? 0 : part / all)
export const round = (value: number): number => Math.round(value * 1000) / 1000
