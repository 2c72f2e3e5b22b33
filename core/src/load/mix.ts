// Which journey an arrival walks.

/**
 * Gives each journey its exact weight to within one arrival at any time.
 *
 * Among the journeys whose next turn has begun (count < n × weight), the one whose turn ends first is taken. Earliest
 * deadline first keeps every count within one of its weight: R. Tijdeman, "The chairman assignment problem", 1980.
 */
export class JourneyMix {
  private readonly parts: number[]
  private readonly counts: number[]
  private arrivals = 0

  /** @param weights - whole numbers, not all 0 */
  constructor(weights: readonly number[]) {
    const total = weights.reduce((sum, weight) => sum + weight, 0)
    this.parts = weights.map((weight) => weight / total)
    this.counts = weights.map(() => 0)
  }

  /** Index of the journey of the next arrival. */
  next(): number {
    this.arrivals++
    let chosen = -1
    let soonest = Infinity
    for (const [index, part] of this.parts.entries()) {
      const count = this.counts[index] ?? 0
      if (part === 0 || count >= this.arrivals * part - 1e-9) continue
      const deadline = (count + 1) / part
      if (deadline < soonest - 1e-9) {
        soonest = deadline
        chosen = index
      }
    }
    this.counts[chosen] = (this.counts[chosen] ?? 0) + 1
    return chosen
  }
}
