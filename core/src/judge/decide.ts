// Whether a gate is held or breached, or whether that cannot be told because the answer could be the generator's work.
import { holds, isUpperLimit } from '../language/comparisons.js'
import type { BoundedRecording } from '../measure/bounds.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { pool } from '../measure/cells.js'
import type { Loss } from '../measure/loss.js'
import { familyOf } from '../plan/measures.js'
import type { Gate } from '../plan/model.js'
import { isOpenPhase } from '../plan/phases.js'
import type { BaselineValue } from './baseline.js'
import { isUnknown, type GateResult, type GateStatus } from './gate-result.js'
import { endedOf, iterationsIn } from './iterations.js'
import { missingWords, withLosses } from './losses.js'
import { readGate } from './readings.js'
import { secondsWithin, sum, viewOfRecording, type GateScope } from './scope.js'
import { isOfTarget, isOnLoad, unitOf } from './subject.js'
import { LEAST_STARTED } from './trust.js'
import { formatMs, formatValue } from './values.js'

/** Busier for five seconds, a sender is not to be relied on. */
const MOST_BUSY = 0.9
/** Users who are this much later, by share of an iteration and by request, make a lighter load than was asked for. */
const MOST_LIGHTENED = 0.01
const LEAST_LIGHTENED_MS = 2

export type Decided = { status: Extract<GateStatus, 'held' | 'breached' | 'undecided'>; reason?: string }
export const BREACHED: Decided = { status: 'breached' }

/** What was recorded, as far as a gate covers it. */
export interface Covered {
  gate: Gate
  recording: BoundedRecording
  shape: RunShape
  scope: GateScope
  /** Whether a gate of the run limits capped arrivals. */
  limitsCapped: boolean
}

/**
 * Between which values the measure of a gate lies, in its own unit: those at the bounds of all times, and as observed.
 *
 * A standard deviation does not move with its values: by Minkowski's inequality it changes by no more than the largest
 * shift.
 */
export function boundsOf(covered: Covered, observed: number): Record<Bound, number> {
  const { gate, recording, shape, scope } = covered
  if (gate.statistic?.kind === 'sd' && isOfTarget(gate)) {
    const errorMs = largestError(covered)
    return { lower: Math.max(0, observed - errorMs), upper: observed + errorMs }
  }
  const values = [observed]
  for (const bound of ['lower', 'upper'] as const) {
    const view = viewOfRecording(recording, shape, scope, recording[bound])
    const reading = readGate(gate, withLosses(view, recording.losses, shape, scope, bound), shape, scope)
    if (reading.kind === 'measured') values.push(reading.value)
  }
  return { lower: Math.min(...values), upper: Math.max(...values) }
}
type Bound = 'lower' | 'upper'

/** A value against a limit, each with what it may truly be. */
export interface Weighed {
  observed: number
  values: readonly number[]
  limit: number
  limits: readonly number[]
}

/** Decides a gate; values and limits in the gate's unit. */
export function decide(covered: Covered, { observed, values, limit, limits }: Weighed): Decided {
  const { gate } = covered
  const isHeld = holds(observed, gate.comparison, limit)
  const outcomes = values.flatMap((value) => limits.map((bound) => holds(value, gate.comparison, bound)))
  if (outcomes.some((outcome) => outcome !== isHeld))
    return { status: 'undecided', reason: byErrorWords(covered, { observed, values, limit, limits }) }
  const reason = isHeld
    ? (lightened(covered) ?? leftUnfinished(covered))
    : (undelivered(covered) ?? ours(covered) ?? atOnce(covered, limits))
  return reason === undefined ? { status: isHeld ? 'held' : 'breached' } : { status: 'undecided', reason }
}

/**
 * A gate against a baseline that is beyond its limit, but not beyond what one more run of equal code may come to, is
 * undecided: runs differ by themselves.
 */
export function withSpread(gate: Gate, baseline: BaselineValue | null, observed: number, decided: Decided): Decided {
  if (baseline === null || decided.status !== 'breached') return decided
  const isUpper = isUpperLimit(gate.comparison)
  const farthest = isUpper ? baseline.highest : baseline.lowest
  if (isUpper ? observed > farthest : observed < farthest) return decided
  const runs = baseline.runs === 1 ? 'one run' : `${String(baseline.runs)} runs`
  return {
    status: 'undecided',
    reason: `by a baseline of ${runs}, ${isUpper ? 'up to' : 'down to'} ${formatValue(farthest, unitOf(gate))} may be chance: more runs tell more`,
  }
}

const GRAVITY: readonly GateStatus[] = ['held', 'not judged', 'no baseline', 'unmeasured', 'undecided', 'breached']

