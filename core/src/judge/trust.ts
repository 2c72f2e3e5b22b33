// Whether the generator, and not the target, may have made the numbers.
import { pool, type Recording } from '../measure/recording.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Measure } from '../language/sentences.js'
import { familyOf } from '../plan/measures.js'
import { isOpenPhase } from '../plan/phases.js'
import type { Gate } from '../plan/model.js'
import { holds } from '../assess/check.js'
import { isWithin, scopeOf, sum } from './scope.js'

export interface GeneratorFaults {
  /** Out of ports, files or memory, in words. */
  local: string[]
  /** A worker that died, in words. */
  deaths: string[]
  /** Rows taken once each that ran out where no arrivals were due by themselves, in words. */
  outOfData?: string[]
}

const LEAST_STARTED = 0.999
const MOST_BUSY = 0.9
const LEAST_LAG_LIMIT_MS = 1
const LAG_LIMIT_WITHOUT_GATES_MS = 50

/** What makes a run's figures doubtful, in words, by what it puts in doubt. All empty when nothing does. */
export interface Doubts {
  /** A sender that died: what it had recorded is gone, and nothing can be said. */
  deaths: string[]
  /** The load that was due was not made, or not all of it. */
  delivery: string[]
  /** Requests were late, or a thread too busy to be on time. */
  times: string[]
  /** Failures that were ours. */
  local: string[]
}

export const NO_DOUBTS: Doubts = { deaths: [], delivery: [], times: [], local: [] }

/** All reasons, the gravest first. */
export const reasonsOf = ({ deaths, delivery, times, local }: Doubts): string[] => [
  ...deaths,
  ...delivery,
  ...times,
  ...local,
]

/**
 * Why a run's figures are not to be trusted, as far as they are not.
 *
 * @param wasStopped - the load was ended early, as the plan or a person wanted: what was due after that was never to
 * start
 */
export function distrust(
  recording: Recording,
  shape: RunShape,
  gates: readonly Gate[],
  faults: GeneratorFaults,
  wasStopped = false,
): Doubts {
  return {
    deaths: faults.deaths,
    delivery: [...(wasStopped ? [] : lateStarts(recording, shape, gates)), ...(faults.outOfData ?? [])],
    times: [...startLags(recording, shape, gates), ...busyThreads(recording, shape)],
    local: faults.local,
  }
}

/** Whether a gate's breach may be the generator's work and not the target's. */
export function isDoubtful(gate: Gate, doubts: Doubts, recording: Recording, shape: RunShape): boolean {
  const { measure, comparison } = gate
  const isLower = comparison === 'at least' || comparison === 'over'
  const family = familyOf(measure)
  switch (family) {
    case 'time':
      return !isOwn(measure) && doubts.times.length > 0
    case 'score':
      return doubts.times.length > 0
    case 'rate':
    case 'byte rate':
    case 'count':
      return isLower && doubts.delivery.length + doubts.times.length > 0
    case 'share or count':
      return (
        reasonsOf(doubts).length > 0 && (measure.kind === 'failed checks' || holdsWithoutOurs(gate, recording, shape))
      )
    case 'busy share':
    case 'metric':
      return false
    default:
      return family satisfies never
  }
}

/** Arrivals that were due by themselves and did not start; capped ones count too, unless a gate limits them. */
function lateStarts(recording: Recording, shape: RunShape, gates: readonly Gate[]): string[] {
  const isJudged = (phase: number) => {
    const named = shape.phases[phase]
    return named?.measured === true && isOpenPhase(named)
  }
  const arrivals = [...recording.arrivals.values()].filter((cell) => isJudged(cell.phase))
  const capped = sum(arrivals, (cell) => cell.capped)
  const isLimited = gates.some((gate) => gate.measure.kind === 'capped arrivals')
  const due = sum(shape.phases, (phase) => (phase.measured && isOpenPhase(phase) ? phase.arrivalsDue : 0))
  const started = sum(arrivals, (cell) => cell.started) + (isLimited ? capped : 0)
  if (due === 0 || started >= due * LEAST_STARTED) return []
  const share = ((100 * started) / due).toFixed(1)
  const outOfData = sum(arrivals, (cell) => cell.outOfData)
  const why =
    outOfData > 0
      ? `the data ran out for ${String(outOfData)} of them`
      : capped > 0 && !isLimited
        ? `${String(capped)} arrivals were capped, and no gate limits that`
        : 'the generator could not keep up'
  return [`only ${share} % of the arrivals due were started (${String(started)} of ${String(due)}): ${why}`]
}

