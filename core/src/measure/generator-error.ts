// By how much the generator may have changed the times that it measured.
import type { Bucket } from './bucket.js'

/** For so many seconds a lateness counts at least. */
const COUNTS_FOR_SECONDS = 10

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
 * requests in flight are back at their number before it, and for ten seconds at least; of those that count, the largest
 * is E.
 */
export class GeneratorError {
  private counting: Counting[] = []
  private inFlight = 0

  /**
   * Takes the next second; those without a bucket may be left out.
   *
   * @returns E of that second in ms
   */
  add({ second, latenessMs, inFlight }: Pick<Bucket, 'second' | 'latenessMs' | 'inFlight'>): number {
    const before = this.inFlight
    this.counting = this.counting.filter(
      ({ fromSecond, isBack }) => !isBack || second < fromSecond + COUNTS_FOR_SECONDS,
    )
    // What is smaller and ends no later than the new one adds nothing to it.
    this.counting = this.counting.filter((other) => other.latenessMs > latenessMs || other.before < before)
    this.counting.push({ fromSecond: second, latenessMs, before, isBack: false })
    this.inFlight = inFlight
    for (const entry of this.counting) entry.isBack ||= inFlight <= entry.before
    return this.counting.reduce((most, entry) => Math.max(most, entry.latenessMs), 0)
  }
}
