// Rows of data files: which one an iteration takes, without repeats among all senders where each row goes once.
import { Draws, type DataSet, type Frame } from '@jolt-gate/core'
import type { Program } from '../compile/program.js'

/** Rows from one on, this sender's alone; none where all are given away. */
export interface RowLease {
  from: number
  count: number
}

const takes = (program: Program, set: number): boolean => program.data.some((one) => one.set === set)

/** Whether rows that go once each are taken in several tracks, so that theirs are one order. */
export function sharesRows(
  data: readonly DataSet[],
  programs: readonly Program[],
  trackOf: (journey: number) => string | null,
): boolean {
  return data.some(({ take }, set) => {
    const tracks = programs.flatMap((program, journey) => (takes(program, set) ? [trackOf(journey)] : []))
    return take === 'once each' && new Set(tracks).size > 1
  })
}

/** Where the draws of rows stand among the places of a plan. */
const ROW_PLACE = -2_000_000

export type RowsTaken =
  | { kind: 'taken' }
  | { kind: 'spent'; data: DataSet }
  /** A lease has been asked for: try again when it comes. */
  | { kind: 'awaited' }

export interface RowSource {
  data: readonly DataSet[]
  programs: readonly Program[]
  seed: number
  /** Arrivals of each journey until now, over all senders. */
  arrivals: readonly number[]
  /** Where users come again by themselves, no sender can know how often: rows are leased. */
  areLeased: boolean
  /** Asks for the next lease of a set. */
  want: (set: number) => void
}

export class RowTaker {
  private readonly draws: Draws
  /** The journeys whose iterations take a row of each set. */
  private readonly journeys: number[][]
  private readonly stocks: Stock[] | undefined

  constructor(private readonly source: RowSource) {
    const { data, programs, seed, areLeased, want } = source
    this.journeys = data.map((_, set) => programs.flatMap((program, journey) => (takes(program, set) ? [journey] : [])))
    this.draws = new Draws(seed)
    if (areLeased)
      this.stocks = data.map(
        (_, set) =>
          new Stock(() => {
            want(set)
          }),
      )
  }

  /** A lease that was asked for. */
  add(set: number, lease: RowLease): void {
    this.stocks?.[set]?.add(lease)
  }

  /** Gives back what is leased of a set, and not taken. */
  giveBack(set: number): RowLease[] {
    return this.stocks?.[set]?.giveBack() ?? []
  }

  /**
   * Takes the rows of an iteration: all, or none.
   *
   * @param turn - number of the arrival in its track, for rows in turn
   */
  take(program: Program, frame: Frame, turn: number, user: number, iteration: number): RowsTaken {
    for (const { set } of program.data)
      if (this.source.data[set]?.take === 'once each' && this.stocks?.[set]?.mustWait() === true)
        return { kind: 'awaited' }
    for (const { set: number, slot } of program.data) {
      const data = this.source.data[number]
      if (data === undefined) continue
      const row = this.rowOf(data, number, turn, user, iteration)
      if (row === undefined) return { kind: 'spent', data }
      frame[slot] = row
    }
    return { kind: 'taken' }
  }

  private rowOf(data: DataSet, number: number, turn: number, user: number, iteration: number): number | undefined {
    const count = data.rows.count
    switch (data.take) {
      case 'in turn':
        return turn % count
      case 'at random':
        return Math.floor(this.draws.at(user, iteration, ROW_PLACE - number).next() * count)
      case 'once each': {
        const row = this.stocks === undefined ? this.arrivalsWith(number) - 1 : this.stocks[number]?.take()
        if (row === undefined || row < count) return row
        return data.then === 'again' ? row % count : undefined
      }
      default:
        return data.take satisfies never
    }
  }

  private arrivalsWith(set: number): number {
    let count = 0
    for (const journey of this.journeys[set] ?? []) count += this.source.arrivals[journey] ?? 0
    return count
  }
}

/** The rows of a set that are leased and not taken yet. */
class Stock {
  private isAsked = false
  private isSpent = false
  private taken = 0
  private lease: RowLease = { from: 0, count: 0 }
  private waiting: RowLease | undefined

  constructor(private readonly ask: () => void) {}

  /** Whether the next row is not there yet; then it is asked for. */
  mustWait(): boolean {
    if (this.taken < this.lease.count || this.waiting !== undefined || this.isSpent) return false
    this.askOnce()
    return true
  }

  add(lease: RowLease): void {
    this.isAsked = false
    if (lease.count === 0) this.isSpent = true
    else this.waiting = lease
  }

  giveBack(): RowLease[] {
    const { lease, taken, waiting } = this
    const left = [{ from: lease.from + taken, count: lease.count - taken }, ...(waiting === undefined ? [] : [waiting])]
    this.lease = { from: 0, count: 0 }
    this.taken = 0
    this.waiting = undefined
    return left.filter(({ count }) => count > 0)
  }

  /** The next row; undefined where none is left. */
  take(): number | undefined {
    if (this.taken >= this.lease.count && this.waiting !== undefined) {
      this.lease = this.waiting
      this.waiting = undefined
      this.taken = 0
    }
    const row = this.taken < this.lease.count ? this.lease.from + this.taken++ : undefined
    // Asked for when half is used, so that it is there before it is needed; not where single rows are left, which
    // another sender may need sooner.
    const { count } = this.lease
    if (!this.isSpent && this.waiting === undefined && count > 1 && 2 * this.taken >= count) this.askOnce()
    return row
  }

  private askOnce(): void {
    if (this.isAsked) return
    this.isAsked = true
    this.ask()
  }
}
