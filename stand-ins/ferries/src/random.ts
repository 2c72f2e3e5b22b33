/** Seeded uniform draws in [0, 1): a linear congruence (constants of Numerical Recipes) with a mixed output. */
export function seededDraws(seed: number): () => number {
  let state = seed >>> 0
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    const mixed = Math.imul(state ^ (state >>> 16), 0x45d9f3b)
    return ((mixed ^ (mixed >>> 15)) >>> 0) / 2 ** 32
  }
}
