// A run in windows of five seconds, over its measured phases: what impact and recovery are read from.
import type { Bucket } from '../measure/bucket.js'
import { responseTimeAt, waitedTimeAt } from '../measure/bounds.js'
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
  /** Of these, what those that timed out or were cut off had waited. */
  waited: readonly Distribution[]
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
      waited: [
        ...(known?.waited ?? []),
        ...cells.map((cell) => (as === 'seen' ? cell.waitedTime : waitedTimeAt(cell, errorMs, as))),
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
  waited: windows.flatMap(({ waited }) => waited),
})

/**
 * Neighbours merged until each window has so many requests: of a few, one slow one says nothing.
 *
 * @param windows - in order
 */
export function mergedTo(windows: readonly SecondsWindow[], least: number): SecondsWindow[] {
  const merged: SecondsWindow[] = []
  for (const window of windows) {
    const last = merged.at(-1)
    if (last !== undefined && last.requests < least) merged[merged.length - 1] = pooled([last, window])
    else merged.push(window)
  }
  const [last, before] = [merged.at(-1), merged.at(-2)]
  return last === undefined || before === undefined || last.requests >= least
    ? merged
    : [...merged.slice(0, -2), pooled([before, last])]
}

/** In µs; 0 of a window without times. */
export function p95Of({ times }: SecondsWindow): number {
  const all = pool(times)
  return all.count === 0 ? 0 : all.percentile(95)
}

export const failedShareOf = ({ requests, failed }: SecondsWindow): number => (requests === 0 ? 0 : failed / requests)

/** Apdex of a window: satisfied up to T, tolerating up to four times it; what failed is frustrated. */
export function apdexOf({ times, waited, requests, failed }: SecondsWindow, satisfiedMs: number): number {
  const passed = requests - failed
  const among = (some: readonly Distribution[], ms: number) =>
    some.reduce((sum, one) => sum + one.countUpTo(ms * 1000), 0)
  const upTo = (ms: number) => among(times, ms) - among(waited, ms)
  const satisfied = Math.min(passed, upTo(satisfiedMs))
  const tolerating = Math.min(passed, upTo(4 * satisfiedMs)) - satisfied
  return (satisfied + tolerating / 2) / requests
}
