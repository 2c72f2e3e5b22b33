// How often a run must be made to be held to a baseline.
import { repeatsFor } from '../numbers/repeats.js'
import { isUpperLimit } from '../language/comparisons.js'
import type { Gate } from '../plan/model.js'

/** Of a gate against a baseline: runs whose median finds a change by twice what its limit allows, in nine of ten. */
export interface GateRepeats {
  rule: string
  line: number
  /** Where runs of equal code differ by so much; null where not even fifteen are enough. */
  at5Percent: number | null
  at10Percent: number | null
}

/** A baseline is made of so many runs, once there are as many. */
const BASELINE_RUNS = 10

/** For each gate whose limit is a share of a baseline, over it. */
export const gateRepeats = (gates: readonly Gate[]): GateRepeats[] =>
  gates.flatMap(({ rule, at, limit, comparison }) => {
    if (limit.kind !== 'baseline' || limit.share <= 1 || !isUpperLimit(comparison)) return []
    const at5Percent = repeatsFor(limit.share, 0.05, BASELINE_RUNS)
    return [{ rule, line: at.line, at5Percent, at10Percent: repeatsFor(limit.share, 0.1, BASELINE_RUNS) }]
  })
