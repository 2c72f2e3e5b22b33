// Compares runs, one by one or side by side: a test of every row takes longer than a page may stand still.
import { compareRuns, compareSides, type Comparison, type RunResult } from '@jolt-gate/core'

/** Runs that are each held against the first, or two sides of several. */
export type ToCompareWorker =
  | { kind: 'one by one'; first: RunResult; others: RunResult[] }
  | { kind: 'sides'; before: RunResult[]; after: RunResult[] }

self.onmessage = ({ data }: MessageEvent<ToCompareWorker>) => {
  const comparisons: Comparison[] =
    data.kind === 'sides'
      ? [compareSides(data.before, data.after)]
      : data.others.map((other) => compareRuns(data.first, other))
  self.postMessage(comparisons)
}
