// How long a service took after a phase until it was as before it.
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { medianOf } from '../numbers/trends.js'
import { RECOVERED_OF_THEM, RECOVERED_WINDOWS, REFERENCE_WINDOWS, WINDOW_SECONDS } from '../load/window-sizes.js'
import { failedShareOf, p95Of, type SecondsWindow } from './windows.js'

export type Recovery =
  | ({ kind: 'recovered'; phase: string; ms: number } & Until)
  /** Where the last windows were as before, it may have recovered at the first of them: no sooner. */
  | ({ kind: 'not recovered'; phase: string; soonestMs: number } & Until)
  | { kind: 'unmeasured'; phase: string | null; reason: string }

/** How it was until then, on the median of the windows; 1 and 0 where it recovered at once. */
interface Until {
  /** The p95 as a multiple of the reference's. */
  slowdown: number
  failedShare: number
}

/** So far over the bound of the reference no window of an undisturbed service comes. */
const CLEARLY = 1.3
const CLEARLY_FAILED = 0.01

/**
 * How long after a phase the service was as before it: five windows in a row, none of them empty, of which three have a
 * p95 and a share of failures of at most the 95th percentile of the reference's windows. It counts to the first of the
 * five that is not clearly worse than that: what is slow for two windows did not recover at once. The reference is a
 * measured phase before it, of no higher rate, of twelve windows or more.
 *
 * Source of the bound: S. S. Wilks, "Determination of sample sizes for setting tolerance limits", 1941.
 *
 * @param after - the phase, by its number
 * @param windows - of the whole run
 */
export function recoveryAfter(shape: RunShape, after: number, windows: readonly SecondsWindow[]): Recovery {
  const ranges = phaseRanges(shape)
  const [phase, range] = [shape.phases[after], ranges[after]]
  if (phase === undefined || range === undefined) return { kind: 'unmeasured', phase: null, reason: 'there is no load' }
  const unmeasured = (reason: string): Recovery => ({ kind: 'unmeasured', phase: phase.name, reason })
  const within = (all: readonly SecondsWindow[], fromMs: number, toMs: number) =>
    all.filter(({ fromSecond }) => fromSecond * 1000 >= fromMs && (fromSecond + WINDOW_SECONDS) * 1000 <= toMs)
  const reference = shape.phases
    .map((_, index) => index)
    .filter((index) => {
      const other = shape.phases[index]
      return (
        (ranges[index]?.toMs ?? Infinity) <= range.fromMs &&
        other?.measured === true &&
        peakOf(shape, index) <= peakOf(shape, after)
      )
    })
    .map((index) =>
      within(windows, ranges[index]?.fromMs ?? 0, ranges[index]?.toMs ?? 0).filter(({ requests }) => requests > 0),
    )
    .findLast((some) => some.length >= REFERENCE_WINDOWS)
  if (reference === undefined) return unmeasured('no measured phase of a minute or more comes before it')
  const later = within(windows, range.toMs, Infinity).filter(({ isMeasured }) => isMeasured)
  if (later.every(({ requests }) => requests === 0)) return unmeasured('no measured load comes after it')
  const bound = (of: (window: SecondsWindow) => number) => {
    const sorted = reference.map(of).toSorted((a, b) => a - b)
    return sorted[Math.ceil(0.95 * sorted.length) - 1] ?? 0
  }
  const [slowest, mostFailed] = [bound(p95Of), bound(failedShareOf)]
  const isAsBefore = (window: SecondsWindow) =>
    window.requests > 0 && p95Of(window) <= slowest && failedShareOf(window) <= mostFailed
  const isClearlyWorse = (window: SecondsWindow) =>
    p95Of(window) > CLEARLY * slowest || failedShareOf(window) > mostFailed + CLEARLY_FAILED
  const begins = later.findIndex((_, index) => {
    const five = later.slice(index, index + RECOVERED_WINDOWS)
    const isFull = five.length === RECOVERED_WINDOWS && five.every(({ requests }) => requests > 0)
    return isFull && five.filter(isAsBefore).length >= RECOVERED_OF_THEM
  })
  const first = begins < 0 ? -1 : later.findIndex((window, index) => index >= begins && !isClearlyWorse(window))
  const at = later[first]
  const before = later.slice(0, first < 0 ? later.length : first).filter(({ requests }) => requests > 0)
  const until = {
    slowdown: before.length === 0 ? 1 : medianOf(before.map(p95Of)) / medianOf(reference.map(p95Of)),
    failedShare: before.length === 0 ? 0 : medianOf(before.map(failedShareOf)),
  }
  const sinceEnd = (second: number) => Math.max(0, second * 1000 - range.toMs)
  // What comes after the last window that is clearly worse may be the beginning of five that are as before.
  const lastWorse = later.findLast((window) => window.requests === 0 || isClearlyWorse(window))
  const soonestMs = lastWorse === undefined ? 0 : sinceEnd(lastWorse.fromSecond + WINDOW_SECONDS)
  return at === undefined
    ? { kind: 'not recovered', phase: phase.name, soonestMs, ...until }
    : { kind: 'recovered', phase: phase.name, ms: sinceEnd(at.fromSecond), ...until }
}

/** The phase of the highest rate, or of the most users where none has a rate. */
export function busiestPhase(shape: RunShape): number {
  const peaks = shape.phases.map((phase, index) => (phase.measured ? peakOf(shape, index) : -1))
  return peaks.lastIndexOf(Math.max(...peaks))
}

const peakOf = ({ phases }: RunShape, index: number): number => {
  const phase = phases[index]
  return phase === undefined ? 0 : Math.max(...phase.rates, ...phase.users)
}
