// Rows of data files: which one an iteration takes, without repeats among all threads where each row goes once.
import { Draws, type DataSet, type Frame } from '@jolt-gate/core'
import type { Program } from '../compile/program.js'

/** Where the draws of rows stand among the places of a plan. */
const ROW_PLACE = -2_000_000

export type RowsTaken = { kind: 'taken' } | { kind: 'spent'; data: DataSet }

export class RowTaker {
  /** Arrivals so far that take a row of each set once; every thread counts them all, and so agrees. */
  private readonly arrivals: number[]
  private readonly draws: Draws

  /**
   * @param counters - shared by all threads, one for each set: used where users come again by themselves, and no thread
   *   can know how often
   */
  constructor(
    private readonly data: readonly DataSet[],
    seed: number,
    private readonly counters: Int32Array<SharedArrayBuffer>,
    private readonly isClosed: boolean,
  ) {
    this.arrivals = data.map(() => 0)
    this.draws = new Draws(seed)
  }

  /** Counts an arrival, whether it is of this thread or of another; to be called for each, in order. */
  count(program: Program): void {
    for (const { set: number } of program.data) this.arrivals[number] = (this.arrivals[number] ?? 0) + 1
  }

  /**
   * Takes the rows of an iteration.
   *
   * @param turn - number of the arrival in its track, for rows in turn
   */
  take(program: Program, frame: Frame, turn: number, user: number, iteration: number): RowsTaken {
    for (const { set: number, slot } of program.data) {
      const data = this.data[number]
      if (data === undefined) continue
      const row = this.rowOf(data, number, turn, user, iteration)
      if (row === undefined) return { kind: 'spent', data }
      frame[slot] = row
    }
    return { kind: 'taken' }
  }

  private rowOf(data: DataSet, number: number, turn: number, user: number, iteration: number): number | undefined {
    const count = data.rows.length
    switch (data.take) {
      case 'in turn':
        return turn % count
      case 'at random':
        return Math.floor(this.draws.at(user, iteration, ROW_PLACE - number).next() * count)
      case 'once each': {
        const row = this.isClosed ? Atomics.add(this.counters, number, 1) : (this.arrivals[number] ?? 1) - 1
        return row < count ? row : data.then === 'again' ? row % count : undefined
      }
      default:
        return data.take satisfies never
    }
  }
}
