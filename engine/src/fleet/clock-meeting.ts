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

/** The clock of one generator in a run: as it was met before the start, and how far it has moved since. */
export class MetClock {
  private first: Offset | undefined
  private worstMs: number | null = null

  /** Takes the round trips of a meeting. */
  meet(trips: readonly RoundTrip[]): void {
    const offset = offsetOf(trips)
    if (offset === undefined) return
    this.first ??= offset
    const movedMs = Math.abs(offset.ms - this.first.ms)
    // What the two meetings may be wrong by is no drift.
    const driftMs = Math.max(0, movedMs - offset.errorMs - this.first.errorMs)
    this.worstMs = Math.max(this.worstMs ?? 0, this.first.errorMs + driftMs)
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
