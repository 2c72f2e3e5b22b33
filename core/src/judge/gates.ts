// Gates judged over a recording: held or breached, by how much, how surely, and since when.
import { holds } from '../assess/check.js'
import type { Bucket } from '../measure/bucket.js'
import type { Recording } from '../measure/recording.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { readSentence } from '../language/sentences.js'
import { FAMILIES, familyOf, type GateUnit } from '../plan/measures.js'
import type { Gate } from '../plan/model.js'
import { readGate, readSecond, isCount, type Interval } from './readings.js'
import { isWithin, scopeOf, viewOfBucket, viewOfRecording } from './scope.js'

export type GateStatus = 'held' | 'breached' | 'unmeasured' | 'no baseline' | 'not judged'

/** A gate's result. Values stand in the gate's unit: ms, per second, percent, a count, a score or a metric's own. */
export interface GateResult {
  rule: string
  line: number
  status: GateStatus
  observed: number | null
  /** Null where the limit comes from a baseline and there is none. */
  limit: number | null
  unit: GateUnit
  /** Positive when held. */
  margin: number | null
  samples: number
  interval: Interval | null
  borderline: boolean
  baselineValue: number | null
  firstBreachAtMs: number | null
  stoppedAtMs: number | null
  /** Of a gate that every run without one of its kind is held to. */
  isDefault?: boolean | undefined
}

/** What is known of a gate beside the recording. */
export interface KnownOfGate {
  /** What the same gate observed in the baseline, in the gate's unit. */
  baselineValue?: number | null
  /** When the gate's stop rule fired, in ms from the start of the load. */
  stoppedAtMs?: number | null
  /** What the gate saw when its stop rule fired, in the gate's unit. */
  stoppedValue?: number | null
  /** The first second in which its limit was passed, in ms from the start of the load. */
  firstBreachAtMs?: number | null
}

/** Judges one gate over what a recording holds now. */
export function judgeGate(gate: Gate, recording: Recording, shape: RunShape, known: KnownOfGate = {}): GateResult {
  const scope = scopeOf(gate, shape)
  const reading = readGate(gate, viewOfRecording(recording, shape, scope), shape, scope)
  const unit = unitOf(gate)
  const { baselineValue = null, stoppedAtMs = null } = known
  const limit = limitOf(gate, baselineValue)
  const common = {
    rule: gate.rule,
    line: gate.at.line,
    limit,
    unit,
    samples: reading.samples,
    baselineValue,
    firstBreachAtMs: null,
    stoppedAtMs,
    ...(gate.isDefault ? { isDefault: true } : {}),
  }
  const bare = { ...common, margin: null, interval: null, borderline: false }
  if (reading.kind === 'unmeasured') {
    // A default gate is no promise that there is something to measure.
    const status = stoppedAtMs !== null ? 'breached' : gate.isDefault ? 'not judged' : 'unmeasured'
    return { ...bare, status, observed: known.stoppedValue ?? null, firstBreachAtMs: stoppedAtMs }
  }
  const scale = unit === '%' ? 100 : 1
  const observed = known.stoppedValue ?? reading.value * scale
  const interval: Interval | null =
    reading.interval === null ? null : [scaled(reading.interval[0], scale), scaled(reading.interval[1], scale)]
  if (limit === null) return { ...bare, status: 'no baseline', observed, interval }
  if (gate.isScaled) return { ...bare, status: 'not judged', observed, interval }
  const held = stoppedAtMs === null && holds(observed, gate.comparison, limit)
  const isUpper = gate.comparison === 'under' || gate.comparison === 'at most'
  return {
    ...common,
    status: held ? 'held' : 'breached',
    observed,
    margin: isUpper ? limit - observed : observed - limit,
    interval,
    borderline: straddles(interval, limit),
    firstBreachAtMs: held ? null : (known.firstBreachAtMs ?? null),
  }
}

/** The unit in which a gate's values are shown and stored. */
export function unitOf(gate: Gate): GateUnit {
  const family = familyOf(gate.measure)
  if (family === 'share or count' && isCount(gate)) return 'count'
  if (family === 'metric' && gate.limit.kind === 'fixed' && gate.limit.unit === 'time') return 'ms'
  return FAMILIES[family].gateUnit
}

/** The limit in the gate's unit; of a baseline, the larger of its share and the quantity that may stand beside it. */
export function limitOf(gate: Gate, baselineValue: number | null): number | null {
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

function straddles(interval: Interval | null, limit: number): boolean {
  if (interval === null) return false
  return (interval[0] ?? -Infinity) <= limit && limit <= (interval[1] ?? Infinity)
}

/** Reads a gate's measure in one second, in the gate's unit; null outside its phases. */
export function secondReader(gate: Gate, shape: RunShape): (bucket: Bucket) => number | null {
  const scope = scopeOf(gate, shape)
  const ranges = phaseRanges(shape).filter((_, index) => scope.isPhase(index))
  const scale = unitOf(gate) === '%' ? 100 : 1
  // A request may end in a second of a later phase than the one in which it was due.
  return (bucket) =>
    isWithin(ranges, bucket.second) ? scaled(readSecond(gate, viewOfBucket(bucket), shape, scope), scale) : null
}

/** Whether the phases of a gate are over after so many seconds. */
export function isPastItsPhases(gate: Gate, shape: RunShape, seconds: number): boolean {
  const scope = scopeOf(gate, shape)
  const ends = phaseRanges(shape).flatMap(({ toMs }, phase) => (scope.isPhase(phase) ? [toMs / 1000] : []))
  return seconds >= Math.max(0, ...ends)
}

function scaled(value: number | null, scale: number): number | null {
  return value === null ? null : value * scale
}

/** The status of a gate with what is to be known about it, for people. */
export function statusWords({ status, borderline, isDefault }: StatusParts): string {
  return [status, ...(borderline ? ['borderline'] : []), ...(isDefault === true ? ['default'] : [])].join(', ')
}
type StatusParts = Pick<GateResult, 'status' | 'borderline' | 'isDefault'>
