// All buckets of a run, or of a time range: their cells added up, and a row for each second.
import { Distribution } from '../numbers/distribution.js'
import type { Bucket } from './bucket.js'
import { Cells } from './cells.js'
import type { Loss } from './loss.js'

/** One second of the whole run, for series and charts; times in µs unless the name says otherwise. */
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
  stallMs: number
  latenessMs: number
  /** That of the sender that was least late. */
  leastLatenessMs: number
  /** By how much the generator may have changed the times that ended in this second. */
  errorMs: number
  inFlight: number
  steal: number
  pressure: number
  metrics: (number | null)[]
  failures: Map<string, number>
}

/** What of a row is the largest of what senders tell. */
const LARGEST = ['busy', 'busyOfFive', 'stallMs', 'latenessMs', 'steal', 'pressure'] as const

export class Recording extends Cells {
  readonly seconds: SecondRow[] = []
  /** Generators that were lost, where the others went on. */
  readonly losses: Loss[] = []

  /**
   * Adds one bucket: a sender's or a merged one; the order of adding does not matter.
   *
   * @param errorMs - by how much the generator may have changed its times
   */
  add(bucket: Bucket, errorMs = 0): void {
    this.take(bucket, errorMs)
    this.compactRow(bucket.second)
  }

  /** Adds buckets of one second; giving up memory for each of them, and taking it back, would cost more than adding. */
  addSecond(buckets: readonly Bucket[]): void {
    for (const bucket of buckets) this.take(bucket, 0)
    for (const { second } of buckets.slice(-1)) this.compactRow(second)
  }

  private compactRow(second: number): void {
    const row = this.rowOf(second)
    row.responseTime.compact()
    row.startLag.compact()
    row.eventLoopDelay.compact()
  }

  private take(bucket: Bucket, errorMs: number): void {
    const row = this.rowOf(bucket.second)
    row.users += bucket.users
    row.inFlight += bucket.inFlight
    row.errorMs = Math.max(row.errorMs, errorMs)
    for (const name of LARGEST) row[name] = Math.max(row[name], bucket[name])
    row.leastLatenessMs = Math.min(row.leastLatenessMs, bucket.latenessMs)
    row.eventLoopDelay.add(bucket.eventLoopDelay)
    if (bucket.metrics.length > 0) row.metrics = bucket.metrics
    for (const cell of bucket.steps) {
      row.requests += cell.requests
      row.failed += cell.failed
      row.responseTime.add(cell.responseTime)
    }
    for (const cell of bucket.arrivals) {
      row.started += cell.started
      row.missed += cell.missed
      row.startLag.add(cell.startLag)
    }
    for (const { kind, count } of bucket.failures) row.failures.set(kind, (row.failures.get(kind) ?? 0) + count)
    this.addCells(bucket)
  }

  /** What was added, as one bucket, without what is of single requests: those in flight for long, and those drawn. */
  toBucket(second: number): Bucket {
    const row = this.rowOf(second)
    const { users, busy, busyOfFive, eventLoopDelay, stallMs, inFlight, steal, pressure, metrics } = row
    return {
      second,
      ...this.counted(),
      open: [],
      drawn: [],
      places: [],
      networks: [],
      users,
      busy,
      busyOfFive,
      eventLoopDelay,
      stallMs,
      latenessMs: latenessOfAll(row),
      inFlight,
      steal,
      pressure,
      metrics,
    }
  }

  private rowOf(second: number): SecondRow {
    while (this.seconds.length <= second) this.seconds.push(emptyRow())
    const row = this.seconds[second]
    if (row === undefined) throw new RangeError('a second is a whole number of at least 0')
    return row
  }
}

/** Late requests of one sender are overtaken by those of another that is not: they are late by that once more. */
const latenessOfAll = ({ latenessMs, leastLatenessMs }: SecondRow): number =>
  latenessMs + (latenessMs - Math.min(latenessMs, leastLatenessMs))

const emptyRow = (): SecondRow => ({
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
  stallMs: 0,
  latenessMs: 0,
  leastLatenessMs: Infinity,
  errorMs: 0,
  inFlight: 0,
  steal: 0,
  pressure: 0,
  metrics: [],
  failures: new Map(),
})
