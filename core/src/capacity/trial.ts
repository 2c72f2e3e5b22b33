// The plan of one trial: the plan's journeys and gates at one load.
import { familyOf } from '../plan/measures.js'
import type { Gate, Phase, Plan } from '../plan/model.js'

/** What is searched for: arrivals a second, or users at once. */
export type CapacityUnit = 'arrivals' | 'users'

export interface TrialLengths {
  /** Not measured: caches fill, and a queue comes to its length. */
  warmUpSeconds: number
  holdSeconds: number
}

/** A gate that a search does not judge, and why. */
export interface LeftOut {
  rule: string
  why: string
}

/** Why no capacity of a plan can be found; undefined where it can. */
export function noCapacityReason(plan: Plan): string | undefined {
  const own = plan.load.phases.find(({ track }) => track !== null)
  if (own !== undefined) return `the journey "${own.track ?? ''}" has a load of its own: in one rate it has no share`
  if (judgedGates(plan).judged.every(({ isDefault }) => isDefault))
    return 'the plan has no gate that a load could break: a capacity is up to where a limit holds'
  return undefined
}

/** The gates that are judged in each trial, wherever in a load they ask, and those that mean nothing there. */
export function judgedGates({ gates }: Pick<Plan, 'gates'>): { judged: Gate[]; leftOut: LeftOut[] } {
  const judged: Gate[] = []
  const leftOut: LeftOut[] = []
  for (const gate of gates) {
    const why = leftOutReason(gate)
    if (why === undefined) judged.push({ ...gate, during: [], stop: undefined })
    else leftOut.push({ rule: gate.rule, why })
  }
  return { judged, leftOut }
}

function leftOutReason({ measure, limit }: Gate): string | undefined {
  const family = familyOf(measure)
  if (limit.kind !== 'fixed') return 'it compares with a baseline, which had another load'
  if (family === 'recovery') return 'a constant load has nothing to recover from'
  if (family === 'rate' || family === 'byte rate') return 'the rate is what is searched'
  if (family === 'count' || (family === 'share or count' && limit.unit === 'number'))
    return 'a count goes with the load'
  return undefined
}

/**
 * The plan at a constant load.
 *
 * @param load - arrivals a second, or users
 */
export function trialPlan(plan: Plan, unit: CapacityUnit, load: number, lengths: TrialLengths): Plan {
  const [first] = plan.load.phases
  if (first === undefined) throw new TypeError('a plan has a phase')
  const { spacing, at } = first
  const phase = (name: string, seconds: number, measured: boolean): Phase => {
    const common = { name, seconds, measured, spacing, at, track: null, ladder: null, cap: undefined }
    return unit === 'arrivals'
      ? { ...common, kind: 'constant', rate: load }
      : { ...common, kind: 'users', from: load, to: load, spreadSeconds: 0 }
  }
  const phases = [phase('warm up', lengths.warmUpSeconds, false), phase('hold', lengths.holdSeconds, true)]
  // A trial at less would be one of another load.
  return { ...plan, load: { ...plan.load, phases }, gates: judgedGates(plan).judged, onLoss: 'void' }
}
