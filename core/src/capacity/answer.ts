// What a trial tells: whether its gates held, and how surely, by their own intervals.
import type { GateResult } from '../judge/gate-result.js'
import type { Judgement } from '../judge/verdict.js'
import { normalQuantile } from '../numbers/normal.js'
import type { TrialAnswer } from './search.js'

/** A trial that could not be made at all: another would fare no better. */
export interface Impossible {
  kind: 'impossible'
  reasons: string[]
}

/** Of a gate that has no interval, such as one on the longest time: as if it were right in nine of ten. */
const WITHOUT_INTERVAL = normalQuantile(0.9)
/** What one-sided intervals of 95 % reach, in deviations. */
const REACH = normalQuantile(0.95)

/** Reads a trial as an answer of the search. */
export function trialAnswer(judgement: Judgement, gates: readonly GateResult[]): TrialAnswer | Impossible {
  const judged = gates.filter(({ status }) => status === 'held' || status === 'breached')
  switch (judgement.exitCode) {
    case 0:
      // What no gate judged is no answer.
      if (judged.length === 0) return { kind: 'undecided' }
      return { kind: 'held', ...leastSure(judged) }
    case 1:
      return { kind: 'breached', deviations: gaveWay(gates)?.deviations ?? Infinity }
    case 3:
      if (judgement.isOpenQuestion === true) return { kind: 'undecided', why: judgement.reasons.join('; ') }
      if (judgement.lacksGenerators === true) return { kind: 'impossible', reasons: judgement.reasons }
      // What another run could mend is the load that was not made.
      if (judgement.mayDiffer === true) return { kind: 'not delivered' }
      return { kind: 'impossible', reasons: judgement.reasons }
    default:
      return { kind: 'impossible', reasons: judgement.reasons }
  }
}

/** The gate that is breached most surely; undefined where none is. */
export function gaveWay(gates: readonly GateResult[]): { rule: string; deviations: number } | undefined {
  return gates
    .filter(({ status }) => status === 'breached')
    .map((gate) => ({ rule: gate.rule, deviations: deviationsOf(gate) }))
    .toSorted((a, b) => b.deviations - a.deviations)[0]
}

/** Of gates that held, the one that was nearest to its limit. */
function leastSure(gates: readonly GateResult[]): { nearest: string; deviations: number } {
  let least = { nearest: '', deviations: Infinity }
  for (const gate of gates) {
    const deviations = deviationsOf(gate)
    if (deviations < least.deviations || least.nearest === '') least = { nearest: gate.rule, deviations }
  }
  return least
}

/** By how many deviations a gate was from its limit; dependence is in its interval already. */
function deviationsOf({ observed, limit, interval }: GateResult): number {
  if (observed === null || limit === null || interval === null) return WITHOUT_INTERVAL
  const end = interval[0] ?? interval[1]
  // An interval without an end: too few values to tell how wide it is.
  if (end === null) return WITHOUT_INTERVAL
  const deviation = Math.abs(end - observed) / REACH
  if (deviation === 0) return observed === limit ? 0 : Infinity
  return Math.abs(limit - observed) / deviation
}
