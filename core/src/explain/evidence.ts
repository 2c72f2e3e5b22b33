// What findings are looked for in: a run second by second and by stretches of steady load, taken from the view of it.
import type { Distribution } from '../numbers/distribution.js'
import { pool } from '../measure/cells.js'
import type { DrawnCell, FailureCell } from '../measure/bucket.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { isOpenPhase } from '../plan/phases.js'
import { dueBySecond } from '../view/phases.js'
import type { RunView } from '../view/run-view.js'

export interface EvidenceSecond {
  second: number
  /** Whether what is due then is measured. */
  isMeasured: boolean
  /** Arrivals that the schedule asks for; 0 where users come again by themselves. */
  due: number
  started: number
  requests: number
  failed: number
  users: number
  /** Times that were taken, and two percentiles of them in ms; NaN of none. */
  count: number
  medianMs: number
  p95Ms: number
}

/** Seconds of one phase whose load stays the same, while no other track changes. */
export interface Steady {
  phase: string
  fromSecond: number
  /** Not included. */
  toSecond: number
}

export interface EvidenceStep {
  name: string
  requests: number
  failed: number
  /** Of the measured phases. */
  times: Distribution
  connects: Distribution
  firstBytes: Distribution
  /** By second of ending, wherever they were due; made when it is asked for. */
  bySecond: () => ReadonlyMap<number, Distribution>
  /** Requests that were drawn from all, with the second in which they ended. */
  drawn: () => (DrawnCell & { second: number })[]
}

export interface Evidence {
  shape: RunShape
  seconds: EvidenceSecond[]
  steady: Steady[]
  steps: EvidenceStep[]
  failures: (FailureCell & { second: number })[]
  metrics: { name: string; unit: string; ceiling: number | null; values: readonly (number | null)[] }[]
  requests: number
}

export function evidenceOf(view: RunView): Evidence {
  const { buckets, series, shape, recording } = view
  const ranges = phaseRanges(shape)
  const length = Math.min(recording.seconds.length, Math.ceil(Math.max(0, ...ranges.map(({ toMs }) => toMs)) / 1000))
  const due = dueBySecond(shape, length)
  const isMeasured = (phase: number) => shape.phases[phase]?.measured === true
  const seconds = recording.seconds.slice(0, length).map((row, second) => ({
    second,
    isMeasured: ranges.some(
      ({ fromMs, toMs }, phase) => isMeasured(phase) && fromMs <= second * 1000 && toMs >= (second + 1) * 1000,
    ),
    due: due[second] ?? 0,
    started: row.started,
    requests: row.requests,
    failed: row.failed,
    users: row.users,
    count: row.responseTime.count,
    medianMs: series.median[second] ?? NaN,
    p95Ms: series.p95[second] ?? NaN,
  }))
  return {
    shape,
    seconds,
    steady: steadyOf(shape, seconds.length),
    steps: stepsOf(view, isMeasured),
    failures: buckets.flatMap(({ second, failures }) =>
      failures.filter(({ phase }) => isMeasured(phase)).map((cell) => ({ ...cell, second })),
    ),
    metrics: shape.metrics.map((metric, index) => ({ ...metric, values: series.metrics[index] ?? [] })),
    requests: [...recording.stepCells(isMeasured, () => true)].reduce((sum, { requests }) => sum + requests, 0),
  }
}

function steadyOf(shape: RunShape, length: number): Steady[] {
  const ranges = phaseRanges(shape)
  const isSteady = (index: number) => {
    const phase = shape.phases[index]
    if (phase === undefined || phase.kind === 'batch') return false
    const [from, to] = isOpenPhase(phase) ? phase.rates : phase.users
    return from === to
  }
  return shape.phases.flatMap(({ name, measured }, index): Steady[] => {
    const { fromMs, toMs } = ranges[index] ?? { fromMs: 0, toMs: 0 }
    const isAlone = ranges.every(
      (other, number) =>
        other.toMs <= fromMs ||
        other.fromMs >= toMs ||
        (isSteady(number) && other.fromMs <= fromMs && other.toMs >= toMs),
    )
    const isLoaded = shape.phases[index]?.kind !== 'rest'
    if (!measured || !isLoaded || !isSteady(index) || !isAlone) return []
    const toSecond = Math.min(length, Math.floor(toMs / 1000))
    const fromSecond = Math.ceil(fromMs / 1000)
    return toSecond > fromSecond ? [{ phase: name, fromSecond, toSecond }] : []
  })
}