/** Of two results of a gate, that which is worse for it; of two that are alike, the one with less room. */
export function graver(one: GateResult, other: GateResult): GateResult {
  const apart = GRAVITY.indexOf(one.status) - GRAVITY.indexOf(other.status)
  if (apart !== 0) return apart > 0 ? one : other
  return (one.margin ?? -Infinity) <= (other.margin ?? -Infinity) ? one : other
}

function byErrorWords({ gate, recording }: Covered, { observed, values, limit }: Weighed): string {
  const unit = unitOf(gate)
  const highest = Math.max(...values)
  if (recording.losses.length > 0) return unknownEnds(recording.losses)
  if (unit === 'ms' && isUnknown(highest))
    return 'requests timed out or were cut off: how long they would have taken is unknown'
  const isHeld = holds(observed, gate.comparison, limit)
  const margin = formatValue(Math.abs(limit - observed), unit)
  if (unit === 'grade')
    return `it may have been ${formatValue(Math.min(...values), unit)} or ${formatValue(highest, unit)}: the generator was late`
  const error = formatValue(Math.max(highest - observed, observed - Math.min(...values)), unit)
  return `the gate is ${isHeld ? 'held' : 'breached'} by ${margin}, and the generator may have changed that by ${error}`
}

/** Other bounds may matter beside it: this one no longer run makes closer. */
function unknownEnds(losses: readonly Loss[]): string {
  const requests = sum(losses, (loss) => loss.requests)
  const names = losses.map(({ generator }) => generator).join(', ')
  return `how ${String(requests)} requests ended that were under way when ${names} was lost is unknown`
}

// ---------- what else may be the generator's work

/**
 * Users who wait for answers make less load when their sender is late. A gate that holds then may hold for that. A user
 * one that is alone meets no other, so what it waits for is the same however often it comes.
 */
function lightened(covered: Covered): string | undefined {
  const { gate, recording, shape, scope } = covered
  if (!isOfTarget(gate) && familyOf(gate.measure) !== 'share or count') return undefined
  const isClosed = (phase: number) => {
    const named = shape.phases[phase]
    return named !== undefined && scope.isPhase(phase) && !isOpenPhase(named) && Math.max(...named.users) > 1
  }
  const lag = pool([...recording.arrivals.values()].filter(({ phase }) => isClosed(phase)).map((cell) => cell.startLag))
  const iterations = pool(
    [...recording.journeys.values()].filter(({ phase }) => isClosed(phase)).map((cell) => cell.time),
  )
  if (lag.count === 0 || iterations.count === 0) return undefined
  const requests = sum(
    recording.stepCells(isClosed, () => true),
    (cell) => cell.requests,
  )
  const rows = secondsWithin(recording, shape, { isPhase: isClosed })
  // What comes back while the loop stands still for S waits for half of it, and S of each second is so.
  const stallMs = sum(rows, (row) => row.stallMs ** 2 / 2000) / Math.max(1, rows.length)
  const lateMs = lag.mean / 1000 + stallMs
  const share = (lateMs * (requests / iterations.count)) / (iterations.mean / 1000)
  return share > MOST_LIGHTENED && lateMs > LEAST_LIGHTENED_MS
    ? `users were ${formatMs(lateMs)} late with each request, which made the load ${(100 * share).toFixed(1)} % lighter`
    : undefined
}

/** More of them than this, and than two, leave open how many iterations would have failed. */
const MOST_UNFINISHED = 0.01
const FEW = 2

/** Iterations that had as long as the slowest that finished, and did not: how they would have ended is unknown. */
function leftUnfinished({ gate, recording, scope }: Covered): string | undefined {
  if (gate.measure.kind !== 'failed journeys') return undefined
  const all = [...recording.journeys.values()]
  const ended = iterationsIn(
    all.filter((cell) => scope.isPhase(cell.phase) && scope.isJourney(cell.journey)),
    all,
  )
  const { unfinishedAsLong } = ended
  const had = endedOf(ended) + unfinishedAsLong
  return unfinishedAsLong > FEW && unfinishedAsLong > MOST_UNFINISHED * had
    ? `${String(unfinishedAsLong)} journeys that had as long as the slowest one did not finish: lengthen the drain`
    : undefined
}

/** A gate that asks for more than was done, where the generator did not do its part. */
function undelivered({ gate, recording, shape, scope, limitsCapped }: Covered): string | undefined {
  if (!isOnLoad(gate) || isUpperLimit(gate.comparison)) return undefined
  const missing = missingWords(recording.losses, shape, scope)
  if (missing !== undefined) return missing
  const cells = [...recording.arrivals.values()].filter(({ phase }) => scope.isPhase(phase))
  const started = sum(cells, (cell) => cell.started + (limitsCapped ? cell.capped : 0))
  const notStarted = sum(cells, (cell) => cell.missed + cell.outOfData + (limitsCapped ? 0 : cell.capped))
  const due = started + notStarted
  if (started < due * LEAST_STARTED)
    return `only ${((100 * started) / due).toFixed(1)} % of the arrivals due were started`
  const busiest = secondsWithin(recording, shape, scope).reduce((most, row) => Math.max(most, row.busyOfFive), 0)
  return busiest > MOST_BUSY ? `a sender was ${(100 * busiest).toFixed(0)} % busy for five seconds` : undefined
}

