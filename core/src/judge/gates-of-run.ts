// Gates on what no second tells: impact and recovery, read from all windows of a run.
import { isUpperLimit } from '../language/comparisons.js'
import { GRADES } from '../language/grades.js'
import type { BoundedRecording } from '../measure/bounds.js'
import type { Gate } from '../plan/model.js'
import { HIGHEST } from '../numbers/distribution.js'
import { decide, graver, withSpread } from './decide.js'
import type { GateResult } from './gate-result.js'
import type { KnownOfGate } from './gates.js'
import { impactOf } from './impact.js'
import { missingWords } from './losses.js'
import { recoveryAfter, type Recovery } from './recovery.js'
import { scopeOf } from './scope.js'
import { limitOf, unitOf } from './subject.js'
import { windowsOf, type RunSeconds, type TimesAs } from './windows.js'

/** What such gates are judged by. */
export interface WholeRun extends RunSeconds {
  recording: BoundedRecording
  /** T of Apdex. */
  satisfiedMs: number | null
}

type GradeReading = { kind: 'measured'; value: number; values: number[] } | { kind: 'unmeasured'; reason: string }

/**
 * Judges a gate on impact or recovery.
 *
 * @param hasEnded - while a run lasts, its grade may still change either way: shown, not judged
 */
export function judgeGateOfRun(gate: Gate, run: WholeRun, known: KnownOfGate, hasEnded: boolean): GateResult {
  const own = judgeAgainst(gate, run, known, hasEnded)
  const pinned = known.baseline?.pinned
  return pinned === undefined ? own : graver(own, judgeAgainst(gate, run, { ...known, baseline: pinned }, hasEnded))
}

function readingOf({ measure }: Gate, run: WholeRun, as: Parameters<typeof readImpact>[1]) {
  if (measure.kind === 'capacity') return { kind: 'unmeasured' as const, reason: 'a search for the capacity tells it' }
  return measure.kind === 'recovery' ? readRecovery(run, measure.phase, as) : readImpact(run, as)
}

function judgeAgainst(gate: Gate, run: WholeRun, known: KnownOfGate, hasEnded: boolean): GateResult {
  const { baseline = null, limitsCapped = false } = known
  const limit = limitOf(gate, baseline?.observed ?? null)
  // What decides nothing yet is read once: the cost of a live second must not grow threefold with the run.
  const as = hasEnded ? BOUNDS : SEEN
  const reading = readingOf(gate, run, as)
  const common = {
    rule: gate.rule,
    line: gate.at.line,
    lowerBound: null,
    upperBound: null,
    limit,
    unit: unitOf(gate),
    margin: null,
    samples: windowsOf(run).filter(({ requests }) => requests > 0).length,
    interval: null,
    borderline: false,
    baselineValue: baseline?.observed ?? null,
    ...(baseline === null ? {} : { baselineRuns: baseline.runs }),
    firstBreachAtMs: null,
    stoppedAtMs: null,
  }
  if (reading.kind === 'unmeasured')
    return { ...common, status: hasEnded ? 'unmeasured' : 'not judged', observed: null, reason: reading.reason }
  const { value: observed, values } = reading
  const [lower, upper] = [Math.min(...values), Math.max(...values)]
  const read = {
    ...common,
    observed,
    ...(lower === upper ? {} : { lowerBound: lower, upperBound: Math.min(upper, HIGHEST / 1000) }),
  }
  if (limit === null) return { ...read, status: 'no baseline' }
  if (!hasEnded) return { ...read, status: 'not judged' }
  const scope = scopeOf(gate, run.shape)
  const limits = baseline === null ? [limit] : [baseline.lowerBound, baseline.upperBound].map((of) => limitOf(gate, of))
  const decided = decide(
    { gate, recording: run.recording, shape: run.shape, scope, limitsCapped },
    { observed, values, limit, limits: limits.map((bound) => bound ?? limit) },
  )
  const missing = missingWords(run.recording.losses, run.shape, scope)
  if (missing !== undefined) return { ...read, status: 'undecided', reason: missing }
  const outcome = withSpread(gate, baseline, observed, decided)
  if (upper === Infinity && outcome.status === 'undecided')
    return { ...read, status: 'unmeasured', reason: 'the load ended before it had recovered: let more load follow' }
  return { ...read, ...outcome, margin: isUpperLimit(gate.comparison) ? limit - observed : observed - limit }
}

const SEEN: readonly TimesAs[] = ['seen']
const BOUNDS: readonly TimesAs[] = ['seen', 'lower', 'upper']

function readImpact(run: WholeRun, bounds: readonly TimesAs[]): GradeReading {
  const grades = bounds.map((as) => impactOf(run, run.satisfiedMs, as).grade)
  const values = grades.flatMap((grade) => (grade === null ? [] : [GRADES.indexOf(grade)]))
  const [value] = values
  return value === undefined
    ? { kind: 'unmeasured', reason: 'nothing measured tells how fast the answers were' }
    : { kind: 'measured', value, values }
}

/** In ms. Where it did not recover, it is known from when on it may have: what is limited to less is breached. */
function readRecovery(run: WholeRun, name: string, as: readonly TimesAs[]): GradeReading {
  const phase = run.shape.phases.findLastIndex((some) => some.name === name || some.ladder === name)
  const [seen, ...bounds] = as.map((one) => recoveryAfter(run.shape, phase, windowsOf(run, one)))
  if (seen === undefined || seen.kind === 'unmeasured')
    return { kind: 'unmeasured', reason: seen?.reason ?? 'there is no load' }
  const values = [seen, ...bounds].flatMap(msOf)
  return { kind: 'measured', value: values[0] ?? 0, values }
}

/** Not recovered: from the soonest that it can have been to never. */
function msOf(recovery: Recovery): number[] {
  if (recovery.kind === 'unmeasured') return []
  return recovery.kind === 'recovered' ? [recovery.ms] : [recovery.soonestMs, Infinity]
}