/** The longest steady phase: the one that tells most. */
export const longestSteady = ({ steady }: Pick<Evidence, 'steady'>): Steady | undefined =>
  steady.toSorted((one, other) => other.toSecond - other.fromSecond - (one.toSecond - one.fromSecond))[0]

function stepsOf({ buckets, shape, recording }: RunView, isMeasured: (phase: number) => boolean): EvidenceStep[] {
  return shape.steps.flatMap(({ name, isRequest }, step) => {
    if (!isRequest) return []
    const cells = [...recording.stepCells(isMeasured, (other) => other === step)]
    return [
      {
        name,
        requests: cells.reduce((sum, cell) => sum + cell.requests, 0),
        failed: cells.reduce((sum, cell) => sum + cell.failed, 0),
        times: pool(cells.map((cell) => cell.responseTime)),
        connects: pool(cells.map((cell) => cell.connectTime)),
        firstBytes: pool(cells.map((cell) => cell.timeToFirstByte)),
        bySecond: () => bySecondOf(buckets, step),
        drawn: () =>
          buckets.flatMap(({ second, drawn }) =>
            drawn.filter((request) => request.step === step).map((request) => ({ ...request, second })),
          ),
      },
    ]
  })
}

function bySecondOf(buckets: RunView['buckets'], step: number): Map<number, Distribution> {
  const bySecond = new Map<number, Distribution>()
  for (const { second, steps } of buckets)
    for (const cell of steps) {
      if (cell.step !== step) continue
      const known = bySecond.get(second)
      bySecond.set(second, known === undefined ? cell.responseTime : pool([known, cell.responseTime]))
    }
  return bySecond
}

export interface SecondsOfStep {
  step: EvidenceStep
  seconds: EvidenceSecond[]
}

/** Steps that are looked at one by one: those with the most requests. */
const MOST_STEPS = 6

/**
 * The seconds of each of the busiest steps, with its own times. The times of a second over all steps change with what
 * happens to be sent in it: what is slow must be sought step by step.
 */
export function secondsByStep({ steps, seconds }: Evidence): SecondsOfStep[] {
  const busiest = steps.toSorted((one, other) => other.requests - one.requests).slice(0, MOST_STEPS)
  return busiest.map((step) => {
    const bySecond = step.bySecond()
    const own = seconds.map((second) => {
      const times = bySecond.get(second.second)
      const at = (percent: number) => (times === undefined ? NaN : times.percentile(percent) / 1000)
      return { ...second, count: times?.count ?? 0, medianMs: at(50), p95Ms: at(95) }
    })
    return { step, seconds: own }
  })
}

/** Seconds in a row, taken together. */
export interface Window {
  fromSecond: number
  /** Means over the seconds. */
  due: number
  started: number
  passed: number
  users: number
}

/** Windows of so many seconds; what is left over at the end is left out. */
function windowsOf(seconds: readonly EvidenceSecond[], size: number): Window[] {
  const windows: Window[] = []
  for (let from = 0; from + size <= seconds.length; from += size) {
    const part = seconds.slice(from, from + size)
    const mean = (value: (second: EvidenceSecond) => number) =>
      part.reduce((sum, second) => sum + value(second), 0) / size
    windows.push({
      fromSecond: part[0]?.second ?? 0,
      due: mean(({ due }) => due),
      started: mean(({ started }) => started),
      passed: mean(({ requests, failed }) => requests - failed),
      users: mean(({ users }) => users),
    })
  }
  return windows
}

/** Windows wide enough that there are at most so many. */
export const windowsUpTo = (seconds: readonly EvidenceSecond[], most: number): Window[] =>
  windowsOf(seconds, Math.max(1, Math.ceil(seconds.length / most)))

/** The phases that touch some seconds, by name. */
export function phasesWithin(shape: RunShape, fromSecond: number, toSecond: number): string[] {
  const ranges = phaseRanges(shape)
  return shape.phases.flatMap(({ name }, index) => {
    const { fromMs = 0, toMs = 0 } = ranges[index] ?? {}
    return fromMs < toSecond * 1000 && toMs > fromSecond * 1000 ? [name] : []
  })
}