/** A breach that is none without the seconds in which what was due came all at once. */
function atOnce({ gate, recording, shape, scope }: Covered, limits: readonly number[]): string | undefined {
  const { calm } = recording
  const family = familyOf(gate.measure)
  if (calm === null || (family !== 'time' && family !== 'share or count')) return undefined
  const scale = unitOf(gate) === '%' ? 100 : 1
  const isBreached = [calm.lower, calm.upper].every((cells) => {
    const reading = readGate(gate, viewOfRecording(recording, shape, scope, cells), shape, scope)
    return reading.kind === 'measured' && limits.every((limit) => !holds(scale * reading.value, gate.comparison, limit))
  })
  return isBreached
    ? undefined
    : 'the generator stood still, and sent at once what was due meanwhile: without those seconds the gate is not breached'
}

/** Failures within a limit if those that were ours, or that an answer sooner by E would not have been, had not been. */
function ours(covered: Covered): string | undefined {
  const { gate, recording, scope } = covered
  const { kind } = gate.measure
  if (gate.limit.kind !== 'fixed' || (kind !== 'failed requests' && kind !== 'cut off' && kind !== 'failed journeys'))
    return undefined
  let local = 0
  let cutOff = 0
  for (const cell of recording.failures.values()) {
    if (!scope.isPhase(cell.phase) || !scope.isStep(cell.step)) continue
    if (cell.kind === 'local') local += cell.count
    if (cell.kind === 'cut off') cutOff += cell.count
  }
  const steps = [...recording.stepCells(scope.isPhase, scope.isStep)]
  const late = lateAnswers(covered, cutOff)
  if (local + late < 1) return undefined
  const requests = sum(steps, (cell) => cell.requests)
  const cells = [...recording.journeys.values()]
  const ended = iterationsIn(
    cells.filter((cell) => scope.isPhase(cell.phase) && scope.isJourney(cell.journey)),
    cells,
  )
  const [part, all] =
    kind === 'failed requests'
      ? [sum(steps, (cell) => cell.failed), requests]
      : [kind === 'cut off' ? ended.cutOff : ended.failed, endedOf(ended)]
  const rest = Math.max(0, part - local - late)
  if (!holds(gate.limit.unit === 'number' ? rest : rest / Math.max(1, all), gate.comparison, gate.limit.value))
    return undefined
  return local > 0
    ? `${String(local)} requests failed on this machine, not at the target`
    : `about ${String(Math.round(late))} answers may have come too late only because the generator was late`
}

/**
 * Requests that timed out or were cut off and, had the generator been on time, might not have: of those that had waited
 * for w, the share that ended between w − E and w of all that had got as far as w − E (the actuarial estimate of a
 * hazard, as in E. L. Kaplan and P. Meier, "Nonparametric estimation from incomplete observations", 1958), with the
 * reach of three standard deviations of such a count; and everything, where E is longer than they had been given.
 */
function lateAnswers(covered: Covered, cutOff: number): number {
  const { recording, shape, scope } = covered
  const errorMs = largestError(covered)
  let late = 0
  for (const { responseTime, waitedTime } of recording.stepCells(scope.isPhase, scope.isStep)) {
    const passed = responseTime.without(waitedTime)
    for (const [waitedUs, count] of waitedTime.values()) {
      const fromUs = waitedUs - 1000 * errorMs
      if (fromUs <= 0) late += count
      else {
        const ended = passed.countUpTo(waitedUs) - passed.countUpTo(fromUs)
        const under = responseTime.count - responseTime.countUpTo(fromUs)
        late += under === 0 ? 0 : (count * ended) / under
      }
    }
  }
  late += 3 * Math.sqrt(late)
  return errorMs >= shape.drainMs ? Math.max(late, cutOff) : late
}

/** In ms; what was due in a phase may end after it. */
function largestError({ recording, shape, scope }: Covered): number {
  const fromMs = Math.min(...phaseRanges(shape).flatMap((range, phase) => (scope.isPhase(phase) ? [range.fromMs] : [])))
  return recording.seconds.reduce(
    (most, row, second) => (second >= Math.floor(fromMs / 1000) ? Math.max(most, row.errorMs) : most),
    0,
  )
}
