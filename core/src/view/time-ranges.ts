// Any range of the seconds of a run, told from few parts: whole blocks are summed up once.
import { RangeTotals } from '../measure/bounds.js'
import type { Bucket } from '../measure/bucket.js'
import type { RunShape } from '../measure/shape.js'

/** So many seconds are one block; the longest first. */
const BLOCKS = [300, 60, 10] as const

export class TimeRanges {
  private readonly buckets: (Bucket | undefined)[] = []
  private readonly errorsMs: number[] = []
  private readonly blocks = new Map<string, RangeTotals>()
  private readonly prepared = new Map<number, number>()
  private last: { from: number; to: number; known: number; sum: RangeTotals } | undefined

  constructor(private readonly shape: RunShape) {}

  /** The next second, with its generator error. */
  add(bucket: Bucket, errorMs: number): void {
    this.buckets[bucket.second] = bucket
    this.errorsMs[bucket.second] = errorMs
  }

  /** What ended from one second to before another, both over. */
  within(from: number, to: number): RangeTotals {
    const known = this.buckets.length
    if (this.last?.from !== from || this.last.to !== to || this.last.known !== known)
      this.last = { from, to, known, sum: this.sumOf(Math.max(0, from), to, BLOCKS) }
    return this.last.sum
  }

  /**
   * Sums up one block more of those that are over.
   *
   * @returns false when there is none left
   */
  prepare(seconds: number): boolean {
    // The shorter ones first: each takes little, so that a request in between does not wait.
    const length = BLOCKS.toReversed().find((one) => (this.prepared.get(one) ?? 0) + one <= seconds)
    if (length === undefined) return false
    const second = this.prepared.get(length) ?? 0
    this.blockAt(second, length)
    this.prepared.set(length, second + length)
    return true
  }

  private sumOf(from: number, to: number, blocks: readonly number[]): RangeTotals {
    const sum = new RangeTotals(this.shape)
    for (let second = from; second < to;) {
      const length = blocks.find((one) => second % one === 0 && second + one <= to)
      if (length !== undefined) sum.addRange(this.blockAt(second, length))
      else {
        const bucket = this.buckets[second]
        if (bucket !== undefined) sum.addSecond(bucket, this.errorsMs[second] ?? 0)
      }
      second += length ?? 1
    }
    return sum
  }

  private blockAt(second: number, length: number): RangeTotals {
    const key = `${String(second)} ${String(length)}`
    let block = this.blocks.get(key)
    if (block === undefined) {
      const shorter = BLOCKS.filter((one) => one < length)
      block = this.sumOf(second, second + length, shorter)
      block.compact()
      this.blocks.set(key, block)
    }
    return block
  }
}
