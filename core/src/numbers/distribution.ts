// Values of one kind: exact moments, and a log-linear histogram in the layout of HdrHistogram.

/** Unit 1 µs, three significant digits: 2048 sub-buckets, at most 0.1 % relative error. */
const SUB_BUCKETS = 2048
const HALF = SUB_BUCKETS / 2
const HALF_BITS = 10
/** One hour in µs; what is longer is clamped to it and counted. */
export const HIGHEST = 3_600_000_000
export const SLOTS = 23 * HALF

/** Sorting a slot takes so many times as long as looking at one. */
const SORTED_IN = 20

interface Packed {
  slots: Uint16Array
  counts: Uint32Array
}
const NO_COUNTS = new Uint32Array(0)

/**
 * Values recorded in µs, read in µs.
 *
 * It holds a count for each slot while it is recorded to; `compact` keeps the used slots alone, for the many that are
 * only read.
 */
export class Distribution {
  count = 0
  sum = 0
  sumOfSquares = 0
  least = Infinity
  largest = -Infinity
  /** Values above one hour. */
  clamped = 0
  /** Counts by slot while recording; empty when compact. */
  private counts = NO_COUNTS
  private touched: number[] = []
  private sorted = true
  /** Slots and counts, ascending, when compact. */
  private packed: Packed | undefined
  /** The same while it is not compact, as long as nothing is added. */
  private listed: (Packed & { count: number }) | undefined

  /** Records one value; negative ones count as 0. */
  record(valueUs: number): void {
    const value = valueUs > 0 ? valueUs : 0
    this.count++
    this.sum += value
    this.sumOfSquares += value * value
    if (value < this.least) this.least = value
    if (value > this.largest) this.largest = value
    if (value > HIGHEST) this.clamped++
    const slot = slotOf(value)
    const { counts } = this
    const before = slot < counts.length ? (counts[slot] ?? 0) : 0
    // Most values fall where one was before: nothing else is to be kept up then.
    if (before > 0) counts[slot] = before + 1
    else this.addAt(slot, 1)
  }

  /** Adds all of another distribution; histograms add up exactly. */
  add(other: Distribution): void {
    this.count += other.count
    this.sum += other.sum
    this.sumOfSquares += other.sumOfSquares
    this.clamped += other.clamped
    this.least = Math.min(this.least, other.least)
    this.largest = Math.max(this.largest, other.largest)
    // Loops over what is there: adding up an hour does this some hundred thousand times.
    const last = other.packed === undefined ? other.counts.length - 1 : (other.packed.slots.at(-1) ?? -1)
    if (this.packed === undefined && last >= this.counts.length) this.grow(last)
    if (other.packed === undefined) for (const slot of other.touched) this.addAt(slot, other.counts[slot] ?? 0)
    else {
      const { slots, counts } = other.packed
      for (let index = 0; index < slots.length; index++) this.addAt(slots[index] ?? 0, counts[index] ?? 0)
    }
  }

  /** Adds counts to a slot without touching the moments; for reading what was written. */
  addAt(slot: number, count: number): void {
    if (this.packed !== undefined) this.unpack(this.packed)
    if (slot >= this.counts.length) this.grow(slot)
    const before = this.counts[slot] ?? 0
    if (before === 0) {
      this.touched.push(slot)
      this.sorted = false
    }
    this.counts[slot] = before + count
  }

  /** Slots that hold something, ascending, with their counts. */
  *slots(): Generator<[slot: number, count: number]> {
    if (this.packed !== undefined) {
      const { slots, counts } = this.packed
      for (let index = 0; index < slots.length; index++) yield [slots[index] ?? 0, counts[index] ?? 0]
      return
    }
    this.sort()
    for (const slot of this.touched) yield [slot, this.counts[slot] ?? 0]
  }

  /** Values in µs, to the width of a slot, ascending, with how often each was seen. */
  *values(): Generator<[valueUs: number, count: number]> {
    for (const [slot, count] of this.slots()) yield [middleOf(slot), count]
  }

  get slotCount(): number {
    return this.packed?.slots.length ?? this.touched.length
  }

  /** Takes slots and their counts as they are, ascending, each once; for reading what was written. */
  holding(slots: Uint16Array, counts: Uint32Array): this {
    this.packed = { slots, counts }
    return this
  }

  /** Gives up the memory for recording; recording again takes it back. */
  compact(): this {
    if (this.packed !== undefined) return this
    this.packed = this.pack()
    this.counts = NO_COUNTS
    this.touched = []
    return this
  }

  /** Empties it, keeping its memory. */
  clear(): void {
    this.packed = this.listed = undefined
    for (const slot of this.touched) this.counts[slot] = 0
    this.touched.length = 0
    this.count = this.sum = this.sumOfSquares = this.clamped = 0
    this.least = Infinity
    this.largest = -Infinity
  }

  get mean(): number {
    return this.sum / this.count
  }

  /** Sample standard deviation (n − 1); 0 for a single value. */
  get deviation(): number {
    if (this.count < 2) return 0
    return Math.sqrt(Math.max(0, this.sumOfSquares - (this.sum * this.sum) / this.count) / (this.count - 1))
  }

  /**
   * Nearest-rank percentile: the smallest recorded value with at least that share of values at or below it.
   *
   * @param percent - between 0 and 100
   * @returns µs, within 0.1 % of the recorded value; NaN when there is none
   */
  percentile(percent: number): number {
    return this.valueAtRank(Math.max(1, Math.ceil((percent / 100) * this.count - 1e-9)))
  }

