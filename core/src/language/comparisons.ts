// Numbers against limits.
import type { Comparison } from './sentences.js'

/** Whether a number keeps to a limit. */
export function holds(observed: number, comparison: Comparison, limit: number): boolean {
  switch (comparison) {
    case 'under':
      return observed < limit
    case 'at most':
      return observed <= limit
    case 'over':
      return observed > limit
    case 'at least':
      return observed >= limit
    default:
      return comparison satisfies never
  }
}

/** Whether a limit is one from above. */
export const isUpperLimit = (comparison: Comparison): boolean => comparison === 'under' || comparison === 'at most'
