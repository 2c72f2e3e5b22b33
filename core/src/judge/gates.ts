// Gates judged over a recording: held or breached, by how much, how surely, and since when.
import { holds } from '../assess/check.js'
import type { Bucket } from '../measure/bucket.js'
import type { Recording } from '../measure/recording.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { familyOf } from '../plan/gates.js'
import type { Gate } from '../plan/model.js'
import { readGate, readSecond, isCount, type Interval } from './readings.js'
import { isWithin, scopeOf, viewOfBucket, viewOfRecording } from './scope.js'

export type GateStatus = 'held' | 'breached' | 'unmeasured' | 'no baseline' | 'not judged'
export type GateUnit = 'ms' | '/s' | 'B/s' | '%' | 'count' | 'score' | 'value'

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
}

/** What a gate may need beside the recording. */
export interface JudgeOptions {
  /** The seconds of the run, which tell when a gate was first breached. */
  buckets?: readonly Bucket[]
  /** What the same gate observed in the baseline, in the gate's unit. */
  baselineOf?: (gate: Gate) => number | null
  /** When the gate's stop rule fired, in ms from the start of the load. */
  stoppedAtMs?: number | null
}

/** Judges one gate over what a recording holds now. */
export function judgeGate(gate: Gate, recording: Recording, shape: RunShape, options: JudgeOptions = {}): GateResult {
  const scope = scopeOf(gate, shape)
  const reading = readGate(gate, viewOfRecording(recording, shape, scope), shape, scope)
  const unit = unitOf(gate)
  const baselineValue = gate.limit.kind === 'baseline' ? (options.baselineOf?.(gate) ?? null) : null
  const limit = limitOf(gate, baselineValue)
  const stoppedAtMs = options.stoppedAtMs ?? null
  const common = {
    rule: gate.rule,
    line: gate.at.line,
    limit,
    unit,
    samples: reading.samples,
    baselineValue,
    firstBreachAtMs: null,
    stoppedAtMs,
  }
  const bare = { ...common, margin: null, interval: null, borderline: false }
  if (reading.kind === 'unmeasured') {
    const status = stoppedAtMs === null ? 'unmeasured' : 'breached'
    return { ...bare, status, observed: null, firstBreachAtMs: stoppedAtMs }
  }
  const scale = unit === '%' ? 100 : 1
  const observed = reading.value * scale
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
    firstBreachAtMs: held ? null : firstBreach(gate, limit, options.buckets ?? [], shape),
  }
}

/** The unit in which a gate's values are shown and stored. */
export function unitOf(gate: Gate): GateUnit {
  const family = familyOf(gate.measure)
  switch (family) {
    case 'time':
      return 'ms'
    case 'busy share':
      return '%'
    case 'share or count':
      return isCount(gate) ? 'count' : '%'
    case 'count':
      return 'count'
    case 'rate':
      return '/s'
    case 'byte rate':
      return 'B/s'
    case 'score':
      return 'score'
    case 'metric':
      return gate.limit.kind === 'fixed' && gate.limit.unit === 'time' ? 'ms' : 'value'
    default:
      return family satisfies never
  }
}

/** The limit in the gate's unit; of a baseline, the larger of its share and the quantity that may stand beside it. */
function limitOf(gate: Gate, baselineValue: number | null): number | null {
  const { limit } = gate
  const scale = unitOf(gate) === '%' ? 100 : 1
  if (limit.kind === 'fixed') return limit.value * scale
  if (baselineValue === null) return null
  return Math.max(limit.share * baselineValue, (limit.or?.value ?? -Infinity) * scale)
}

/** What of a rule says what is measured, without its limit: so the same gate is found in another run. */
export function measureText(rule: string): string {
  return rule.replace(/\s+(under|over|at most|at least)\s+(?:(?!\s(?:under|over|at most|at least)\s).)*$/s, '')
}

function straddles(interval: Interval | null, limit: number): boolean {
  if (interval === null) return false
  return (interval[0] ?? -Infinity) <= limit && limit <= (interval[1] ?? Infinity)
}

/** What a gate's measure was in each second of its phases, in the gate's unit; null where too little ended in one. */
export function gateBySecond(gate: Gate, buckets: readonly Bucket[], shape: RunShape): (number | null)[] {
  const series: (number | null)[] = []
  const read = secondReader(gate, shape)
  for (const bucket of buckets) {
    while (series.length <= bucket.second) series.push(null)
    series[bucket.second] = read(bucket)
  }
  return series
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

/** The first second in which a breached gate's limit was passed, in ms from the start of the load. */
function firstBreach(gate: Gate, limit: number, buckets: readonly Bucket[], shape: RunShape): number | null {
  // A whole count or a rate over all phases says nothing about one second.
  const family = familyOf(gate.measure)
  if (family === 'count' || unitOf(gate) === 'count') return null
  const read = secondReader(gate, shape)
  const first = buckets.find((bucket) => {
    const value = read(bucket)
    return value !== null && !holds(value, gate.comparison, limit)
  })
  return first === undefined ? null : first.second * 1000
}

function scaled(value: number | null, scale: number): number | null {
  return value === null ? null : value * scale
}
