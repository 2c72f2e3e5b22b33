// How a run would have felt to users: one of four grades, and how long the service took to recover.
import type { Distribution } from '../numbers/distribution.js'
import { medianOf } from '../numbers/trends.js'
import { pool } from '../measure/cells.js'
import type { RunShape } from '../measure/shape.js'
import { phaseRanges } from '../measure/shape.js'
import type { Gate } from '../plan/model.js'
import type { RunView } from '../view/run-view.js'

export const GRADES = ['steady', 'strained', 'failing', 'lost'] as const
export type Grade = (typeof GRADES)[number]

export interface Impact {
  /** Null where the plan says nothing of how fast is fast enough. */
  grade: Grade | null
  /** T of Apdex. */
  satisfiedMs: number | null
  /** Of the worst window. */
  lowestApdex: number | null
  failedIterationShare: number
  /** From the end of the busiest phase until the service was as before; null where it was not, or nothing tells. */
  recovery: Recovery
}

export type Recovery =
  | ({ kind: 'recovered'; phase: string; ms: number } & Until)
  | ({ kind: 'not recovered'; phase: string } & Until)
  | { kind: 'unmeasured'; phase: string | null; reason: string }

/** How it was until then, on the median of the windows; 1 and 0 where it recovered at once. */
interface Until {
  /** The p95 as a multiple of the reference's. */
  slowdown: number
  failedShare: number
}

const WINDOW_SECONDS = 5
const STEADY_APDEX = 0.85
const STEADY_FAILED = 0.001
const STRAINED_FAILED = 0.01
const REFERENCE_WINDOWS = 12
const IN_A_ROW = 5

/** T of Apdex: what the plan says, else the smallest limit of its gates on response times, else none. */
export function satisfiedMsOf(satisfiedMs: number | undefined, gates: readonly Gate[]): number | null {
  const limits = gates.flatMap(({ measure, limit, comparison }) =>
    measure.kind === 'response time' && limit.kind === 'fixed' && (comparison === 'under' || comparison === 'at most')
      ? [limit.value]
      : [],
  )
  return satisfiedMs ?? (limits.length === 0 ? null : Math.min(...limits))
}

/**
 * The grade of a run, over windows of five seconds of its measured phases.
 *
 * Steady: Apdex at least 0.85 in each window, and under 0.1 % of iterations failed. Strained: below that, but at
 * least 99 % of iterations finished unfailed. Failing: worse, but recovered, or nothing tells. Lost: worse, and not
 * recovered.
 *
 * Source: Apdex Technical Specification, version 1.1, for the score and for 0.85, the lower end of "good".
 */
export function impactOf(view: RunView, satisfiedMs: number | null): Impact {
  const { shape, recording } = view
  const all = windowsBySecond(view)
  const windows = all.filter(({ requests }) => requests > 0)
  const journeys = [...recording.journeys.values()].filter(({ phase }) => shape.phases[phase]?.measured === true)
  const failed = journeys.reduce((sum, cell) => sum + cell.failed + cell.cutOff, 0)
  const iterations = journeys.reduce((sum, cell) => sum + cell.finished, failed)
  const failedIterationShare = iterations === 0 ? 0 : failed / iterations
  const recovery = recoveryAfter(view, busiestPhase(shape), all)
  if (satisfiedMs === null || windows.length === 0)
    return { grade: null, satisfiedMs, lowestApdex: null, failedIterationShare, recovery }
  const lowestApdex = Math.min(...windows.map((window) => apdex(window, satisfiedMs)))
  const grade =
    lowestApdex >= STEADY_APDEX && failedIterationShare < STEADY_FAILED
      ? 'steady'
      : failedIterationShare <= STRAINED_FAILED
        ? 'strained'
        : recovery.kind === 'not recovered'
          ? 'lost'
          : 'failing'
  return { grade, satisfiedMs, lowestApdex, failedIterationShare, recovery }
}

/**
 * How long after a phase the service was as before it: five windows in a row, none of them empty, whose p95 and share
 * of failures are at most the 95th percentile of the reference's windows. The reference is a measured phase before
 * it, of no higher rate, of twelve windows or more.
 */
