// A bucket as bytes: for threads, for the database and for the live stream.
import { ByteReader, ByteWriter } from '../numbers/bytes.js'
import { Distribution, SLOTS } from '../numbers/distribution.js'
import { emptyScope, type Bucket, type ScopeCell, type SlowCell, type StepCell, type TimeParts } from './bucket.js'
import { SCOPE_COUNTS } from './cells.js'

/**
 * The first format had no requests in flight, the second nothing of lateness, the third no requests in full, the fourth
 * no rows of data sets and no requests that were drawn, the fifth nothing of how iterations failed or were left
 * unfinished, and no redirects, the sixth no places, the seventh no networks.
 */
const FOURTH_FORMAT = 4
const FIFTH_FORMAT = 5
const SIXTH_FORMAT = 6
const SEVENTH_FORMAT = 7
const FORMAT = 8

/** A bucket as bytes. */
// eslint-disable-next-line max-lines-per-function -- one field after another, in the order of the format
export function encodeBucket(bucket: Bucket): Uint8Array<ArrayBuffer> {
  const writer = new ByteWriter()
  const wholes = (...values: number[]) => {
    for (const value of values) writer.whole(value)
  }
  wholes(FORMAT, bucket.second, bucket.users)
  writer.float(bucket.busy)
  writer.float(bucket.busyOfFive)
  writeDistribution(writer, bucket.eventLoopDelay)
  for (const value of [bucket.stallMs, bucket.latenessMs, bucket.steal, bucket.pressure]) writer.float(value)
  writer.whole(bucket.inFlight)
  writer.list(bucket.metrics, (value) => {
    writer.float(value ?? NaN)
  })
  writer.list(bucket.steps, (cell) => {
    wholes(cell.phase, cell.endPhase + 1, cell.step, cell.journey)
    wholes(cell.requests, cell.failed, cell.bytesReceived, cell.bytesSent)
    for (const name of DISTRIBUTIONS) writeDistribution(writer, cell[name])
    writeDistribution(writer, cell.waitedTime)
    writer.whole(cell.resent)
  })
  for (const cells of [bucket.groups, bucket.journeys]) {
    writer.list(cells, (cell) => {
      wholes(cell.phase, cell.scope, cell.journey, ...SCOPE_COUNTS.map((name) => cell[name]))
      writeDistribution(writer, cell.time)
      writeDistribution(writer, cell.unfinishedTime)
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
    for (const text of [cell.kind, cell.detail, cell.sample, cell.kept]) writer.text(text)
    writer.list(cell.rows, ({ data, row, count }) => {
      wholes(data, row, count)
    })
  })
  writer.list(bucket.open, (cell) => {
    wholes(cell.phase, cell.step, cell.journey)
    writer.list(cell.waitedMs, (ms) => {
      writer.whole(ms)
    })
  })
  writer.list(bucket.slowest, ({ phase, step, dueMs, failed, trace, parts }) => {
    wholes(phase, step, failed ? 1 : 0)
    writer.float(dueMs)
    for (const part of TIME_PARTS) writer.float(parts[part] ?? NaN)
    writer.float(parts.total)
    writer.text(trace)
  })
  writer.list(bucket.drawn, ({ phase, step, status, bytesReceived, isConnected, totalMs }) => {
    wholes(phase, step, status, bytesReceived, isConnected ? 1 : 0)
    writer.float(totalMs)
  })
  writer.list(bucket.redirects, ({ phase, step, to, count }) => {
    wholes(phase, step, count)
    writer.text(to)
  })
  writer.list(bucket.called, ({ step, journey }) => {
    wholes(step, journey)
  })
  writer.list(bucket.places, ({ place, bucket: ofPlace }) => {
    writer.whole(place)
    writer.blob(encodeBucket(alone(ofPlace)))
  })
  writer.list(bucket.networks, ({ network, bucket: ofNetwork }) => {
    writer.whole(network)
    writer.blob(encodeBucket(alone(ofNetwork)))
  })
  return writer.finish()
}

/** A part of a run has no parts. */
const alone = (part: Bucket): Bucket => ({ ...part, places: [], networks: [] })

/**
 * Reads what `encodeBucket` wrote.
 *
 * @throws RangeError for bytes that are no bucket
 */
export function decodeBucket(bytes: Uint8Array): Bucket {
  return readBucket(bytes, false)
}

function readBucket(bytes: Uint8Array, isPart: boolean): Bucket {
  const reader = new ByteReader(bytes)
  const format = reader.whole()
  if (format < FOURTH_FORMAT || format > FORMAT) throw new RangeError(`unknown bucket format ${String(format)}`)
  const hasRows = format > FOURTH_FORMAT
  const hasUnfinished = format > FIFTH_FORMAT
  const scope = () => readScope(reader, hasUnfinished)
  return {
    second: reader.whole(),
    users: reader.whole(),
    busy: reader.float(),
    busyOfFive: reader.float(),
    eventLoopDelay: readDistribution(reader),
    stallMs: reader.float(),
    latenessMs: reader.float(),
    steal: reader.float(),
    pressure: reader.float(),
    inFlight: reader.whole(),
    metrics: reader.list(() => {
      const value = reader.float()
      return Number.isNaN(value) ? null : value
    }),
    steps: reader.list(() => readStep(reader)),
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
    failures: reader.list(() => readFailure(reader, hasRows)),
    open: reader.list(() => ({
      phase: reader.whole(),
      step: reader.whole(),
      journey: reader.whole(),
      waitedMs: reader.list(() => reader.whole()),
    })),
    slowest: reader.list(() => readSlow(reader)),
    drawn: hasRows ? reader.list(() => readDrawn(reader)) : [],
    redirects: hasUnfinished ? reader.list(() => readRedirect(reader)) : [],
    called: hasUnfinished ? reader.list(() => ({ step: reader.whole(), journey: reader.whole() })) : [],
    places:
      format > SIXTH_FORMAT ? reader.list(() => ({ place: reader.whole(), bucket: readPart(reader, isPart) })) : [],
    networks:
      format > SEVENTH_FORMAT ? reader.list(() => ({ network: reader.whole(), bucket: readPart(reader, isPart) })) : [],
  }
}

function readPart(reader: ByteReader, isPart: boolean): Bucket {
  if (isPart) throw new RangeError('a place has no places, and a network no networks')
  return readBucket(reader.blob(), true)
}

const FIRST_SCOPE_COUNTS = ['started', 'finished', 'endedFailed', 'cutOff'] as const
const TIME_PARTS = ['dns', 'connect', 'tls', 'firstByte', 'receive'] as const

function readStep(reader: ByteReader): StepCell {
  return {
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
    waitedTime: readDistribution(reader),
    resent: reader.whole(),
  }
}

function readScope(reader: ByteReader, hasUnfinished: boolean): ScopeCell {
  const cell = emptyScope(reader.whole(), reader.whole(), reader.whole())
  for (const name of hasUnfinished ? SCOPE_COUNTS : FIRST_SCOPE_COUNTS) cell[name] = reader.whole()
  cell.time = readDistribution(reader)
  if (hasUnfinished) cell.unfinishedTime = readDistribution(reader)
  return cell
}

function readFailure(reader: ByteReader, hasRows: boolean): Bucket['failures'][number] {
  const [phase, step, count] = [reader.whole(), reader.whole(), reader.whole()]
  return {
    phase,
    step,
    count,
    firstAtMs: reader.float(),
    kind: reader.text(),
    detail: reader.text(),
    sample: reader.text(),
    kept: reader.text(),
    rows: hasRows ? reader.list(() => ({ data: reader.whole(), row: reader.whole(), count: reader.whole() })) : [],
  }
}

function readDrawn(reader: ByteReader): Bucket['drawn'][number] {
  return {
    phase: reader.whole(),
    step: reader.whole(),
    status: reader.whole(),
    bytesReceived: reader.whole(),
    isConnected: reader.whole() === 1,
    totalMs: reader.float(),
  }
}

function readRedirect(reader: ByteReader): Bucket['redirects'][number] {
  const [phase, step, count] = [reader.whole(), reader.whole(), reader.whole()]
  return { phase, step, count, to: reader.text() }
}

function readSlow(reader: ByteReader): SlowCell {
  const [phase, step, failed] = [reader.whole(), reader.whole(), reader.whole() === 1]
  const dueMs = reader.float()
  const part = () => {
    const value = reader.float()
    return Number.isNaN(value) ? null : value
  }
  const parts: TimeParts = {
    dns: part(),
    connect: part(),
    tls: part(),
    firstByte: part(),
    receive: part(),
    total: reader.float(),
  }
  return { phase, step, dueMs, failed, parts, trace: reader.text() }
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
  const used = reader.whole()
  if (used > SLOTS) throw new RangeError('there are more times than there can be')
  const [slots, counts] = [new Uint16Array(used), new Uint32Array(used)]
  let slot = 0
  for (let index = 0; index < used; index++) {
    const further = reader.whole()
    slot += further
    if (slot >= SLOTS) throw new RangeError('a time is longer than any')
    if (index > 0 && further === 0) throw new RangeError('a time stands there twice')
    slots[index] = slot
    counts[index] = reader.whole()
  }
  return distribution.holding(slots, counts)
}
