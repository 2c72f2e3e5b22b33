// A run that another is held against, and whether it may be.
import type { Gate } from '../plan/model.js'
import type { Bounds, GateResult } from './gate-result.js'
import { subjectOf, subjectOfRule, unitOf } from './subject.js'
import { verdictWords, type Verdict } from './verdict.js'

/** The run that gates were held against. */
export interface BaselineIdentity {
  id: string
  commit: string | null
  startedAt: string
}

type ObservedGate = Pick<GateResult, 'rule' | 'unit' | 'observed'> & Bounds

/** What of a result a baseline needs. */
export interface Baseline extends BaselineIdentity {
  verdict: Verdict
  target: { name: string; origin: string }
  scale: number
  load: string
  gates: ObservedGate[]
}

/** A baseline from a result, as it was made or as it was read from its file. */
export function baselineFrom(result: {
  id: string
  verdict: Verdict
  startedAt: string
  target: Baseline['target']
  plan: { commit: string | null; scale: number; load: string }
  gates: readonly ObservedGate[]
}): Baseline {
  const { id, verdict, startedAt, target, plan, gates } = result
  return { id, verdict, commit: plan.commit, startedAt, target, scale: plan.scale, load: plan.load, gates: [...gates] }
}

/**
 * Why a run is no baseline for another: inconclusive, or of another target, scale or load; undefined if it is one.
 *
 * @param run - the one that is to be held to it
 */
export function baselineFault(
  baseline: Baseline,
  run: { target: { name: string }; plan: { scale: number; load: string } },
): string | undefined {
  if (baseline.verdict === 'void' || baseline.verdict === 'stopped')
    return `its verdict is ${verdictWords(baseline.verdict)}: what it measured is not to be relied on`
  if (baseline.target.name !== run.target.name)
    return `it ran against ${baseline.target.name}, and this run is against ${run.target.name}`
  if (baseline.scale !== run.plan.scale)
    return `it ran at scale ${String(baseline.scale)}, and this run is at ${String(run.plan.scale)}`
  return baseline.load === run.plan.load ? undefined : 'its load differs'
}

/** What a baseline observed, in the gate's unit, and between what the generator may have moved it. */
export interface BaselineValue {
  observed: number
  lowerBound: number
  upperBound: number
}

/**
 * What the gate that measures the same observed in the baseline; null when there is none.
 *
 * @returns the value and its bounds, in the unit of the gate
 */
export function baselineValue(baseline: Baseline, gate: Gate): BaselineValue | null {
  const wanted = subjectOf(gate)
  const same = baseline.gates.find((other) => other.unit === unitOf(gate) && subjectOfRule(other.rule) === wanted)
  if (same === undefined || same.observed === null) return null
  const { observed } = same
  return { observed, lowerBound: same.lowerBound ?? observed, upperBound: same.upperBound ?? observed }
}
