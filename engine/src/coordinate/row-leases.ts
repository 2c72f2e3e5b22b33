// Rows that go once each, where users come again by themselves and no sender can know how often: senders lease ranges
// of them, so that none is taken twice and none is left over.
import { isOpenPhase, type Plan } from '@jolt-gate/core'
import type { RowLease } from '../generate/rows.js'

/** A sender asks again when half of a lease is used, so that it hardly ever waits. */
const MOST_AT_ONCE = 4096

export class RowLeases {
  private readonly given: number[]

  constructor(
    private readonly plan: Pick<Plan, 'data' | 'load'>,
    private readonly senders: number,
  ) {
    this.given = plan.data.map(() => 0)
  }

  /**
   * The next rows of a set. Leases become smaller as a file comes to its end, down to single rows: what one sender has
   * left over, another would lack.
   */
  lease(set: number): RowLease {
    const data = this.plan.data[set]
    const from = this.given[set] ?? 0
    const left = data === undefined ? 0 : data.then === 'again' ? Infinity : data.rows.length - from
    const count = Math.min(MOST_AT_ONCE, left, Math.max(1, Math.floor(left / (4 * this.senders))))
    this.given[set] = from + count
    return { from, count }
  }

  /** Whether rows are leased at all: where all iterations are arrivals, every sender can count them. */
  get areLeased(): boolean {
    return this.plan.load.phases.some((phase) => !isOpenPhase(phase))
  }
}
