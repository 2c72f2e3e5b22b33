// How many seconds of runs a person may upload in a day: one token could else fill the disk.
import { Problem } from '../http/problem.js'

/** Of load, some eleven days of it. */
export const MOST_SECONDS_A_DAY = 1_000_000
const DAY_MS = 86_400_000

export class SecondsQuota {
  private readonly spent = new Map<number, number>()
  private day = 0

  constructor(private readonly most = MOST_SECONDS_A_DAY) {}

  /** @throws Problem where the day's are spent */
  spend(person: number, seconds: number, nowMs = Date.now()): void {
    const day = Math.floor(nowMs / DAY_MS)
    if (day !== this.day) {
      this.day = day
      this.spent.clear()
    }
    const all = (this.spent.get(person) ?? 0) + seconds
    if (all > this.most)
      throw new Problem(
        429,
        'QUOTA',
        `a person uploads at most ${String(this.most)} seconds of runs a day (UTC); these are spent: send the rest tomorrow`,
      )
    this.spent.set(person, all)
  }
}
