// The cells of many buckets, added up by what they are of.
import { Distribution } from '../numbers/distribution.js'
import {
  MAX_FAILED_ROWS,
  MAX_SLOWEST,
  type ArrivalCell,
  type Bucket,
  type CheckCell,
  type CalledCell,
  type FailureCell,
  type RedirectCell,
  type RowCount,
  type ScopeCell,
  type SlowCell,
  type StepCell,
} from './bucket.js'

export const STEP_TIMES = ['responseTime', 'waitedTime', 'failedTime', 'connectTime', 'timeToFirstByte'] as const

/** What ended in some seconds. */
export type CountedCells = Pick<
  Bucket,
  'steps' | 'groups' | 'journeys' | 'arrivals' | 'checks' | 'failures' | 'slowest' | 'redirects' | 'called'
>

/** What of a group or journey is counted. */
export const SCOPE_COUNTS = [
  'started',
  'finished',
  'endedFailed',
  'cutOff',
  'byRequests',
  'local',
  'unfinished',
  'staying',
] as const

export class Cells {
  readonly steps = new Map<string, StepCell>()
  readonly groups = new Map<string, ScopeCell>()
  readonly journeys = new Map<string, ScopeCell>()
  readonly arrivals = new Map<number, ArrivalCell>()
  readonly checks = new Map<string, CheckCell>()
  readonly failures = new Map<string, FailureCell>()
  readonly redirects = new Map<string, RedirectCell>()
  readonly called = new Map<string, CalledCell>()
  /** Of each step of each phase, the longest first. */
  readonly slowest = new Map<string, SlowCell[]>()

  /** Adds what ended in a second; the order of adding does not matter. */
  addCells(cells: CountedCells): void {
    for (const cell of cells.steps) this.addStep(cell)
    for (const cell of cells.groups) addScope(this.groups, cell)
    for (const cell of cells.journeys) addScope(this.journeys, cell)
    for (const cell of cells.arrivals) this.addArrivals(cell)
    for (const cell of cells.checks) this.addChecks(cell)
    for (const cell of cells.failures) this.addFailure(cell)
    for (const cell of cells.slowest) this.addSlow(cell)
    for (const cell of cells.redirects) this.addRedirects(cell)
    for (const cell of cells.called) this.called.set(`${String(cell.journey)} ${String(cell.step)}`, cell)
  }

  /** All of it, as what ended in one stretch of time. */
  counted(): CountedCells {
    return {
      steps: [...this.steps.values()],
      groups: [...this.groups.values()],
      journeys: [...this.journeys.values()],
      arrivals: [...this.arrivals.values()],
      checks: [...this.checks.values()],
      failures: [...this.failures.values()],
      slowest: [...this.slowest.values()].flat(),
      redirects: [...this.redirects.values()],
      called: [...this.called.values()],
    }
  }

  /** Gives up the memory for adding to it. */
  compact(): void {
    for (const cell of this.steps.values()) for (const time of STEP_TIMES) cell[time].compact()
    for (const { time, unfinishedTime } of [...this.groups.values(), ...this.journeys.values()]) {
      time.compact()
      unfinishedTime.compact()
    }
    for (const { startLag } of this.arrivals.values()) startLag.compact()
  }

  /** The cells of some steps, due in some phases. */
  *stepCells(isPhase: (phase: number) => boolean, isStep: (step: number) => boolean): Generator<StepCell> {
    for (const cell of this.steps.values()) if (isPhase(cell.phase) && isStep(cell.step)) yield cell
  }

  private addStep(cell: StepCell): void {
    const key = `${String(cell.phase)} ${String(cell.endPhase)} ${String(cell.step)} ${String(cell.journey)}`
    const into = this.steps.get(key)
    if (into === undefined) {
      const copy = { ...cell }
      for (const time of STEP_TIMES) copy[time] = copyOf(cell[time])
      this.steps.set(key, copy)
      return
    }
    into.requests += cell.requests
    into.failed += cell.failed
    into.resent += cell.resent
    into.bytesReceived += cell.bytesReceived
    into.bytesSent += cell.bytesSent
    for (const time of STEP_TIMES) into[time].add(cell[time])
  }

