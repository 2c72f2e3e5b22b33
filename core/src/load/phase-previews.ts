// The phases of a plan with what comes in each, worked out before anything is sent.
import type { Phase, Plan } from '../plan/model.js'
import { rateAt, usersAt } from '../plan/phases.js'
import { Draws } from '../values/random.js'
import { arrivalCounts } from './arrivals.js'

export interface PhasePreview {
  name: string
  kind: Phase['kind']
  /** The journey whose own track this is, or null for the common one. */
  track: string | null
  measured: boolean
  fromSeconds: number
  toSeconds: number
  /** Arrivals due; 0 where users come again by themselves, since their number depends on the target. */
  arrivals: number
  /** Arrivals per second at the beginning and at the end. */
  rates: [number, number]
  /** Users of the closed model at the beginning and at the end. */
  users: [number, number]
}

/** Each phase of a plan, in order. */
export function phasePreviews(plan: Plan): PhasePreview[] {
  const counts = arrivalCounts(plan.load.phases, new Draws(plan.seed))
  const starts = new Map<string | null, number>()
  return plan.load.phases.map((phase, index) => {
    const fromSeconds = starts.get(phase.track) ?? 0
    const toSeconds = fromSeconds + phase.seconds
    starts.set(phase.track, toSeconds)
    return {
      name: phase.name,
      kind: phase.kind,
      track: phase.track,
      measured: phase.measured,
      fromSeconds,
      toSeconds,
      arrivals: counts[index] ?? 0,
      rates: [rateAt(phase, 0), rateAt(phase, phase.seconds)],
      users: [usersAt(phase, 0), usersAt(phase, phase.seconds)],
    }
  })
}
