// What keeps a run from ever coming to an answer, found before anything is sent.
import type { Plan, Target } from '@jolt-gate/core'
import { metricFaults } from '../metrics/metric-names.js'
import { scriptFaults } from '../walk/steps/call/scripts.js'

export interface PlanFaults {
  errors: string[]
  warnings: string[]
}

/**
 * Functions that scripts do not export, and metrics of gates that endpoints do not know. The target's permission must
 * have been looked at before: endpoints are asked here.
 *
 * @param target - whose metrics are read once
 */
export async function planFaults(plan: Plan, target: Target): Promise<PlanFaults> {
  const steps = [plan.setup, ...plan.journeys.map((journey) => journey.steps), plan.teardown].flat()
  const judged = new Set(plan.gates.flatMap(({ measure }) => (measure.kind === 'metric' ? [measure.name] : [])))
  const ofMetrics = await metricFaults(target.metrics, target.origin, new Set([target.origin, ...target.also]))
  const isError = ({ isUnknown, metric }: (typeof ofMetrics)[number]) => isUnknown && judged.has(metric)
  return {
    errors: [...scriptFaults(steps), ...ofMetrics.filter(isError).map(({ words }) => words)],
    warnings: ofMetrics.filter((fault) => !isError(fault)).map(({ words }) => words),
  }
}