  private addArrivals(cell: ArrivalCell): void {
    const into = this.arrivals.get(cell.phase)
    if (into === undefined) {
      this.arrivals.set(cell.phase, { ...cell, startLag: copyOf(cell.startLag) })
      return
    }
    into.started += cell.started
    into.missed += cell.missed
    into.capped += cell.capped
    into.outOfData += cell.outOfData
    into.startLag.add(cell.startLag)
  }

  private addChecks(cell: CheckCell): void {
    const key = `${String(cell.phase)} ${String(cell.check)} ${String(cell.journey)}`
    const into = this.checks.get(key)
    if (into === undefined) {
      this.checks.set(key, { ...cell })
      return
    }
    into.passed += cell.passed
    into.failed += cell.failed
  }

  private addFailure(cell: FailureCell): void {
    const key = `${String(cell.phase)} ${String(cell.step)} ${cell.kind} ${cell.detail}`
    const into = this.failures.get(key)
    if (into === undefined) {
      this.failures.set(key, { ...cell, rows: cell.rows.map((row) => ({ ...row })) })
      return
    }
    for (const { data, row, count } of cell.rows) countRow(into.rows, data, row, count)
    into.count += cell.count
    if (cell.firstAtMs < into.firstAtMs) {
      into.firstAtMs = cell.firstAtMs
      into.sample = cell.sample
    }
    if (into.kept === '') into.kept = cell.kept
  }

  private addRedirects(cell: RedirectCell): void {
    const key = `${String(cell.phase)} ${String(cell.step)} ${cell.to}`
    const into = this.redirects.get(key)
    if (into === undefined) this.redirects.set(key, { ...cell })
    else into.count += cell.count
  }

  private addSlow(cell: SlowCell): void {
    const key = `${String(cell.phase)} ${String(cell.step)}`
    const kept = this.slowest.get(key) ?? []
    const at = kept.findIndex(({ parts }) => parts.total < cell.parts.total)
    kept.splice(at < 0 ? kept.length : at, 0, cell)
    kept.length = Math.min(kept.length, MAX_SLOWEST)
    this.slowest.set(key, kept)
  }
}

function addScope(into: Map<string, ScopeCell>, cell: ScopeCell): void {
  const key = `${String(cell.phase)} ${String(cell.scope)} ${String(cell.journey)}`
  const known = into.get(key)
  if (known === undefined) {
    into.set(key, { ...cell, time: copyOf(cell.time), unfinishedTime: copyOf(cell.unfinishedTime) })
    return
  }
  for (const name of SCOPE_COUNTS) known[name] += cell[name]
  known.time.add(cell.time)
  known.unfinishedTime.add(cell.unfinishedTime)
}

/**
 * Counts failures of a row of a data set; once there are many rows, of those that are known.
 *
 * @param data - number of the data set
 * @param row - from 0
 */
export function countRow(rows: RowCount[], data: number, row: number, count: number): void {
  const known = rows.find((other) => other.data === data && other.row === row)
  if (known !== undefined) known.count += count
  else if (rows.length < MAX_FAILED_ROWS) rows.push({ data, row, count })
}

/** The same values, to add to. */
export function copyOf(distribution: Distribution): Distribution {
  const copy = new Distribution()
  copy.add(distribution)
  return copy
}

/** One distribution over several, to be read alone: where only one of them holds something, it is that one. */
export function pool(distributions: Iterable<Distribution>): Distribution {
  const filled = [...distributions].filter(({ count }) => count > 0)
  if (filled.length === 1 && filled[0] !== undefined) return filled[0]
  const pooled = new Distribution()
  for (const distribution of filled) pooled.add(distribution)
  return pooled
}
