// A clock that jumps makes runs older than they are. What the machine counts by itself shows it.
const DAY_MS = 86_400_000

export class ClockJumps {
  private lastMs: number
  private lastCountMs: number
  private steadyFromCountMs = -Infinity

  /**
   * @param now - the time of day
   * @param count - milliseconds that the machine has counted, whatever its clock is set to
   */
  constructor(
    private readonly now: () => number = () => Date.now(),
    private readonly count: () => number = () => performance.now(),
  ) {
    this.lastMs = now()
    this.lastCountMs = count()
  }

  /** By how many days the clock has jumped since it was last asked; 0 where it went on as it should. */
  days(): number {
    const [nowMs, countMs] = [this.now(), this.count()]
    const jumpMs = nowMs - this.lastMs - (countMs - this.lastCountMs)
    ;[this.lastMs, this.lastCountMs] = [nowMs, countMs]
    if (Math.abs(jumpMs) < DAY_MS) return 0
    this.steadyFromCountMs = countMs + DAY_MS
    return Math.round(jumpMs / DAY_MS)
  }

  /** Whether no jump was seen for a day. */
  isSteady(): boolean {
    return this.count() >= this.steadyFromCountMs
  }
}
