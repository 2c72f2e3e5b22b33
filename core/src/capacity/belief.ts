// What is believed of where the capacity lies, after each trial.
import { normalTail } from '../numbers/normal.js'

/** Between the ends of the range, in steps of equal ratio. */
const CELLS = 400
/** How likely the capacity lies beyond either end, before anything is tried; it is taken for so far from it. */
const BEYOND = 0.1
const BEYOND_BY = 1.5
/** Deviations that a gate comes nearer to its limit while the load grows e-fold: from hardly any to at once. */
const [FLATTEST, STEEPEST, SLOPES] = [3, 200, 16]
/** A trial may be unlike all others, such as when something else ran beside it. */
const ODD = 0.01
/** How far a gate was counts up to here; beyond, how that goes with the load is another matter. */
const FARTHEST = 3

/**
 * A trial tells by how many deviations its gate was from the limit, by the gate's own interval. That grows with the
 * distance from the capacity, at a rate that the trials tell as well; so several trials near to the capacity are worth
 * as much as a longer one, and not as much as several that are right by chance each by itself: multiplying their
 * chances claims 95 % where 47 % are right.
 */
export class Belief {
  /** Of each capacity: below the range, in each cell of it, beyond it; for each slope. */
  private readonly weights: Float64Array
  /** The same, whatever the slope. */
  private readonly sums = new Float64Array(CELLS + 2)
  private readonly logs: Float64Array
  private readonly slopes: number[]

  constructor(
    private readonly lowest: number,
    private readonly highest: number,
  ) {
    const step = Math.log(highest / lowest) / CELLS
    this.logs = Float64Array.from({ length: CELLS + 2 }, (_, cell) => Math.log(lowest) + (cell - 0.5) * step)
    this.logs[0] = Math.log(lowest / BEYOND_BY)
    this.logs[CELLS + 1] = Math.log(highest * BEYOND_BY)
    this.slopes = Array.from(
      { length: SLOPES },
      (_, slope) => FLATTEST * (STEEPEST / FLATTEST) ** (slope / (SLOPES - 1)),
    )
    this.weights = new Float64Array((CELLS + 2) * SLOPES).fill((1 - 2 * BEYOND) / CELLS / SLOPES)
    this.weights.fill(BEYOND / SLOPES, 0, SLOPES)
    this.weights.fill(BEYOND / SLOPES, (CELLS + 1) * SLOPES)
    this.addUp()
  }

  /** Learns what a trial at a load told. */
  learn(load: number, { kind, deviations }: { kind: 'held' | 'breached'; deviations: number }): void {
    const far = Math.min(FARTHEST, deviations)
    const at = Math.log(load)
    let sum = 0
    for (let index = 0; index < this.weights.length; index++) {
      const capacity = this.logs[Math.floor(index / SLOPES)] ?? 0
      const expected = (this.slopes[index % SLOPES] ?? 0) * (capacity - at)
      const weight = (this.weights[index] ?? 0) * likelihood(far, kind === 'held' ? expected : -expected)
      this.weights[index] = weight
      sum += weight
    }
    for (let index = 0; index < this.weights.length; index++) this.weights[index] = (this.weights[index] ?? 0) / sum
    this.addUp()
  }

  /** The load below which the capacity lies with a chance; an end of the range where that is beyond it. */
  quantile(chance: number): number {
    let sum = 0
    for (let cell = 0; cell <= CELLS + 1; cell++) {
      const weight = this.sums[cell] ?? 0
      if (sum + weight >= chance) {
        const within = weight > 0 ? (chance - sum) / weight : 0
        const part = Math.min(1, Math.max(0, (cell - 1 + within) / CELLS))
        return cell === 0 ? this.lowest : this.lowest * (this.highest / this.lowest) ** part
      }
      sum += weight
    }
    return this.highest
  }

  /** The chances that it lies below the range, and beyond it. */
  outside(): { below: number; beyond: number } {
    return { below: this.sums[0] ?? 0, beyond: this.sums[CELLS + 1] ?? 0 }
  }

  private addUp(): void {
    this.sums.fill(0)
    for (let index = 0; index < this.weights.length; index++) {
      const cell = Math.floor(index / SLOPES)
      this.sums[cell] = (this.sums[cell] ?? 0) + (this.weights[index] ?? 0)
    }
  }
}

/** How likely a gate is seen so many deviations from its limit where so many are expected. */
function likelihood(far: number, expected: number): number {
  const told =
    far >= FARTHEST
      ? normalTailOf(FARTHEST - expected)
      : Math.exp(-((far - expected) ** 2) / 2) / Math.sqrt(2 * Math.PI)
  return ODD + (1 - ODD) * told
}

const normalTailOf = (z: number): number => (z >= 0 ? normalTail(z) : 1 - normalTail(-z))
