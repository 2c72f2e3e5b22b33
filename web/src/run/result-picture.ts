// What a page shows of a run that has ended before its seconds are read: all of it stands in the result.
import { limitLinesOf, gatesOf, type RunResult } from '@jolt-gate/core'
import type { RunDetail } from '@jolt-gate/core/api'
import type { RunPicture } from './run.worker.js'

export function pictureOfResult({ plan, shape }: Pick<RunDetail, 'plan' | 'shape'>, result: RunResult): RunPicture {
  const { series } = result
  const nothing = series.atMs.map(() => 0)
  // Results of old know their sum alone: it is not nothing.
  const failures = Object.entries(series.failures ?? { failed: series.failed }).map(([kind, values]) => {
    const counts = values.map((value) => value ?? 0)
    return { kind, counts, total: counts.reduce((sum, count) => sum + count, 0) }
  })
  const source = { shape, series, gates: () => result.gates, gateValues: () => [] }
  return {
    started: series.arrivals,
    users: series.users,
    requests: series.requests,
    failed: series.failed,
    median: series.p50,
    p95: series.p95,
    p99: series.p99,
    startLag: series.startLag,
    stall: series.stall ?? nothing,
    error: series.error ?? nothing,
    busy: series.busy,
    steal: series.steal ?? nothing,
    seconds: series.atMs.length,
    failures: failures.filter(({ total }) => total > 0).toSorted((one, other) => other.total - one.total),
    metrics: shape.metrics.map((metric) => ({ ...metric, values: series.metrics[metric.name] ?? [] })),
    gates: result.gates,
    limitLines: limitLinesOf(gatesOf(plan), source),
    steps: result.steps.map((step) => ({
      ...step,
      resent: step.resent ?? 0,
      slowest: step.slowest ?? [],
      failures: step.failures.map((failure) => ({ ...failure, kept: failure.kept ?? null })),
    })),
    places: result.places ?? [],
    networks: result.networks ?? [],
    groups: result.groups,
    journeys: result.journeys.map((journey) => ({ ...journey, unfinished: journey.unfinished ?? 0 })),
    phases: result.phases,
    findings: result.findings ?? [],
    impact: result.impact,
    own: {},
    times: undefined,
    range: null,
  }
}
