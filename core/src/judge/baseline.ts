// A run that another is held against, and whether it may be.
import type { Gate } from '../plan/model.js'
import { subjectOf, subjectOfRule, unitOf } from './gates.js'

/** The run that gates were held against. */
export interface BaselineIdentity {
  id: string
  commit: string | null
  startedAt: string
}

/** What of a result a baseline needs. */
export interface Baseline extends BaselineIdentity {
  target: { name: string; origin: string }
  scale: number
  load: string
  gates: { rule: string; unit: string; observed: number | null }[]
}

/** A baseline from a result, as it was made or as it was read from its file. */
export function baselineFrom(result: {
  id: string
  startedAt: string
  target: Baseline['target']
  plan: { commit: string | null; scale: number; load: string }
  gates: readonly { rule: string; unit: string; observed: number | null }[]
}): Baseline {
  const { id, startedAt, target, plan, gates } = result
  return { id, commit: plan.commit, startedAt, target, scale: plan.scale, load: plan.load, gates: [...gates] }
}

/** Why a run is no baseline for another: another target, scale or load; undefined when it is one. */
export function baselineFault(
  baseline: Baseline,
  run: { target: { name: string }; plan: { scale: number; load: string } },
): string | undefined {
  if (baseline.target.name !== run.target.name)
    return `it ran against ${baseline.target.name}, and this run is against ${run.target.name}`
  if (baseline.scale !== run.plan.scale)
    return `it ran at scale ${String(baseline.scale)}, and this run is at ${String(run.plan.scale)}`
  return baseline.load === run.plan.load ? undefined : 'its load differs'
}

/** What the gate that measures the same observed in the baseline, in the gate's unit; null when there is none. */
export function baselineValue(baseline: Baseline, gate: Gate): number | null {
  const wanted = subjectOf(gate)
  const same = baseline.gates.find((other) => other.unit === unitOf(gate) && subjectOfRule(other.rule) === wanted)
  return same?.observed ?? null
}
