// What a gate is on: its subject, its unit, its limit.
import { isUpperLimit } from '../language/comparisons.js'
import { readSentence } from '../language/sentences.js'
import { samplesNeeded } from '../numbers/percentiles.js'
import { FAMILIES, familyOf, isOfRun, type GateUnit, type MeasureFamily } from '../plan/measures.js'
import type { Gate } from '../plan/model.js'
import { percentOf } from './scope.js'

/** The unit in which a gate's values are shown and stored. */
export function unitOf(gate: Pick<Gate, 'measure' | 'limit'>): GateUnit {
  const family = familyOf(gate.measure)
  if (family === 'share or count' && isCount(gate)) return 'count'
  if (family === 'metric' && gate.limit.kind === 'fixed' && gate.limit.unit === 'time') return 'ms'
  return FAMILIES[family].gateUnit
}

/** The limit in the gate's unit; of a baseline, the larger of its share and the quantity that may stand beside it. */
export function limitOf(gate: Pick<Gate, 'measure' | 'limit'>, baselineValue: number | null): number | null {
  const { limit } = gate
  const scale = unitOf(gate) === '%' ? 100 : 1
  if (limit.kind === 'fixed') return limit.value * scale
  if (baselineValue === null) return null
  return Math.max(limit.share * baselineValue, (limit.or?.value ?? -Infinity) * scale)
}

/** What a gate measures, whatever its limit: the same gate of another run has the same subject. */
export function subjectOf({ statistic, measure, of, journey, during }: GateSubject): string {
  return JSON.stringify([statistic, measure, of, journey, during])
}
type GateSubject = Pick<Gate, 'statistic' | 'measure' | 'of' | 'journey' | 'during'>

/** The subject of a rule as a result holds it; undefined for a text that is no gate. */
export function subjectOfRule(rule: string): string | undefined {
  const parsed = readSentence('Gate', rule)
  return parsed.ok ? subjectOf(parsed.value) : undefined
}

/** A rule without its limit, as it is written: what it measures, in words. A text that is no gate stays as it is. */
export function measuredByRule(rule: string): string {
  const parsed = readSentence('Gate', rule)
  return parsed.ok ? rule.slice(0, parsed.value.spans.comparison[0]).trim() : rule
}

/** Whether a rule as a result holds it has a limit from below: more is better. */
export function isRuleFromBelow(rule: string): boolean {
  const parsed = readSentence('Gate', rule)
  return parsed.ok && !isUpperLimit(parsed.value.comparison)
}

/** Samples that the percentile of a rule needs; undefined where a rule has none. */
export function samplesNeededBy(rule: string): number | undefined {
  const parsed = readSentence('Gate', rule)
  const percent = parsed.ok ? percentOf(parsed.value.statistic) : undefined
  return percent === undefined ? undefined : samplesNeeded(percent)
}

const ON_LOAD: readonly MeasureFamily[] = ['rate', 'byte rate', 'count']

/** Whether a gate is on how much was done: less of it may be for less load. */
export const isOnLoad = ({ measure }: Pick<Gate, 'measure'>): boolean => ON_LOAD.includes(familyOf(measure))

const OF_FAILURES: readonly string[] = ['failed requests', 'failed checks', 'failed journeys', 'cut off']

/** Whether a rule as a result holds it limits what failed, so that the causes explain its breach. */
export function isRuleOnFailures(rule: string): boolean {
  const parsed = readSentence('Gate', rule)
  return parsed.ok && OF_FAILURES.includes(parsed.value.measure.kind)
}

/** Whether a rule as a result holds it allows a share or a number of failures. */
export function isRuleOnShare(rule: string): boolean {
  const parsed = readSentence('Gate', rule)
  return parsed.ok && familyOf(parsed.value.measure) === 'share or count' && isUpperLimit(parsed.value.comparison)
}

/** Whether a gate on a share is held against a count. */
export const isCount = (gate: Pick<Gate, 'limit'>): boolean =>
  gate.limit.kind === 'fixed' && gate.limit.unit === 'number'

/** Whether a gate is on the target's times, and not on our own. */
export function isOfTarget({ measure }: Gate): boolean {
  const family = familyOf(measure)
  return (
    (family === 'time' || family === 'score' || isOfRun(measure)) &&
    measure.kind !== 'start lag' &&
    measure.kind !== 'event loop delay'
  )
}
