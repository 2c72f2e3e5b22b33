// By how much the generator may have changed the times that it measured.
import type { Bucket, StepCell } from './bucket.js'

/** A lateness counts for so many times itself: a queue that is busy for 0.95 of its time has worked it off by then. */
const COUNTS_FOR_TIMES = 20
/** And for a second and the next, at least; for ten, at most, where the requests in flight are back at their number. */
const COUNTS_FOR_SECONDS = { least: 2, most: 10 }
/** What is later than the loop stood still at once is late for another reason. */
const SAME_MS = 5

/** What a sender knows of a second; all in ms. */
export interface Lateness {
  /** The largest time between due and started. */
  lagMs: number
  /** The longest stall of the event loop, and the one after it. */
  stallMs: number
  secondStallMs: number
  /** The longest time of a request that ended: none was read later than it took. */
  waitedMs: number
}

/**
 * By how much a second may have been late: its latest start, and what was read late beside it. A stall makes those late
 * that were due in it, and is over when they start: it lengthens none of them twice.
 *
 * @returns ms
 */
export function latenessOf({ lagMs, stallMs, secondStallMs, waitedMs }: Lateness): number {
  const isForTheStall = lagMs <= stallMs + SAME_MS
  return Math.max(lagMs, Math.min(stallMs, waitedMs)) + Math.min(isForTheStall ? secondStallMs : stallMs, waitedMs)
}

/** The longest time of a request that ended, in ms. */
export const longestOf = (steps: readonly StepCell[]): number =>
  steps.reduce((most, cell) => Math.max(most, cell.responseTime.largest, cell.failedTime.largest), 0) / 1000

interface Counting {
  fromSecond: number
  latenessMs: number
  /** Requests in flight before it. */
  before: number
  /** Whether the requests in flight have been back at that number since. */
  isBack: boolean
}

/**
 * The generator error E, second by second: a time that ended in a second stands between what was seen less E and what
 * was seen plus E.
 *
 * Where requests are served in order and their service takes no notice of when they come, one that starts late ends
 * late by no more than that, and so do those queued behind it, until the queue has been worked off: the departures of
 * such a queue are a max-plus linear function of its arrivals, and neither expand nor shorten a delay (F. Baccelli,
 * G. Cohen, G. J. Olsder and J.-P. Quadrat, Synchronization and Linearity, 1992). So a lateness counts until the
 * requests in flight are back at their number before it, and for twenty times itself at least; of those that count, the
 * largest is E, and with it what the answers of this very second were read late.
 */
export class GeneratorError {
  private counting: Counting[] = []
  private inFlight = 0

  /**
   * Takes the next second; those without a bucket may be left out.
   *
   * @returns E of that second in ms
   */
  add(bucket: Pick<Bucket, 'second' | 'latenessMs' | 'stallMs' | 'inFlight' | 'steps'>): number {
    const { second, latenessMs, inFlight } = bucket
    const before = this.inFlight
    this.counting = this.counting.filter((entry) => !entry.isBack || second < entry.fromSecond + secondsOf(entry))
    const earlierMs = this.counting.reduce((most, entry) => Math.max(most, entry.latenessMs), 0)
    // What is smaller and ends no later than the new one adds nothing to it.
    this.counting = this.counting.filter((other) => other.latenessMs > latenessMs || other.before < before)
    this.counting.push({ fromSecond: second, latenessMs, before, isBack: false })
    this.inFlight = inFlight
    for (const entry of this.counting) entry.isBack ||= inFlight <= entry.before
    return earlierMs === 0
      ? latenessMs
      : Math.max(latenessMs, earlierMs + Math.min(bucket.stallMs, longestOf(bucket.steps)))
  }
}

function secondsOf({ latenessMs }: Counting): number {
  const { least, most } = COUNTS_FOR_SECONDS
  return Math.min(most, Math.max(least, 1 + Math.ceil((COUNTS_FOR_TIMES * latenessMs) / 1000)))
}
