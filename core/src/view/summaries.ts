// The figures of steps and distributions, as results and pages show them.
import { MAX_SLOWEST, type FailureCell, type SlowCell, type TimeParts } from '../measure/bucket.js'
import { keptFrom, type KeptRequest } from '../measure/rehearsed.js'
import type { Distribution } from '../numbers/distribution.js'
import type { BoundedCells } from '../measure/bounds.js'
import { pool, type Cells } from '../measure/cells.js'
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
  /** Between these lie the percentiles that a generator without delay would have seen. */
  lowerBound?: Record<PercentileName, number> | undefined
  upperBound?: Record<PercentileName, number> | undefined
}

export interface FailureSummary {
  kind: string
  detail: string
  count: number
  firstAtMs: number
  sample: string
  /** The first of them in full. */
  kept: KeptRequest | null
}

/** One of the requests of a step that took longest. */
export interface SlowSummary extends TimeParts {
  /** When it was due, from the start of the load. */
  dueMs: number
  failed: boolean
  trace: string | null
}

export interface StepSummary {
  name: string
  journeys: string[]
  group: string | null
  requests: number
  failed: number
  failedShare: number
  /** Sent once more, since a connection used before was closed without an answer. */
  resent: number
  throughput: number
  bytesReceived: number
  bytesSent: number
  responseTime: DistributionSummary | null
  failedTime: DistributionSummary | null
  connectTime: DistributionSummary | null
  timeToFirstByte: DistributionSummary | null
  failures: FailureSummary[]
  /** Those that took longest, the longest first. */
  slowest: SlowSummary[]
  checks: { name: string; passed: number; failed: number }[]
}

/**
 * The usual figures of a distribution, in ms; null when it is empty.
 *
 * @param bounds - the same at its bounds, where the generator may have changed it
 */
export function summaryOf(
  distribution: Distribution,
  bounds?: { lower: Distribution; upper: Distribution },
): DistributionSummary | null {
  if (distribution.count === 0) return null
  return {
    count: distribution.count,
    min: round(distribution.least / 1000),
    mean: round(distribution.mean / 1000),
    sd: round(distribution.deviation / 1000),
    max: round(distribution.largest / 1000),
    percentiles: percentilesOf(distribution),
    ...(bounds === undefined
      ? {}
      : { lowerBound: percentilesOf(bounds.lower), upperBound: percentilesOf(bounds.upper) }),
  }
}

function percentilesOf(distribution: Distribution): Record<PercentileName, number> {
  const at = (percent: number) => round(distribution.percentile(percent) / 1000)
  return { '50': at(50), '75': at(75), '90': at(90), '95': at(95), '99': at(99), '99.9': at(99.9) }
}

/**
 * A time of some cells with its bounds.
 *
 * @param cellsOf - takes the cells, from the recording and from its bounds alike
 * @param timeOf - which time of a cell
 * @returns times in ms; null where there were none
 */
export function boundedSummary<C>(
  recording: BoundedCells,
  cellsOf: (cells: Cells) => Iterable<C>,
  timeOf: (cell: C) => Distribution,
): DistributionSummary | null {
  const of = (cells: Cells) => pool([...cellsOf(cells)].map(timeOf))
  return summaryOf(of(recording), { lower: of(recording.lower), upper: of(recording.upper) })
}

/**
 * The figures of every step that sends something, or that failed.
 *
 * @param isPhase - whether a phase counts
 * @param seconds - of these phases, for rates
 */
export function stepSummaries(
  recording: BoundedCells,
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
  recording: BoundedCells,
  shape: RunShape,
  step: number,
  isPhase: (phase: number) => boolean,
  seconds: number,
): StepSummary {
  const cellsOf = (of: Cells) => of.stepCells(isPhase, (other) => other === step)
  const cells = [...cellsOf(recording)]
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
    resent: sum(cells, (cell) => cell.resent),
    throughput: share(passed, seconds),
    bytesReceived: sum(cells, (cell) => cell.bytesReceived),
    bytesSent: sum(cells, (cell) => cell.bytesSent),
    responseTime: boundedSummary(recording, cellsOf, (cell) => cell.responseTime),
    failedTime: summaryOf(pool(cells.map((cell) => cell.failedTime))),
    connectTime: boundedSummary(recording, cellsOf, (cell) => cell.connectTime),
    timeToFirstByte: boundedSummary(recording, cellsOf, (cell) => cell.timeToFirstByte),
    failures: failuresOf([...recording.failures.values()].filter((cell) => cell.step === step && isPhase(cell.phase))),
    slowest: slowestOf(
      [...recording.slowest.values()].flat().filter((cell) => cell.step === step && isPhase(cell.phase)),
    ),
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
  for (const { kind, detail, count, firstAtMs, sample, kept } of cells) {
    const key = `${kind} ${detail}`
    const known = kinds.get(key)
    if (known === undefined)
      kinds.set(key, { kind, detail, count, firstAtMs: round(firstAtMs), sample, kept: keptFrom(kept) })
    else {
      known.count += count
      known.kept ??= keptFrom(kept)
      known.firstAtMs = Math.min(known.firstAtMs, round(firstAtMs))
    }
  }
  return [...kinds.values()].sort((a, b) => b.count - a.count)
}

function slowestOf(cells: SlowCell[]): SlowSummary[] {
  return cells
    .toSorted((one, other) => other.parts.total - one.parts.total)
    .slice(0, MAX_SLOWEST)
    .map(({ dueMs, failed, trace, parts }) => ({
      dueMs: round(dueMs),
      failed,
      trace: trace === '' ? null : trace,
      ...parts,
    }))
}

/** A part of a whole, from 0 to 1; 0 of nothing. */
export const share = (part: number, all: number): number => (all === 0 ? 0 : part / all)
/** To three decimals, as results hold times in ms. */
export const round = (value: number): number => Math.round(value * 1000) / 1000
