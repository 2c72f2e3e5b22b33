// Gates judged over a recording: held or breached, by how much, how surely, and since when.
import { isUpperLimit } from '../language/comparisons.js'
import type { BoundedRecording } from '../measure/bounds.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Measured } from '../plan/measures.js'
import type { Gate } from '../plan/model.js'
import type { BaselineValue } from './baseline.js'
import { boundsOf, BREACHED, decide, graver, withSpread, type Covered } from './decide.js'
import type { GateResult } from './gate-result.js'
import type { GateBatches } from './gate-batches.js'
import { readGate, secondOf } from './readings.js'
import { isWithin, readingsOf, scopeOf, secondsWithin, viewOfRecording } from './scope.js'
import { limitOf, unitOf } from './subject.js'
import { surenessOf } from './sureness.js'

/** What is known of a gate beside the recording. */
export interface KnownOfGate {
  /** What the same gate observed in the baseline, in the gate's unit. */
  baseline?: BaselineValue | null
  /** When the gate's stop rule fired, in ms from the start of the load. */
  stoppedAtMs?: number | null
  /** What the gate saw when its stop rule fired, in the gate's unit. */
  stoppedValue?: number | null
  /** The first second in which its limit was passed, in ms from the start of the load. */
  firstBreachAtMs?: number | null
  /** All seconds in batches: without them nothing is known of how sure its figure is. */
  batches?: GateBatches | undefined
  /** Whether a gate of the run limits capped arrivals: then they are the target's, and count as started. */
  limitsCapped?: boolean
}

/**
 * Judges one gate over what a recording holds now.
 *
 * @param recording - with its bounds: a gate on a time must hold at both
 * @param known - what is known besides, such as the baseline
 */
export function judgeGate(
  gate: Gate,
  recording: BoundedRecording,
  shape: RunShape,
  known: KnownOfGate = {},
): GateResult {
  const own = judgeAgainst(gate, recording, shape, known)
  const pinned = known.baseline?.pinned
  return pinned === undefined ? own : graver(own, judgeAgainst(gate, recording, shape, { ...known, baseline: pinned }))
}

// eslint-disable-next-line max-lines-per-function -- every way in which a gate is not judged, one after another
function judgeAgainst(gate: Gate, recording: BoundedRecording, shape: RunShape, known: KnownOfGate): GateResult {
  const scope = scopeOf(gate, shape)
  const reading = readGate(gate, viewOfRecording(recording, shape, scope), shape, scope)
  const unit = unitOf(gate)
  const { baseline = null, stoppedAtMs = null, stoppedValue = null } = known
  const limit = limitOf(gate, baseline?.observed ?? null)
  const common = {
    rule: gate.rule,
    line: gate.at.line,
    lowerBound: null,
    upperBound: null,
    limit,
    unit,
    margin: null,
    samples: reading.samples,
    interval: null,
    borderline: false,
    baselineValue: baseline?.observed ?? null,
    ...(baseline === null ? {} : { baselineRuns: baseline.runs }),
    firstBreachAtMs: null,
    stoppedAtMs,
    ...(gate.isDefault ? { isDefault: true } : {}),
    ...(gate.leavesOutRequests ? { leavesOutRequests: true } : {}),
  }
  if (reading.kind === 'unmeasured') {
    // A default gate is no promise that there is something to measure.
    const status = stoppedAtMs !== null ? 'breached' : gate.isDefault ? 'not judged' : 'unmeasured'
    return { ...common, status, observed: stoppedValue, firstBreachAtMs: stoppedAtMs }
  }
  const scale = unit === '%' ? 100 : 1
  const observed = stoppedValue ?? reading.value * scale
  // What a stop rule saw in a second is no figure of the run.
  const batches = stoppedAtMs === null ? known.batches : undefined
  const sure = surenessOf(batches, { observed, limit, scale })
  const covered: Covered = { gate, recording, shape, scope, limitsCapped: known.limitsCapped ?? false }
  const { lower, upper } = boundsOf(covered, reading.value)
  const isMoved = lower !== upper && stoppedAtMs === null
  const read = {
    ...common,
    observed,
    interval: sure.interval,
    ...(sure.effectiveSamples === undefined ? {} : { effectiveSamples: sure.effectiveSamples }),
    ...(isMoved ? { lowerBound: lower * scale, upperBound: upper * scale } : {}),
  }
  if (limit === null) return { ...read, status: 'no baseline' }
  if (gate.isScaled) return { ...read, status: 'not judged' }
  const limits = baseline === null ? [limit] : [baseline.lowerBound, baseline.upperBound].map(limitFrom(gate))
  const values = isMoved ? [lower * scale, upper * scale] : [observed]
  const lost = lostReadings(covered)
  const outcome =
    stoppedAtMs !== null
      ? BREACHED
      : lost === undefined
        ? withSpread(gate, baseline, observed, decide(covered, { observed, values, limit, limits }))
        : { status: 'undecided' as const, reason: lost }
  return {
    ...read,
    ...outcome,
    margin: isUpperLimit(gate.comparison) ? limit - observed : observed - limit,
    borderline: sure.isBorderline,
    ...(sure.reason === undefined || outcome.reason !== undefined ? {} : { reason: sure.reason }),
    firstBreachAtMs: outcome.status === 'held' ? null : (known.firstBreachAtMs ?? null),
  }
}

/** Beyond this share of readings that failed, what a metric was is unknown. */
const MOST_LOST = 0.1

/** A metric that too often could not be read, in words; of a rate the first reading has nothing to compare with. */
function lostReadings({ gate, recording, shape, scope }: Covered): string | undefined {
  if (gate.measure.kind !== 'metric') return undefined
  const { lost, readings } = readingsOf(gate.measure.name, secondsWithin(recording, shape, scope), shape)
  return lost > MOST_LOST * readings
    ? `${String(lost)} of ${String(readings)} readings of the metric failed: look at its endpoint`
    : undefined
}

const limitFrom =
  (gate: Gate) =>
  (ofBaseline: number): number =>
    limitOf(gate, ofBaseline) ?? Infinity

/** Reads what was measured for a gate in one second, in the gate's unit; null outside its phases. */
export function secondReader(gate: Gate, shape: RunShape): (second: number, measured: Measured) => number | null {
  const scope = scopeOf(gate, shape)
  const ranges = phaseRanges(shape).filter((_, index) => scope.isPhase(index))
  const scale = unitOf(gate) === '%' ? 100 : 1
  // A request may end in a second of a later phase than the one in which it was due.
  return (second, measured) => (isWithin(ranges, second) ? scaled(secondOf(gate, measured), scale) : null)
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
