// One second of a run, as a worker records it, sends it, and as the server stores it.
import { ByteReader, ByteWriter } from '../numbers/bytes.js'
import { Distribution } from '../numbers/distribution.js'

/** Why a request failed. */
export type FailureKind =
  | 'refused'
  | 'reset'
  | 'timeout'
  | 'tls'
  | 'dns'
  | 'status'
  | 'check'
  | 'keep'
  | 'decoding'
  | 'redirects'
  | 'too large'
  | 'not permitted'
  | 'cut off'
  | 'script'
  | 'sql'
  | 'socket'
  | 'local'

/** Requests of one step of one journey, by the phase in which they were due and the phase in which they ended. */
export interface StepCell {
  phase: number
  /** −1 when they ended in the drain. */
  endPhase: number
  step: number
  journey: number
  requests: number
  failed: number
  bytesReceived: number
  bytesSent: number
  /** Of requests that passed, timed out or were cut off. */
  responseTime: Distribution
  /** Of all other failures. */
  failedTime: Distribution
  connectTime: Distribution
  timeToFirstByte: Distribution
}

/** Groups or journeys of one name, by the phase in which they began. */
export interface ScopeCell {
  phase: number
  scope: number
  /** The journey that was walked; for journeys the scope itself. */
  journey: number
  started: number
  finished: number
  failed: number
  cutOff: number
  time: Distribution
}

export interface ArrivalCell {
  phase: number
  started: number
  /** Due but not started, because the generator was too late or too full. */
  missed: number
  /** Due but not started, because the cap was reached. */
  capped: number
  /** Due but not started, because its data had run out. */
  outOfData: number
  startLag: Distribution
}

export interface CheckCell {
  phase: number
  check: number
  journey: number
  passed: number
  failed: number
}

export interface FailureCell {
  phase: number
  step: number
  kind: string
  detail: string
  count: number
  /** From the start of the load. */
  firstAtMs: number
  /** An excerpt of the first such response, secrets masked. */
  sample: string
}

/** Requests of one step that were in flight at the end of a second, and had been for long. */
export interface OpenCell {
  phase: number
  step: number
  journey: number
  /** How long each had waited since it was due, in whole ms. */
  waitedMs: number[]
}
/** Requests in flight for less are no sign of anything. */
export const OPEN_FROM_MS = 1000
/** Of one step; more of them say no more. */
export const MAX_OPEN = 2000

/** Everything that ended in one second, and what had not. */
export interface Bucket {
  /** From 0, since the start of the load. */
  second: number
  steps: StepCell[]
  groups: ScopeCell[]
  journeys: ScopeCell[]
  arrivals: ArrivalCell[]
  checks: CheckCell[]
  failures: FailureCell[]
  open: OpenCell[]
  /** Most users in flight. */
  users: number
  /** Busy share of the busiest sender in this second, and over the five seconds that end with it. */
  busy: number
  busyOfFive: number
  eventLoopDelay: Distribution
  /** What each metric read; null where it could not. */
  metrics: (number | null)[]
}

export function emptyBucket(second: number): Bucket {
  return {
    second,
    steps: [],
    groups: [],
    journeys: [],
    arrivals: [],
    checks: [],
    failures: [],
    open: [],
    users: 0,
    busy: 0,
    busyOfFive: 0,
    eventLoopDelay: new Distribution(),
    metrics: [],
  }
}

/** Most kinds of failure told apart in one second; what comes beyond is counted under its kind alone. */
export const MAX_FAILURE_CELLS = 200

/** The first format had no requests in flight. */
const FIRST_FORMAT = 1
const FORMAT = 2

/** A bucket as bytes: for threads, for the database and for the live stream. */
export function encodeBucket(bucket: Bucket): Uint8Array<ArrayBuffer> {
  const writer = new ByteWriter()
  const wholes = (...values: number[]) => {
    for (const value of values) writer.whole(value)
  }
  wholes(FORMAT, bucket.second, bucket.users)
  writer.float(bucket.busy)
  writer.float(bucket.busyOfFive)
  writeDistribution(writer, bucket.eventLoopDelay)
  writer.list(bucket.metrics, (value) => {
    writer.float(value ?? NaN)
  })
  writer.list(bucket.steps, (cell) => {
    wholes(cell.phase, cell.endPhase + 1, cell.step, cell.journey)
    wholes(cell.requests, cell.failed, cell.bytesReceived, cell.bytesSent)
    for (const name of DISTRIBUTIONS) writeDistribution(writer, cell[name])
  })
  for (const cells of [bucket.groups, bucket.journeys]) {
    writer.list(cells, (cell) => {
      wholes(cell.phase, cell.scope, cell.journey, cell.started, cell.finished, cell.failed, cell.cutOff)
      writeDistribution(writer, cell.time)
    })
  }
  writer.list(bucket.arrivals, (cell) => {
    wholes(cell.phase, cell.started, cell.missed, cell.capped, cell.outOfData)
    writeDistribution(writer, cell.startLag)
  })
  writer.list(bucket.checks, (cell) => {
    wholes(cell.phase, cell.check, cell.journey, cell.passed, cell.failed)
  })
  writer.list(bucket.failures, (cell) => {
    wholes(cell.phase, cell.step, cell.count)
    writer.float(cell.firstAtMs)
    for (const text of [cell.kind, cell.detail, cell.sample]) writer.text(text)
  })
  writer.list(bucket.open, (cell) => {
    wholes(cell.phase, cell.step, cell.journey)
    writer.list(cell.waitedMs, (ms) => {
      writer.whole(ms)
    })
  })
  return writer.finish()
}

