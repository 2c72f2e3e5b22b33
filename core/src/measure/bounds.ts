// A recording with bounds: as seen, and what would have been seen had the generator been on time, at the least and at
// the most.
import { Distribution } from '../numbers/distribution.js'
import type { Bucket, CheckCell, ScopeCell, StepCell } from './bucket.js'
import { Cells, type CountedCells } from './cells.js'
import { GeneratorError } from './generator-error.js'
import { Recording } from './recording.js'
import type { RunShape } from './shape.js'

type Bound = 'lower' | 'upper'

/**
 * A generator that stands still for a tenth of a second sends all that is due in it at once: where service is shared,
 * or its order changes, that lengthens times by more than E.
 */
const STILL_MS = 100
/** What came at once takes so many times as long to be worked off, by a service that is busy for 0.8 of its time. */
const WORKED_OFF_TIMES = 5

/** Cells as seen, and the same with all times at their lower and at their upper bound. */
export interface BoundedCells extends Cells {
  readonly lower: Cells
  readonly upper: Cells
}

/** What ended in some time range of a run, without a row for each second. */
export class RangeTotals extends Cells implements BoundedCells {
  readonly lower = new Cells()
  readonly upper = new Cells()

  constructor(private readonly shape: RunShape) {
    super()
  }

  /** @param errorMs - the generator error of that second */
  addSecond(bucket: Bucket, errorMs: number): void {
    this.addCells(bucket)
    this.lower.addCells(boundOf(bucket, this.shape, errorMs, 'lower'))
    this.upper.addCells(boundOf(bucket, this.shape, errorMs, 'upper'))
  }

  override compact(): void {
    super.compact()
    this.lower.compact()
    this.upper.compact()
  }

  addRange(other: BoundedCells): void {
    this.addCells(other.counted())
    this.lower.addCells(other.lower.counted())
    this.upper.addCells(other.upper.counted())
  }
}

/** Everything recorded of a run, and the same with all times at their lower and at their upper bound. */
export class BoundedRecording extends Recording {
  readonly lower = new Cells()
  readonly upper = new Cells()
  /** Both without the seconds in which the generator stood still; null where it did in none. */
  calm: { lower: Cells; upper: Cells } | null = null
  /** Until this second, included, a service works off what came at once. */
  private stillTo = -1
  private readonly error = new GeneratorError()

  constructor(private readonly shape: RunShape) {
    super()
  }

  /**
   * Adds the next second, merged over all senders; seconds come in order.
   *
   * @param errorMs - the generator error of that second, where it is known already
   */
  override add(bucket: Bucket, errorMs = this.error.add(bucket)): void {
    super.add(bucket, errorMs)
    if (bucket.latenessMs >= STILL_MS)
      this.stillTo = bucket.second + Math.max(1, Math.ceil((WORKED_OFF_TIMES * bucket.latenessMs) / 1000))
    const isStill = bucket.second <= this.stillTo
    if (isStill) this.calm ??= { lower: copyOf(this.lower), upper: copyOf(this.upper) }
    for (const bound of ['lower', 'upper'] as const) {
      const cells = boundOf(bucket, this.shape, errorMs, bound)
      this[bound].addCells(cells)
      if (!isStill) this.calm?.[bound].addCells(cells)
    }
  }
}

function copyOf(cells: Cells): Cells {
  const copy = new Cells()
  copy.addCells(cells.counted())
  return copy
}

/** The cells of a second with their times at a bound, and the checks of times judged by them. */
function boundOf(bucket: Bucket, shape: RunShape, errorMs: number, bound: Bound): CountedCells {
  const { steps, groups, journeys, arrivals, checks, failures, redirects, called } = bucket
  const atBound = steps.map((cell) => stepAt(cell, errorMs, bound))
  const scopes = (cells: ScopeCell[], requestsIn: readonly number[] = []) =>
    cells.map((cell) => ({ ...cell, time: movedTo(cell.time, errorMs * (requestsIn[cell.scope] ?? 1), bound) }))
  return {
    steps: atBound,
    groups: scopes(groups, shape.requestsIn?.groups),
    journeys: scopes(journeys, shape.requestsIn?.journeys),
    arrivals,
    checks: checks.map((check) => checkAt(check, shape, steps, atBound)),
    failures,
    slowest: [],
    redirects,
    called,
  }
}

/** Requests that timed out or were cut off would have taken an unknown time: at the most, longer than any. */
export function responseTimeAt(cell: StepCell, errorMs: number, bound: Bound): Distribution {
  const { responseTime, waitedTime } = cell
  return bound === 'lower'
    ? movedTo(responseTime, errorMs, bound)
    : movedTo(responseTime.without(waitedTime), errorMs, bound).withUnfinished(waitedTime)
}

/** Of those that timed out or were cut off, what stands at a bound among the response times: nothing at the most. */
export const waitedTimeAt = ({ waitedTime }: StepCell, errorMs: number, bound: Bound): Distribution =>
  bound === 'lower' ? movedTo(waitedTime, errorMs, bound) : new Distribution()

function stepAt(cell: StepCell, errorMs: number, bound: Bound): StepCell {
  const { connectTime, timeToFirstByte } = cell
  return {
    ...cell,
    responseTime: responseTimeAt(cell, errorMs, bound),
    waitedTime: waitedTimeAt(cell, errorMs, bound),
    connectTime: movedTo(connectTime, errorMs, bound),
    timeToFirstByte: movedTo(timeToFirstByte, errorMs, bound),
  }
}

const movedTo = (times: Distribution, errorMs: number, bound: Bound): Distribution =>
  times.movedBy(1000 * (bound === 'lower' ? -errorMs : errorMs))

/** A check of the response time, as it would have come out at the bound. Its request fails with it, or passes. */
function checkAt(check: CheckCell, shape: RunShape, seen: readonly StepCell[], atBound: StepCell[]): CheckCell {
  const { step, limitMs } = shape.checks[check.check] ?? {}
  if (limitMs === undefined) return check
  let moved = 0
  for (const [index, cell] of seen.entries()) {
    const other = atBound[index]
    if (other === undefined || cell.step !== step || cell.phase !== check.phase || cell.journey !== check.journey)
      continue
    const more = cell.responseTime.countUpTo(1000 * limitMs) - other.responseTime.countUpTo(1000 * limitMs)
    other.failed = Math.min(other.requests, Math.max(0, other.failed + more))
    moved += more
  }
  const failed = Math.min(check.failed + check.passed, Math.max(0, check.failed + moved))
  return { ...check, failed, passed: check.failed + check.passed - failed }
}
