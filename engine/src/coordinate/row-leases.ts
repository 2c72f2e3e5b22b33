// Rows that go once each, where users come again by themselves and no sender can know how often: senders lease ranges
// of them, so that none is taken twice, and give back what they have not used when another lacks it.
import { isOpenPhase, type Plan } from '@jolt-gate/core'
import type { RowLease } from '../generate/rows.js'
import type { ToSender } from '../generate/sender-protocol.js'

const MOST_AT_ONCE = 4096

/** What is known of the rows of one data set. */
interface Rows {
  /** The first that was never leased. */
  next: number
  /** How many there are; Infinity where they begin again. */
  count: number
  /** Leased once, and given back unused. */
  back: RowLease[]
  /** Senders that lack a row; those that were asked for what they have left, and have not answered. */
  lacking: number[]
  asked: Set<number>
}

/** A word to a sender about its rows. */
export type LeaseWord = Extract<ToSender, { kind: 'rows' | 'rows back' }>

/** Who leases rows to senders, by their numbers. */
export interface Leases {
  readonly areLeased: boolean
  want(sender: number, set: number): void
  giveBack(sender: number, set: number, leases: readonly RowLease[]): void
  end(sender: number): void
}

export class RowLeases implements Leases {
  /** Whether rows are leased at all: where all iterations are arrivals, every sender can count them. */
  readonly areLeased: boolean
  private readonly sets: Rows[]
  private readonly alive: Set<number>

  /** @param send - tells a sender something */
  constructor(
    { data, load }: Pick<Plan, 'data' | 'load'>,
    private readonly senders: number,
    private readonly send: (sender: number, word: LeaseWord) => void,
  ) {
    this.areLeased = load.phases.some((phase) => !isOpenPhase(phase))
    this.alive = new Set(Array.from({ length: senders }, (_, sender) => sender))
    this.sets = data.map(({ then, rows }) => ({
      ...{ next: 0, count: then === 'again' ? Infinity : rows.count },
      ...{ back: [], lacking: [], asked: new Set<number>() },
    }))
  }

  /** A sender wants rows of a set. */
  want(sender: number, set: number): void {
    const rows = this.sets[set]
    if (rows === undefined) return
    rows.lacking.push(sender)
    if (rows.next >= rows.count)
      for (const other of this.alive)
        if (other !== sender && !rows.asked.has(other)) {
          rows.asked.add(other)
          this.send(other, { kind: 'rows back', set })
        }
    this.settle(set, rows)
  }

  /** What a sender had left when it was asked, or when it ended. */
  giveBack(sender: number, set: number, leases: readonly RowLease[]): void {
    const rows = this.sets[set]
    if (rows === undefined) return
    rows.asked.delete(sender)
    rows.back.push(...leases)
    this.settle(set, rows)
  }

  /** A sender is gone: it takes no more, and answers no more. */
  end(sender: number): void {
    this.alive.delete(sender)
    for (const [set, rows] of this.sets.entries()) {
      rows.asked.delete(sender)
      rows.lacking = rows.lacking.filter((other) => other !== sender)
      this.settle(set, rows)
    }
  }

  /** Serves those that lack rows; they are told of none only when no sender has any left. */
  private settle(set: number, rows: Rows): void {
    for (let [sender] = rows.lacking; sender !== undefined; [sender] = rows.lacking) {
      const lease = this.nextLease(rows) ?? (rows.asked.size === 0 ? { from: 0, count: 0 } : undefined)
      if (lease === undefined) return
      rows.lacking.shift()
      this.send(sender, { kind: 'rows', set, lease })
    }
  }

  /** Leases become smaller as a file comes to its end, down to single rows: little is to be given back. */
  private nextLease(rows: Rows): RowLease | undefined {
    const left = rows.count - rows.next
    if (left > 0) {
      const count = Math.min(MOST_AT_ONCE, left, Math.max(1, Math.floor(left / (4 * this.senders))))
      rows.next += count
      return { from: rows.next - count, count }
    }
    const [first] = rows.back
    if (first === undefined) return undefined
    if (first.count === 1) rows.back.shift()
    else rows.back[0] = { from: first.from + 1, count: first.count - 1 }
    return { from: first.from, count: 1 }
  }
}