/** @throws RangeError for bytes that are no bucket */
export function decodeBucket(bytes: Uint8Array): Bucket {
  const reader = new ByteReader(bytes)
  const format = reader.whole()
  if (format !== FORMAT && format !== FIRST_FORMAT) throw new RangeError(`unknown bucket format ${String(format)}`)
  const scope = (): ScopeCell => ({
    phase: reader.whole(),
    scope: reader.whole(),
    journey: reader.whole(),
    started: reader.whole(),
    finished: reader.whole(),
    failed: reader.whole(),
    cutOff: reader.whole(),
    time: readDistribution(reader),
  })
  return {
    second: reader.whole(),
    users: reader.whole(),
    busy: reader.float(),
    busyOfFive: reader.float(),
    eventLoopDelay: readDistribution(reader),
    metrics: reader.list(() => {
      const value = reader.float()
      return Number.isNaN(value) ? null : value
    }),
    steps: reader.list(() => ({
      phase: reader.whole(),
      endPhase: reader.whole() - 1,
      step: reader.whole(),
      journey: reader.whole(),
      requests: reader.whole(),
      failed: reader.whole(),
      bytesReceived: reader.whole(),
      bytesSent: reader.whole(),
      responseTime: readDistribution(reader),
      failedTime: readDistribution(reader),
      connectTime: readDistribution(reader),
      timeToFirstByte: readDistribution(reader),
    })),
    groups: reader.list(scope),
    journeys: reader.list(scope),
    arrivals: reader.list(() => ({
      phase: reader.whole(),
      started: reader.whole(),
      missed: reader.whole(),
      capped: reader.whole(),
      outOfData: reader.whole(),
      startLag: readDistribution(reader),
    })),
    checks: reader.list(() => ({
      phase: reader.whole(),
      check: reader.whole(),
      journey: reader.whole(),
      passed: reader.whole(),
      failed: reader.whole(),
    })),
    failures: reader.list(() => {
      const [phase, step, count] = [reader.whole(), reader.whole(), reader.whole()]
      return {
        phase,
        step,
        count,
        firstAtMs: reader.float(),
        kind: reader.text(),
        detail: reader.text(),
        sample: reader.text(),
      }
    }),
    open:
      format === FIRST_FORMAT
        ? []
        : reader.list(() => ({
            phase: reader.whole(),
            step: reader.whole(),
            journey: reader.whole(),
            waitedMs: reader.list(() => reader.whole()),
          })),
  }
}

const DISTRIBUTIONS = ['responseTime', 'failedTime', 'connectTime', 'timeToFirstByte'] as const

function writeDistribution(writer: ByteWriter, distribution: Distribution): void {
  writer.whole(distribution.count)
  if (distribution.count === 0) return
  for (const moment of [distribution.sum, distribution.sumOfSquares, distribution.least, distribution.largest])
    writer.float(moment)
  writer.whole(distribution.clamped)
  writer.whole(distribution.slotCount)
  let before = 0
  for (const [slot, count] of distribution.slots()) {
    writer.whole(slot - before)
    writer.whole(count)
    before = slot
  }
}

function readDistribution(reader: ByteReader): Distribution {
  const distribution = new Distribution()
  distribution.count = reader.whole()
  if (distribution.count === 0) return distribution
  distribution.sum = reader.float()
  distribution.sumOfSquares = reader.float()
  distribution.least = reader.float()
  distribution.largest = reader.float()
  distribution.clamped = reader.whole()
  let slot = 0
  for (let left = reader.whole(); left > 0; left--) {
    slot += reader.whole()
    distribution.addAt(slot, reader.whole())
  }
  return distribution.compact()
}
