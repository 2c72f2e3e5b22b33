// How fast is fast enough, by what a plan says.
import { isUpperLimit } from '../language/comparisons.js'
import type { Gate } from './model.js'

/** T of Apdex: what the plan says, else the smallest limit of its gates on response times, else none. */
export function satisfiedMsOf(satisfiedMs: number | undefined, gates: readonly Gate[]): number | null {
  const limits = gates.flatMap(({ measure, limit, comparison }) =>
    measure.kind === 'response time' && limit.kind === 'fixed' && isUpperLimit(comparison) ? [limit.value] : [],
  )
  return satisfiedMs ?? (limits.length === 0 ? null : Math.min(...limits))
}
