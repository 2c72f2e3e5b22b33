// A limit that is tried on what past runs measured, before it is committed.
import { holds } from '../language/comparisons.js'
import { readSentence } from '../language/sentences.js'
import { limitOf, subjectOf, subjectOfRule, unitOf } from './subject.js'
import type { GateUnit } from '../plan/measures.js'

/** One figure over runs, the oldest first; null where a run has none. */
export interface PastFigure {
  rule: string
  unit: GateUnit
  values: readonly (number | null)[]
}

/** What a limit would have made of past runs. */
export type PastOutcome =
  /** Places of the runs that have the figure, and of those that would have breached. */
  | { kind: 'tried'; measured: number[]; breached: number[] }
  | { kind: 'never measured' }
  /** A share of a baseline is another limit in each run. */
  | { kind: 'of a baseline' }

/**
 * Tries a rule on past runs: whatever limit they had, the figure is the same.
 *
 * @param rule - the sentence of a gate
 * @param figures - of past runs, in the units of their gates
 * @returns undefined for a text that is no gate
 */
export function triedOnPast(rule: string, figures: readonly PastFigure[]): PastOutcome | undefined {
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) return undefined
  const { comparison, limit } = parsed.value
  if (limit.kind === 'baseline') return { kind: 'of a baseline' }
  const gate = parsed.value
  const [subject, unit, most] = [subjectOf(gate), unitOf(gate), limitOf(gate, null)]
  const found = figures.find((one) => one.unit === unit && subjectOfRule(one.rule) === subject)
  const measured = (found?.values ?? []).flatMap((value, run) => (value === null ? [] : [{ value, run }]))
  if (measured.length === 0 || most === null) return { kind: 'never measured' }
  return {
    kind: 'tried',
    measured: measured.map(({ run }) => run),
    breached: measured.flatMap(({ value, run }) => (holds(value, comparison, most) ? [] : [run])),
  }
}
