// A plan at another size: fewer users for a rehearsal of the load, more for a larger machine.
import { familyOf } from '../plan/measures.js'
import type { Plan } from '../plan/model.js'
import { scaledPhase } from '../plan/phases.js'

/**
 * Multiplies rates, starts, users and caps (half up, at least 1); iterations stay. Gates on counts and rates mean
 * nothing
 * then: they are shown, not judged.
 *
 * @param scale - above 0; 1 leaves the plan as it is
 */
export function scalePlan(plan: Plan, scale: number): Plan {
  if (scale === 1) return plan
  const whole = (count: number) => (count === 0 ? 0 : Math.max(1, Math.floor(count * scale + 0.5)))
  const { load } = plan
  return {
    ...plan,
    load: {
      ...load,
      cap: load.cap === undefined ? undefined : whole(load.cap),
      phases: load.phases.map((phase) => ({
        ...scaledPhase(phase, scale, whole),
        cap: phase.cap === undefined ? undefined : whole(phase.cap),
      })),
    },
    gates: plan.gates.map((gate) => {
      const family = familyOf(gate.measure)
      const isCount = family === 'share or count' && gate.limit.kind === 'fixed' && gate.limit.unit === 'number'
      return { ...gate, isScaled: isCount || family === 'count' || family === 'rate' || family === 'byte rate' }
    }),
  }
}