  /** Value of a rank, from 1. */
  valueAtRank(rank: number): number {
    if (this.count === 0) return NaN
    if (rank >= this.count) return Math.min(this.largest, HIGHEST)
    const { slots, counts } = this.ascending()
    let seen = 0
    for (let index = 0; index < slots.length; index++) {
      seen += counts[index] ?? 0
      if (seen >= rank) return Math.min(this.largest, Math.max(this.least, middleOf(slots[index] ?? 0)))
    }
    return this.largest
  }

  /** Values at or below a bound in µs, to the width of a slot. */
  countUpTo(boundUs: number): number {
    if (boundUs >= this.largest) return this.count
    const last = slotOf(boundUs)
    const { slots, counts } = this.ascending()
    let seen = 0
    for (let index = 0; index < slots.length && (slots[index] ?? Infinity) <= last; index++) seen += counts[index] ?? 0
    return seen
  }

  /** The same values, each moved by so many µs, but none below 0. */
  movedBy(us: number): Distribution {
    if (us === 0 || this.count === 0) return this
    const moved = new Distribution()
    const [slots, counts] = [new Uint16Array(this.slotCount), new Uint32Array(this.slotCount)]
    let used = 0
    const own = this.ascending()
    for (let index = 0; index < own.slots.length; index++) {
      const count = own.counts[index] ?? 0
      const value = Math.max(0, middleOf(own.slots[index] ?? 0) + us)
      moved.sum += count * value
      moved.sumOfSquares += count * value * value
      const slot = slotOf(value)
      // They keep their order: those that fall into one slot follow one another.
      if (used === 0 || slots[used - 1] !== slot) slots[used++] = slot
      counts[used - 1] = (counts[used - 1] ?? 0) + count
    }
    moved.packed = { slots: slots.subarray(0, used), counts: counts.subarray(0, used) }
    moved.count = this.count
    moved.clamped = this.clamped
    moved.least = Math.max(0, this.least + us)
    moved.largest = Math.max(0, this.largest + us)
    if (this.least + us < 0) return moved
    moved.sum = this.sum + this.count * us
    moved.sumOfSquares = this.sumOfSquares + 2 * us * this.sum + this.count * us * us
    return moved
  }

  /** What is left without some of the values. */
  without(some: Distribution): Distribution {
    if (some.count === 0) return this
    const rest = new Distribution()
    if (some.count >= this.count) return rest
    const taken = new Map(some.slots())
    for (const [slot, count] of this.slots()) {
      const left = count - (taken.get(slot) ?? 0)
      if (left <= 0) continue
      rest.addAt(slot, left)
      rest.least = Math.min(rest.least, Math.max(this.least, lowestOf(slot)))
      rest.largest = Math.min(this.largest, middleOf(slot))
    }
    rest.count = this.count - some.count
    rest.sum = this.sum - some.sum
    rest.sumOfSquares = this.sumOfSquares - some.sumOfSquares
    rest.clamped = this.clamped - some.clamped
    return rest
  }

  /** With values of which only a part was seen: they rank above all others, and count in the mean as far as seen. */
  withUnfinished(seen: Distribution): Distribution {
    if (seen.count === 0) return this
    const all = new Distribution()
    all.add(this)
    all.count += seen.count
    all.sum += seen.sum
    all.sumOfSquares += seen.sumOfSquares
    all.clamped += seen.count
    all.least = Math.min(all.least, seen.least)
    all.largest = HIGHEST
    all.addAt(slotOf(HIGHEST), seen.count)
    return all
  }

  private sort(): void {
    if (this.sorted) return
    // Of many it is quicker to walk over all slots than to sort those that hold something.
    const isFew = this.touched.length * SORTED_IN < this.counts.length
    if (isFew) this.touched = Array.from(Uint16Array.from(this.touched).sort())
    else {
      let used = 0
      for (let slot = 0; slot < this.counts.length; slot++)
        if ((this.counts[slot] ?? 0) > 0) this.touched[used++] = slot
    }
    this.sorted = true
  }

  /** Slots with their counts, ascending, as plain arrays: the time of a summary goes into loops over them. */
  private ascending(): Packed {
    if (this.packed !== undefined) return this.packed
    if (this.listed?.count === this.count) return this.listed
    this.listed = { ...this.pack(), count: this.count }
    return this.listed
  }

  private pack(): Packed {
    this.sort()
    const slots = Uint16Array.from(this.touched)
    const counts = new Uint32Array(slots.length)
    for (let index = 0; index < slots.length; index++) counts[index] = this.counts[slots[index] ?? 0] ?? 0
    return { slots, counts }
  }

  private unpack({ slots, counts }: Packed): void {
    this.packed = undefined
    for (const [index, slot] of slots.entries()) this.addAt(slot, counts[index] ?? 0)
  }

  private grow(slot: number): void {
    const grown = new Uint32Array(Math.min(SLOTS, Math.max(slot + 1, HALF, this.counts.length * 2)))
    grown.set(this.counts)
    this.counts = grown
  }
}

/** Slot of a value in µs, as HdrHistogram counts them for lowest 1 and three significant digits. */
export function slotOf(valueUs: number): number {
  // Below 2³² whole numbers fit a word, and shifts are exact and quick.
  const value = (valueUs >= HIGHEST ? HIGHEST : valueUs + 0.5) >>> 0
  if (value < SUB_BUCKETS) return value
  const bucket = 31 - HALF_BITS - Math.clz32(value)
  return (bucket << HALF_BITS) + (value >>> bucket)
}

/** Lowest value of a slot, in µs. */
export function lowestOf(slot: number): number {
  if (slot < SUB_BUCKETS) return slot
  const bucket = (slot >> HALF_BITS) - 1
  return (HALF + (slot & (HALF - 1))) * 2 ** bucket
}

function middleOf(slot: number): number {
  if (slot < SUB_BUCKETS) return slot
  const width = 2 ** ((slot >> HALF_BITS) - 1)
  return lowestOf(slot) + (width - 1) / 2
}
