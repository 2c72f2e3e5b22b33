// A generator that was lost while its load lasted, where the plan lets the others go on.

export interface Loss {
  generator: string
  /** Why it counts as lost, in words. */
  why: string
  /** Where it stood, by its number in the shape; null where the plan names no places. */
  place: number | null
  /** From the start of the load: what it made after that is not recorded. */
  atMs: number
  /** Arrivals that were due by it in each phase after that, and those that are due in all there by the others. */
  arrivals: number[]
  left: number[]
  /** Requests, and iterations, that were under way then: how they ended is unknown. */
  requests: number
  journeys: number
}
