// Compares runs with the first of them: a test of every row takes longer than a page may stand still.
import { compareRuns, type Comparison, type RunResult } from '@jolt-gate/core'

export interface ToCompareWorker {
  first: RunResult
  others: RunResult[]
}

self.onmessage = ({ data: { first, others } }: MessageEvent<ToCompareWorker>) => {
  const comparisons: Comparison[] = others.map((other) => compareRuns(first, other))
  self.postMessage(comparisons)
}