export function recoveryAfter(view: RunView, busiest: number, windows = windowsBySecond(view)): Recovery {
  const { shape } = view
  const ranges = phaseRanges(shape)
  const [phase, range] = [shape.phases[busiest], ranges[busiest]]
  if (phase === undefined || range === undefined) return { kind: 'unmeasured', phase: null, reason: 'there is no load' }
  const unmeasured = (reason: string): Recovery => ({ kind: 'unmeasured', phase: phase.name, reason })
  const within = (fromMs: number, toMs: number) =>
    windows.filter(({ fromSecond }) => fromSecond * 1000 >= fromMs && (fromSecond + WINDOW_SECONDS) * 1000 <= toMs)
  const reference = shape.phases
    .map((_, index) => index)
    .filter((index) => {
      const other = shape.phases[index]
      return (
        (ranges[index]?.toMs ?? Infinity) <= range.fromMs &&
        other?.measured === true &&
        peakOf(shape, index) <= peakOf(shape, busiest)
      )
    })
    .map((index) => within(ranges[index]?.fromMs ?? 0, ranges[index]?.toMs ?? 0).filter(({ requests }) => requests > 0))
    .findLast((some) => some.length >= REFERENCE_WINDOWS)
  if (reference === undefined) return unmeasured('no measured phase of a minute or more comes before it')
  const after = within(range.toMs, Infinity).filter(({ isMeasured }) => isMeasured)
  if (after.every(({ requests }) => requests === 0)) return unmeasured('no measured load comes after it')
  const bound = (of: (window: SecondsWindow) => number) => {
    const sorted = reference.map(of).toSorted((a, b) => a - b)
    return sorted[Math.ceil(0.95 * sorted.length) - 1] ?? 0
  }
  const [slowest, mostFailed] = [bound(p95Of), bound(failedOf)]
  const isAsBefore = (window: SecondsWindow) =>
    window.requests > 0 && p95Of(window) <= slowest && failedOf(window) <= mostFailed
  const first = after.findIndex(
    (_, index) => index + IN_A_ROW <= after.length && after.slice(index, index + IN_A_ROW).every(isAsBefore),
  )
  const at = after[first]
  const before = after.slice(0, first < 0 ? after.length : first).filter(({ requests }) => requests > 0)
  const until = {
    slowdown: before.length === 0 ? 1 : medianOf(before.map(p95Of)) / medianOf(reference.map(p95Of)),
    failedShare: before.length === 0 ? 0 : medianOf(before.map(failedOf)),
  }
  return at === undefined
    ? { kind: 'not recovered', phase: phase.name, ...until }
    : { kind: 'recovered', phase: phase.name, ms: Math.max(0, at.fromSecond * 1000 - range.toMs), ...until }
}

interface SecondsWindow {
  fromSecond: number
  isMeasured: boolean
  requests: number
  failed: number
  times: readonly Distribution[]
}

function p95Of({ times }: SecondsWindow): number {
  const all = pool(times)
  return all.count === 0 ? 0 : all.percentile(95)
}
const failedOf = ({ requests, failed }: SecondsWindow) => (requests === 0 ? 0 : failed / requests)

function apdex({ times, requests, failed }: SecondsWindow, satisfiedMs: number): number {
  const passed = requests - failed
  const upTo = (ms: number) => times.reduce((sum, some) => sum + some.countUpTo(ms * 1000), 0)
  const satisfied = Math.min(passed, upTo(satisfiedMs))
  const tolerating = Math.min(passed, upTo(4 * satisfiedMs)) - satisfied
  return (satisfied + tolerating / 2) / requests
}

/** Windows of five seconds; requests that were due in phases that are not measured are left out. */
function windowsBySecond({ buckets, shape }: RunView): SecondsWindow[] {
  const ranges = phaseRanges(shape)
  const windows = new Map<number, SecondsWindow>()
  for (const { second, steps } of buckets) {
    const fromSecond = second - (second % WINDOW_SECONDS)
    const cells = steps.filter(({ phase }) => shape.phases[phase]?.measured === true)
    const known = windows.get(fromSecond)
    windows.set(fromSecond, {
      fromSecond,
      isMeasured: ranges.some(
        ({ fromMs, toMs }, index) =>
          shape.phases[index]?.measured === true &&
          fromMs < (fromSecond + WINDOW_SECONDS) * 1000 &&
          toMs > fromSecond * 1000,
      ),
      requests: cells.reduce((sum, { requests }) => sum + requests, known?.requests ?? 0),
      failed: cells.reduce((sum, { failed }) => sum + failed, known?.failed ?? 0),
      times: [...(known?.times ?? []), ...cells.map(({ responseTime }) => responseTime)],
    })
  }
  return [...windows.values()].toSorted((one, other) => one.fromSecond - other.fromSecond)
}

/** The phase of the highest rate, or of the most users where none has a rate. */
function busiestPhase(shape: RunShape): number {
  const peaks = shape.phases.map((phase, index) => (phase.measured ? peakOf(shape, index) : -1))
  return peaks.lastIndexOf(Math.max(...peaks))
}

const peakOf = ({ phases }: RunShape, index: number): number => {
  const phase = phases[index]
  return phase === undefined ? 0 : Math.max(...phase.rates, ...phase.users)
}
