// The series of a run, second by second, as results hold them.
import { dueBySecond } from './phases.js'
import type { RunView } from './run-view.js'
import { round } from './summaries.js'

/** The series of a run as results hold it, rounded to what is measured. */
export function seriesOf({ series, shape, seconds }: RunView) {
  const rounded = (values: readonly (number | null)[]) => values.map((value) => (value === null ? null : round(value)))
  return {
    stepMs: 1000 as const,
    atMs: Array.from({ length: seconds }, (_, second) => second * 1000),
    arrivalsDue: dueBySecond(shape, seconds),
    arrivals: [...series.started],
    users: [...series.users],
    requests: [...series.requests],
    failed: [...series.failed],
    p50: rounded(series.median),
    p95: rounded(series.p95),
    p99: rounded(series.p99),
    startLag: rounded(series.startLag),
    stall: series.stall.map(round),
    error: series.error.map(round),
    busy: series.busy.map(round),
    steal: series.steal.map(round),
    failures: Object.fromEntries([...series.failures].map(([kind, counts]) => [kind, [...counts]])),
    metrics: Object.fromEntries(shape.metrics.map(({ name }, index) => [name, [...(series.metrics[index] ?? [])]])),
  }
}
