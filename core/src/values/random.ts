// Draws that depend on where they stand in the run, and on nothing else.

/**
 * A stream of uniform draws for one place of one iteration. The same seed, user, iteration and place give the same
 * draws,
 * whatever the number of workers and whatever happened before.
 *
 * The words are mixed by the finalizer of MurmurHash3 (A. Appleby, public domain) in two 32-bit lanes.
 */
export class Draws {
  private low = 0
  private high = 0
  private counter = 0

  constructor(private readonly seed: number) {}

  /** Moves to a place; `place` numbers the makers, waits and picks of a plan. */
  at(user: number, iteration: number, place: number): this {
    const seedLow = this.seed >>> 0
    const seedHigh = Math.floor(this.seed / 2 ** 32) >>> 0
    this.low = absorb(absorb(absorb(absorb(seedLow, seedHigh), user), iteration), place)
    this.high = absorb(absorb(absorb(absorb(~seedLow, place), iteration), user), seedHigh)
    this.counter = 0
    return this
  }

  /** The next draw, uniform in [0, 1). */
  next(): number {
    this.counter++
    const low = finalize(this.low ^ Math.imul(this.counter, 0x9e3779b9))
    const high = finalize(this.high ^ Math.imul(this.counter, 0x85ebca6b))
    return ((high >>> 5) * 2 ** 26 + (low >>> 6)) / 2 ** 53
  }

  /** A draw from the exponential distribution of mean 1 (the inverse of its distribution function). */
  nextExponential(): number {
    return -Math.log(1 - this.next())
  }

  /** A draw from the standard normal distribution (Box and Muller 1958). */
  nextNormal(): number {
    const radius = Math.sqrt(-2 * Math.log(1 - this.next()))
    return radius * Math.cos(2 * Math.PI * this.next())
  }
}

function absorb(state: number, word: number): number {
  return finalize((state ^ Math.imul(word | 0, 0xcc9e2d51)) + 0x7ed55d16)
}

function finalize(word: number): number {
  let mixed = word | 0
  mixed = Math.imul(mixed ^ (mixed >>> 16), 0x85ebca6b)
  mixed = Math.imul(mixed ^ (mixed >>> 13), 0xc2b2ae35)
  return (mixed ^ (mixed >>> 16)) | 0
}
