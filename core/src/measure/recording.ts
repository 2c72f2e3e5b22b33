// All buckets of a run, or of a time range, added up.
import type { ArrivalCell, Bucket, CheckCell, FailureCell, ScopeCell, StepCell } from './bucket.js'
import { Distribution } from '../numbers/distribution.js'

/** One second of the whole run, for series and charts; times in µs. */
export interface SecondRow {
  started: number
  missed: number
  requests: number
  failed: number
  users: number
  busy: number
  busyOfFive: number
  responseTime: Distribution
  startLag: Distribution
  eventLoopDelay: Distribution
  metrics: (number | null)[]
  failures: Map<string, number>
}

export class Recording {
  readonly steps = new Map<string, StepCell>()
  readonly groups = new Map<string, ScopeCell>()
  readonly journeys = new Map<string, ScopeCell>()
  readonly arrivals = new Map<number, ArrivalCell>()
  readonly checks = new Map<string, CheckCell>()
  readonly failures = new Map<string, FailureCell>()
  readonly seconds: SecondRow[] = []

  /** Adds one bucket: a worker's or a merged one; the order of adding does not matter. */
  add(bucket: Bucket): void {
    const row = this.rowOf(bucket.second)
    row.users += bucket.users
    row.busy = Math.max(row.busy, bucket.busy)
    row.busyOfFive = Math.max(row.busyOfFive, bucket.busyOfFive)
    row.eventLoopDelay.add(bucket.eventLoopDelay)
    if (bucket.metrics.length > 0) row.metrics = bucket.metrics
    for (const cell of bucket.steps) this.addStep(cell, row)
    for (const cell of bucket.groups) addScope(this.groups, cell)
    for (const cell of bucket.journeys) addScope(this.journeys, cell)
    for (const cell of bucket.arrivals) this.addArrivals(cell, row)
    for (const cell of bucket.checks) this.addChecks(cell)
    for (const cell of bucket.failures) this.addFailure(cell, row)
    row.responseTime.compact()
    row.startLag.compact()
    row.eventLoopDelay.compact()
  }

  /** What was added, as one bucket, without what was in flight. */
  toBucket(second: number): Bucket {
    const row = this.rowOf(second)
    return {
      second,
      steps: [...this.steps.values()],
      groups: [...this.groups.values()],
      journeys: [...this.journeys.values()],
      arrivals: [...this.arrivals.values()],
      checks: [...this.checks.values()],
      failures: [...this.failures.values()],
      open: [],
      users: row.users,
      busy: row.busy,
      busyOfFive: row.busyOfFive,
      eventLoopDelay: row.eventLoopDelay,
      metrics: row.metrics,
    }
  }

  /** The cells of some steps, due in some phases. */
  *stepCells(isPhase: (phase: number) => boolean, isStep: (step: number) => boolean): Generator<StepCell> {
    for (const cell of this.steps.values()) if (isPhase(cell.phase) && isStep(cell.step)) yield cell
  }

  private rowOf(second: number): SecondRow {
    while (this.seconds.length <= second) {
      this.seconds.push({
        started: 0,
        missed: 0,
        requests: 0,
        failed: 0,
        users: 0,
        busy: 0,
        busyOfFive: 0,
        responseTime: new Distribution(),
        startLag: new Distribution(),
        eventLoopDelay: new Distribution(),
        metrics: [],
        failures: new Map(),
      })
    }
    const row = this.seconds[second]
    if (row === undefined) throw new RangeError('a second is a whole number of at least 0')
    return row
  }

  private addStep(cell: StepCell, row: SecondRow): void {
    row.requests += cell.requests
    row.failed += cell.failed
    row.responseTime.add(cell.responseTime)
    const key = `${String(cell.phase)} ${String(cell.endPhase)} ${String(cell.step)} ${String(cell.journey)}`
    const into = this.steps.get(key)
    if (into === undefined) {
      this.steps.set(key, {
        ...cell,
        responseTime: copyOf(cell.responseTime),
        failedTime: copyOf(cell.failedTime),
        connectTime: copyOf(cell.connectTime),
        timeToFirstByte: copyOf(cell.timeToFirstByte),
      })
      return
    }
    into.requests += cell.requests
    into.failed += cell.failed
    into.bytesReceived += cell.bytesReceived
    into.bytesSent += cell.bytesSent
    into.responseTime.add(cell.responseTime)
    into.failedTime.add(cell.failedTime)
    into.connectTime.add(cell.connectTime)
    into.timeToFirstByte.add(cell.timeToFirstByte)
  }

  private addArrivals(cell: ArrivalCell, row: SecondRow): void {
    row.started += cell.started
    row.missed += cell.missed
    row.startLag.add(cell.startLag)
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

  private addFailure(cell: FailureCell, row: SecondRow): void {
    row.failures.set(cell.kind, (row.failures.get(cell.kind) ?? 0) + cell.count)
    const key = `${String(cell.phase)} ${String(cell.step)} ${cell.kind} ${cell.detail}`
    const into = this.failures.get(key)
    if (into === undefined) {
      this.failures.set(key, { ...cell })
      return
    }
    into.count += cell.count
    if (cell.firstAtMs < into.firstAtMs) {
      into.firstAtMs = cell.firstAtMs
      into.sample = cell.sample
    }
  }
}

function addScope(into: Map<string, ScopeCell>, cell: ScopeCell): void {
  const key = `${String(cell.phase)} ${String(cell.scope)} ${String(cell.journey)}`
  const known = into.get(key)
  if (known === undefined) {
    into.set(key, { ...cell, time: copyOf(cell.time) })
    return
  }
  known.started += cell.started
  known.finished += cell.finished
  known.failed += cell.failed
  known.cutOff += cell.cutOff
  known.time.add(cell.time)
}

export function copyOf(distribution: Distribution): Distribution {
  const copy = new Distribution()
  copy.add(distribution)
  return copy
}

/** One distribution over several. */
export function pool(distributions: Iterable<Distribution>): Distribution {
  const pooled = new Distribution()
  for (const distribution of distributions) pooled.add(distribution)
  return pooled
}
