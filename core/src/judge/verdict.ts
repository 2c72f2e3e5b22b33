// The verdict: the first rule that applies.
import type { Recording } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import type { GateResult } from './gate-result.js'
import { sum } from './scope.js'
import { hostWords, reasonsOf, type Doubts } from './trust.js'
import { formatMs, formatValue } from './values.js'

export type Verdict = 'open' | 'shut' | 'void' | 'stopped'

const VERDICT_WORDS: Readonly<Record<Verdict, string>> = {
  open: 'Open (passed)',
  shut: 'Shut (failed)',
  void: 'Void (inconclusive)',
  stopped: 'Stopped',
}
/** A verdict for people: our word, and the trade's beside it. */
export const verdictWords = (verdict: Verdict): string => VERDICT_WORDS[verdict]

/** How a run came to its end. */
export type Ending =
  | { kind: 'finished' }
  | { kind: 'stopped'; by: string }
  /** Setup failed; `answered` is false when nothing answered at all. */
  | { kind: 'setup failed'; reason: string; answered: boolean }
  | { kind: 'fault'; reason: string }

export interface Judgement {
  verdict: Verdict
  /** Exit code of the command. */
  exitCode: 0 | 1 | 3 | 4 | 5
  reasons: string[]
  /** Whether all was well but for gates that could not be decided. */
  isOpenQuestion?: true
}

/** A run to come to a verdict on. */
export interface JudgedRun {
  ending: Ending
  doubts: Doubts
  results: readonly GateResult[]
  recording: Recording
  shape: RunShape
}

/**
 * Comes to the verdict, by the first rule that applies: our own fault, stopped by a person, nothing passed, a gate
 * breached, the load not delivered, nothing measured, a gate undecided or unmeasured, open. A sender that died leaves
 * nothing to judge by.
 */
export function judge({ ending, doubts, results, recording, shape }: JudgedRun): Judgement {
  if (ending.kind === 'fault') return { verdict: 'void', exitCode: 5, reasons: [ending.reason] }
  if (ending.kind === 'stopped') return { verdict: 'stopped', exitCode: 4, reasons: [`stopped by ${ending.by}`] }
  if (ending.kind === 'setup failed') {
    return ending.answered
      ? { verdict: 'void', exitCode: 3, reasons: [`setup failed, so no load was made: ${ending.reason}`] }
      : { verdict: 'shut', exitCode: 1, reasons: [`the target did not answer: ${ending.reason}`] }
  }
  if (doubts.deaths.length > 0) return { verdict: 'void', exitCode: 3, reasons: reasonsOf(doubts) }
  const measured = measuredOf(recording, shape)
  const nothing = nothingThrough(measured)
  const { breached, open } = gateReasons(results, hostWords(recording, shape))
  if (nothing.length > 0 || breached.length > 0)
    return { verdict: 'shut', exitCode: 1, reasons: [...nothing, ...breached] }
  const doubted = [...reasonsOf(doubts), ...nothingMeasured(measured, shape)]
  if (doubted.length > 0) return { verdict: 'void', exitCode: 3, reasons: doubted }
  if (open.length > 0) return { verdict: 'void', exitCode: 3, reasons: open, isOpenQuestion: true }
  return { verdict: 'open', exitCode: 0, reasons: [] }
}

/**
 * Reasons that gates give: those that are breached, and those that leave the question open.
 *
 * @param host - what the host took away, in words
 */
export function gateReasons(results: readonly GateResult[], host?: string): { breached: string[]; open: string[] } {
  const breached = results.filter(({ status }) => status === 'breached').map(breachWords)
  const open = results.flatMap((result) => {
    if (result.status === 'unmeasured') return [unmeasuredWords(result)]
    return result.status === 'undecided' ? [undecidedWords(result, host)] : []
  })
  return { breached, open }
}

/** Kinds of failure that mean that no answer came. */
const UNANSWERED = new Set(['refused', 'reset', 'timeout', 'tls', 'dns', 'cut off', 'not permitted'])

/** What ended in the measured phases. */
interface MeasuredCounts {
  requests: number
  failedRequests: number
  /** Failures by kind. */
  kinds: ReadonlyMap<string, number>
  finished: number
  failed: number
  cutOff: number
}

function measuredOf(recording: Recording, shape: RunShape): MeasuredCounts {
  const isMeasured = ({ phase }: { phase: number }) => shape.phases[phase]?.measured === true
  const steps = [...recording.steps.values()].filter(isMeasured)
  const journeys = [...recording.journeys.values()].filter(isMeasured)
  const kinds = new Map<string, number>()
  for (const { kind, count } of [...recording.failures.values()].filter(isMeasured))
    kinds.set(kind, (kinds.get(kind) ?? 0) + count)
  return {
    requests: sum(steps, (cell) => cell.requests),
    failedRequests: sum(steps, (cell) => cell.failed),
    kinds,
    finished: sum(journeys, (cell) => cell.finished),
    failed: sum(journeys, (cell) => cell.failed),
    cutOff: sum(journeys, (cell) => cell.cutOff),
  }
}

/** Whatever the gates say, a run in which no request passed, or no iteration went through, is not open. */
function nothingThrough({ requests, failedRequests, kinds, finished, failed }: MeasuredCounts): string[] {
  const counted = [...kinds].map(([kind, count]) => `${kind} ${String(count)}`).join(', ')
  // What failed on our side says nothing about the target.
  const local = kinds.get('local') ?? 0
  if (requests > local && failedRequests === requests) {
    const isSilent = [...kinds.keys()].every((kind) => UNANSWERED.has(kind) || kind === 'local')
    const what = isSilent ? 'the target did not answer: ' : 'no request passed: '
    return [`${what}all ${String(requests)} measured requests failed (${counted})`]
  }
  return finished === 0 && failed > 0 && local === 0
    ? [`no iteration went through: all ${String(failed)} failed (${counted})`]
    : []
}

/** Limits of which nothing was measured are not held, whatever a count of nothing comes to. */
function nothingMeasured({ requests, finished, failed, cutOff }: MeasuredCounts, shape: RunShape): string[] {
  if (requests + finished + failed > 0) return []
  const isDue = shape.phases.some(
    ({ measured, arrivalsDue, users }) => measured && arrivalsDue + Math.max(...users) > 0,
  )
  const why = !isDue
    ? 'no arrival was due in a measured phase'
    : cutOff > 0
      ? `all ${String(cutOff)} iterations were cut off before they had made a request`
      : 'no request ended in a measured phase'
  return [`nothing was measured: ${why}`]
}

/** A breach in one line, with observed value and limit. */
function breachWords(gate: GateResult): string {
  const stopped = gate.stoppedAtMs === null ? '' : `, and stopped the run after ${formatMs(gate.stoppedAtMs)}`
  return `breached: ${gate.rule} (observed ${formatValue(gate.observed, gate.unit)})${stopped}`
}

/** What is missing. */
const unmeasuredWords = ({ rule, reason, samples }: GateResult): string =>
  reason === undefined ? `unmeasured, with ${String(samples)} samples: ${rule}` : `unmeasured: ${rule} (${reason})`

/** Why a gate cannot be decided, and what to do about it. */
function undecidedWords({ rule, observed, unit, reason = '' }: GateResult, host: string | undefined): string {
  const why = host === undefined ? reason : `${reason}; ${host}`
  return `undecided: ${rule} (observed ${formatValue(observed, unit)}; ${why}): run again, or on a quieter machine`
}
