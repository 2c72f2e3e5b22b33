// What becomes of a gate.
import type { GateUnit } from '../plan/measures.js'
import { HIGHEST } from '../numbers/distribution.js'
import type { Interval } from './readings.js'
import { isRuleOnShare } from './subject.js'
import { formatValue } from './values.js'

export type GateStatus = 'held' | 'breached' | 'undecided' | 'unmeasured' | 'no baseline' | 'not judged'

/** A gate's result. Values stand in the gate's unit: ms, per second, percent, a count, a score or a metric's own. */
export interface GateResult {
  rule: string
  line: number
  status: GateStatus
  observed: number | null
  /**
   * Between these lies what would have been observed had the generator been on time; null where it changes nothing,
   * missing in results of old.
   */
  lowerBound?: number | null | undefined
  upperBound?: number | null | undefined
  /** Null where the limit comes from a baseline and there is none. */
  limit: number | null
  unit: GateUnit
  /** Positive when held. */
  margin: number | null
  samples: number
  /** As many independent samples tell as much: neighbours depend on one another. Missing where nothing tells it. */
  effectiveSamples?: number | undefined
  /** 95 %: one-sided, on the side of the limit. Null for counts, rates, extremes, and limits of 0 or 100 %. */
  interval: Interval | null
  borderline: boolean
  /** The mean of the baseline's runs, or what the pinned one observed, whichever decides. */
  baselineValue: number | null
  /** How many runs that is of. */
  baselineRuns?: number | undefined
  firstBreachAtMs: number | null
  stoppedAtMs: number | null
  /** Why it is undecided, borderline though its limit is far, or unmeasured where that is not for too few samples. */
  reason?: string | undefined
  /** Of a gate that every run without one of its kind is held to. */
  isDefault?: boolean | undefined
  /** On failed journeys: those that requests alone failed do not count. */
  leavesOutRequests?: boolean | undefined
}

/** The status of a gate with what is to be known about it, for people. */
export const statusWords = (gate: StatusParts): string => [gate.status, ...besideStatus(gate)].join(', ')
/** What is to be known about the status of a gate. */
export function besideStatus({ borderline, isDefault, leavesOutRequests }: Omit<StatusParts, 'status'>): string[] {
  return [
    ...(borderline ? ['borderline'] : []),
    ...(isDefault === true ? ['default'] : []),
    ...(leavesOutRequests === true ? ['failed requests left out'] : []),
  ]
}
type StatusParts = Pick<GateResult, 'status' | 'borderline' | 'isDefault' | 'leavesOutRequests'>

/** What the truth may be, by the interval of a gate: "up to 312 ms"; undefined where it has none. */
export function intervalWords({ interval, unit }: Pick<GateResult, 'interval' | 'unit'>): string | undefined {
  if (interval === null) return undefined
  const [low, high] = interval
  if (low !== null && high !== null) return `${formatValue(low, unit)} to ${formatValue(high, unit)}`
  if (low !== null) return `at least ${formatValue(low, unit)}`
  return high === null ? 'of unknown width: too few samples' : `up to ${formatValue(high, unit)}`
}

/** Why a gate is borderline, in words; undefined where it is not. */
export function borderlineWords(gate: SurenessParts): string | undefined {
  if (!gate.borderline) return undefined
  if (gate.reason !== undefined && gate.status !== 'undecided') return gate.reason
  const { samples, effectiveSamples = samples } = gate
  const worth =
    effectiveSamples < WORTH_LESS * samples
      ? `; its ${String(samples)} samples tell as much as ${String(Math.max(1, Math.round(effectiveSamples)))} independent ones`
      : ''
  return `95 % interval ${intervalWords(gate) ?? 'unknown'}${worth}`
}
type SurenessParts = Pick<
  GateResult,
  'borderline' | 'reason' | 'status' | 'samples' | 'effectiveSamples' | 'interval' | 'unit'
>
const WORTH_LESS = 0.8

/** How many gates are borderline; undefined where none is. Default gates are nobody's limit. */
export function borderlineCount(gates: readonly Pick<GateResult, 'borderline' | 'isDefault'>[]): string | undefined {
  const count = gates.filter(({ borderline, isDefault }) => borderline && isDefault !== true).length
  return count === 0 ? undefined : `${String(count)} ${count === 1 ? 'gate' : 'gates'} borderline`
}

/** How many gates have which status: a run that is void must not read as if nothing was breached. */
export function gateCountWords(gates: readonly Pick<GateResult, 'status'>[]): string {
  if (gates.length === 0) return 'no gates'
  const statuses = [...new Set(gates.map(({ status }) => status))]
  const [only] = statuses
  if (statuses.length === 1 && only !== undefined)
    return gates.length === 1 ? `the only gate: ${only}` : `all ${String(gates.length)} gates: ${only}`
  const counts = statuses.map((one) => `${String(gates.filter(({ status }) => status === one).length)} ${one}`)
  return `${String(gates.length)} gates: ${counts.join(', ')}`
}

/** What a gate observed, with the generator error where it matters. */
export function observedWords(gate: ObservedParts): string {
  const words = formatValue(gate.observed, gate.unit)
  const error = errorWords(gate)
  return error === undefined ? words : `${words} (${error})`
}

/** How much of the failures that a gate allows there were; undefined for a gate that allows none. */
export function allowedWords({
  rule,
  observed,
  limit,
}: Pick<GateResult, 'rule' | 'observed' | 'limit'>): string | undefined {
  if (observed === null || limit === null || limit <= 0 || !isRuleOnShare(rule)) return undefined
  const used = observed / limit
  if (used > 1) return `${used < 10 ? used.toFixed(1) : used.toFixed(0)} × the allowed failures`
  return `${(100 * used).toFixed(0)} % of the allowed failures`
}

/** The generator error, where it is over a tenth of the value, or of the margin. */
export function errorWords(gate: ObservedParts): string | undefined {
  const { observed, margin, unit, lowerBound = null, upperBound = null } = gate
  if (observed === null || lowerBound === null || upperBound === null) return undefined
  if (unit === 'ms' && isUnknown(upperBound)) return 'or more'
  if (unit === 'grade') return `${formatValue(lowerBound, unit)} to ${formatValue(upperBound, unit)}, by the generator`
  const error = Math.max(upperBound - observed, observed - lowerBound)
  const isLarge = error > Math.abs(observed) / 10 || (margin !== null && error > Math.abs(margin) / 10)
  return isLarge ? `±${formatValue(error, unit)} (generator error)` : undefined
}
/** How long requests that timed out would have taken is unknown: at a bound they stand at the far end of all times. */
export const isUnknown = (ms: number): boolean => ms >= (0.99 * HIGHEST) / 1000

type ObservedParts = Pick<GateResult, 'observed' | 'margin' | 'unit'> & Bounds
export type Bounds = Pick<GateResult, 'lowerBound' | 'upperBound'>
