// A run in windows of five seconds, over its measured phases: what impact and recovery are read from.
import type { Bucket } from '../measure/bucket.js'
import { responseTimeAt } from '../measure/bounds.js'
import { WINDOW_SECONDS } from '../load/window-sizes.js'
import { pool } from '../measure/cells.js'
import type { Recording } from '../measure/recording.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Distribution } from '../numbers/distribution.js'

/** What of a run windows are made from. */
export interface RunSeconds {
  shape: RunShape
  buckets: readonly Bucket[]
  recording: Recording
}

export interface SecondsWindow {
  fromSecond: number
  isMeasured: boolean
  requests: number
  failed: number
  times: readonly Distribution[]
}

/** Times as they were seen, or as they would have been with a generator on time, at the least or at the most. */
export type TimesAs = 'seen' | 'lower' | 'upper'

/** Windows of five seconds; requests that were due in phases that are not measured are left out. */
export function windowsOf({ buckets, shape, recording }: RunSeconds, as: TimesAs = 'seen'): SecondsWindow[] {
  const measured = phaseRanges(shape).filter((_, index) => shape.phases[index]?.measured === true)
  const windows = new Map<number, SecondsWindow>()
  for (const { second, steps } of buckets) {
    const fromSecond = second - (second % WINDOW_SECONDS)
    const toSecond = fromSecond + WINDOW_SECONDS
    const cells = steps.filter(({ phase }) => shape.phases[phase]?.measured === true)
    const errorMs = recording.seconds[second]?.errorMs ?? 0
    const known = windows.get(fromSecond)
    windows.set(fromSecond, {
      fromSecond,
      isMeasured: measured.some(({ fromMs, toMs }) => fromMs < toSecond * 1000 && toMs > fromSecond * 1000),
      requests: cells.reduce((sum, { requests }) => sum + requests, known?.requests ?? 0),
      failed: cells.reduce((sum, { failed }) => sum + failed, known?.failed ?? 0),
      times: [
        ...(known?.times ?? []),
        ...cells.map((cell) => (as === 'seen' ? cell.responseTime : responseTimeAt(cell, errorMs, as))),
      ],
    })
  }
  return [...windows.values()].toSorted((one, other) => one.fromSecond - other.fromSecond)
}

/** Several windows as one. */
export const pooled = (windows: readonly SecondsWindow[]): SecondsWindow => ({
  fromSecond: windows[0]?.fromSecond ?? 0,
  isMeasured: windows.some(({ isMeasured }) => isMeasured),
  requests: windows.reduce((sum, { requests }) => sum + requests, 0),
  failed: windows.reduce((sum, { failed }) => sum + failed, 0),
  times: windows.flatMap(({ times }) => times),
})

/** In µs; 0 of a window without times. */
export function p95Of({ times }: SecondsWindow): number {
  const all = pool(times)
  return all.count === 0 ? 0 : all.percentile(95)
}

export const failedShareOf = ({ requests, failed }: SecondsWindow): number => (requests === 0 ? 0 : failed / requests)

/** Apdex of a window: satisfied up to T, tolerating up to four times it; what failed is frustrated. */
export function apdexOf({ times, requests, failed }: SecondsWindow, satisfiedMs: number): number {
  const passed = requests - failed
  const upTo = (ms: number) => times.reduce((sum, some) => sum + some.countUpTo(ms * 1000), 0)
  const satisfied = Math.min(passed, upTo(satisfiedMs))
  const tolerating = Math.min(passed, upTo(4 * satisfiedMs)) - satisfied
  return (satisfied + tolerating / 2) / requests
}
