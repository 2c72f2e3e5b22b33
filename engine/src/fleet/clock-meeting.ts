// The clocks of generators, met by round trips: a start is agreed in each generator's own.

/** A reading of another's clock. */
export interface RoundTrip {
  sentAtMs: number
  theirMs: number
  backAtMs: number
}

export interface Offset {
  /** Their clock less ours. */
  ms: number
  /** It is no further off than this. */
  errorMs: number
}

/**
 * How far another clock is ahead, by the shortest of some round trips: its reading was taken between the word and the
 * answer, and the less there is between them, the better it is known.
 *
 * Source: F. Cristian, Probabilistic clock synchronization, Distributed Computing 3, 1989.
 */
export function offsetOf(trips: readonly RoundTrip[]): Offset | undefined {
  let least: RoundTrip | undefined
  for (const trip of trips)
    if (least === undefined || trip.backAtMs - trip.sentAtMs < least.backAtMs - least.sentAtMs) least = trip
  if (least === undefined) return undefined
  const { sentAtMs, theirMs, backAtMs } = least
  return { ms: theirMs - (sentAtMs + backAtMs) / 2, errorMs: (backAtMs - sentAtMs) / 2 }
}

/** Beyond these a run says so, or is void. */
export const CLOCK_NOTED_MS = 50
export const CLOCK_VOID_MS = 500

/** The kernel moves a monotonic clock by no more than this a second, adjtimex(2); what moves further has jumped. */
const MOST_SLEW = 0.0005

/** The clock of one generator in a run: as it was met before the start, and how far it may have moved since. */
export class MetClock {
  private first: Offset | undefined
  /** How far it may have been from where it was thought to be at the last meeting, and when that was. */
  private last = { errorMs: 0, atMs: 0 }
  private worstMs: number | null = null

  /** Takes the round trips of a meeting. */
  meet(trips: readonly RoundTrip[]): void {
    const offset = offsetOf(trips)
    if (offset === undefined) return
    const atMs = Math.max(...trips.map(({ backAtMs }) => backAtMs))
    const errorMs = this.first === undefined ? offset.errorMs : this.errorSince(this.first, offset, atMs)
    this.first ??= offset
    this.last = { errorMs, atMs }
    this.worstMs = Math.max(this.worstMs ?? 0, errorMs)
  }

  /**
   * By a meeting over a link that was slow just then, it may be anywhere: then it is no further than it can have moved.
   */
  private errorSince(first: Offset, { ms, errorMs }: Offset, atMs: number): number {
    const movedMs = Math.abs(ms - first.ms)
    const slewedMs = this.last.errorMs + 2 * MOST_SLEW * (atMs - this.last.atMs)
    const hasJumped = movedMs - errorMs > slewedMs
    return hasJumped ? movedMs + errorMs : Math.min(movedMs + errorMs, slewedMs)
  }

  /** How far it may have been from ours since the start, at most; null where it was never met. */
  get errorMs(): number | null {
    return this.worstMs
  }

  /** A moment of ours, by their clock; undefined where it was never met. */
  theirsOf(atMs: number): number | undefined {
    return this.first === undefined ? undefined : atMs + this.first.ms
  }
}