interface LagLimit {
  phases: number[]
  mostMs: number
  why: string
}

function startLags(recording: Recording, shape: RunShape, gates: readonly Gate[]): string[] {
  const phasesOf = (isPhase: (phase: number) => boolean) => [...shape.phases.keys()].filter(isPhase)
  const limits = gates.filter(isTargetTime).map((gate): LagLimit => {
    const limitMs = gate.limit.kind === 'fixed' ? gate.limit.value : 0
    return {
      phases: phasesOf(scopeOf(gate, shape).isPhase),
      mostMs: Math.max(LEAST_LAG_LIMIT_MS, limitMs / 10),
      why: `a tenth of the limit of "${gate.rule}"`,
    }
  })
  if (limits.length === 0) {
    limits.push({
      phases: phasesOf((phase) => shape.phases[phase]?.measured === true),
      mostMs: LAG_LIMIT_WITHOUT_GATES_MS,
      why: 'the most allowed without a gate on a time',
    })
  }
  return strictestOf(limits).flatMap(({ phases, mostMs, why }) => {
    const lag = pool(phases.flatMap((phase) => recording.arrivals.get(phase)?.startLag ?? []))
    const p99Ms = lag.percentile(99) / 1000
    return lag.count > 0 && p99Ms > mostMs
      ? [`requests started ${p99Ms.toFixed(1)} ms late at p99, over ${String(mostMs)} ms, ${why}`]
      : []
  })
}

/** Of the limits over the same phases the strictest says it all: one reason, not one for every gate. */
function strictestOf(limits: readonly LagLimit[]): LagLimit[] {
  const strictest = new Map<string, LagLimit>()
  for (const limit of limits) {
    const key = limit.phases.join()
    const known = strictest.get(key)
    if (known === undefined || limit.mostMs < known.mostMs) strictest.set(key, limit)
  }
  return [...strictest.values()]
}

/** Limits on the generator's own times say nothing about how exact the target's must be. */
function isTargetTime({ measure, limit }: Gate): boolean {
  return !isOwn(measure) && measure.kind !== 'metric' && limit.kind === 'fixed' && limit.unit === 'time'
}

/** Failures that a late or exhausted generator brings about. */
const MAY_BE_OURS = new Set(['local', 'timeout', 'cut off'])

/** Whether the share of failures would keep to a gate's limit if those that may be ours had not been. */
function holdsWithoutOurs(gate: Gate, recording: Recording, shape: RunShape): boolean {
  if (gate.limit.kind !== 'fixed') return false
  const { isPhase, isStep } = scopeOf(gate, shape)
  const requests = sum(recording.stepCells(isPhase, isStep), (cell) => cell.requests)
  const theirs = sum(recording.failures.values(), (cell) =>
    isPhase(cell.phase) && isStep(cell.step) && !MAY_BE_OURS.has(cell.kind) ? cell.count : 0,
  )
  const observed = gate.limit.unit === 'number' ? theirs : theirs / Math.max(1, requests)
  return holds(observed, gate.comparison, gate.limit.value)
}

const isOwn = ({ kind }: Measure): boolean => kind === 'start lag' || kind === 'event loop delay'

function busyThreads(recording: Recording, shape: RunShape): string[] {
  const ranges = phaseRanges(shape).filter((_, index) => shape.phases[index]?.measured === true)
  const busiest = recording.seconds.reduce(
    (most, row, second) => (isWithin(ranges, second) ? Math.max(most, row.busyOfFive) : most),
    0,
  )
  return busiest > MOST_BUSY
    ? [`a sender was ${(100 * busiest).toFixed(0)} % busy for five seconds; at most 90 % is allowed`]
    : []
}
