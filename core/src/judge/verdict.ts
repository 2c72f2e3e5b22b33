// The verdict: the first rule that applies.
import type { Recording } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import type { GateResult } from './gate-result.js'
import { iterationsIn, undoneIn } from './iterations.js'
import { notesOf, type Beside } from './notes.js'
import { sum } from './scope.js'
import { samplesNeededBy } from './subject.js'
import { hostWords, reasonsOf, type Doubts } from './trust.js'
import { formatMs, formatValue } from './values.js'
import type { Verdict } from './verdict-words.js'

/** How a run came to its end. */
export type Ending =
  | { kind: 'finished' }
  | { kind: 'stopped'; by: string }
  /** Setup failed, or a renewal of it for good; by the target, where its own origin did not answer, or with 5xx. */
  | { kind: 'setup failed'; reason: string; isTargets: boolean }
  /** Generators elsewhere were not to be had: nothing was sent. */
  | { kind: 'no generators'; reason: string }
  | { kind: 'fault'; reason: string }
  /** The plan could never come to an answer: nothing was sent. */
  | { kind: 'refused'; reasons: string[] }

export interface Judgement {
  verdict: Verdict
  /** Exit code of the command. */
  exitCode: 0 | 1 | 2 | 3 | 4 | 5
  reasons: string[]
  /** What is to be known beside the verdict. */
  notes: string[]
  /** Whether all was well but for gates that could not be decided or measured. */
  isOpenQuestion?: true
  /** Whether another run of the same plan could come to another verdict. */
  mayDiffer?: true
  /** Whether what makes its load was not there, or died: that says nothing of how much it can make. */
  lacksGenerators?: true
}

/** A run to come to a verdict on. */
export interface JudgedRun {
  ending: Ending
  doubts: Doubts
  results: readonly GateResult[]
  recording: Recording
  shape: RunShape
  /** Whether what leaves a doubt, and decides nothing, makes the run void. */
  strict?: boolean | undefined
  /** What happened beside the load. */
  beside?: Beside | undefined
}

const voidFor = (reasons: string[]): Omit<Judgement, 'notes'> => ({ verdict: 'void', exitCode: 3, reasons })
const LACKING = { mayDiffer: true, lacksGenerators: true } as const
const shutFor = (reasons: string[]): Omit<Judgement, 'notes'> => ({ verdict: 'shut', exitCode: 1, reasons })

/**
 * Comes to the verdict, by the first rule that applies: our own fault, stopped by a person, setup failed, nothing
 * passed or no iteration of a journey did, a gate breached, the load not delivered, something not done, a gate
 * undecided or unmeasured, a doubt where the plan is strict, open. A sender that died leaves nothing to judge by.
 */
export function judge(run: JudgedRun): Judgement {
  const { notes, doubts } = notesOf(run)
  const judgement = withoutNotes(run)
  if (judgement.verdict !== 'open' || run.strict !== true || doubts.length === 0) return { ...judgement, notes }
  return { ...voidFor(doubts.map((doubt) => `strict: ${doubt}`)), notes }
}

function withoutNotes({ ending, doubts, results, recording, shape }: JudgedRun): Omit<Judgement, 'notes'> {
  if (ending.kind === 'fault') return { verdict: 'void', exitCode: 5, reasons: [ending.reason] }
  if (ending.kind === 'refused') return { verdict: 'void', exitCode: 2, reasons: ending.reasons }
  if (ending.kind === 'stopped') return { verdict: 'stopped', exitCode: 4, reasons: [`stopped by ${ending.by}`] }
  if (ending.kind === 'no generators') return { ...voidFor([ending.reason]), ...LACKING }
  if (ending.kind === 'setup failed')
    return ending.isTargets ? shutFor([`setup: ${ending.reason}`]) : voidFor([`setup failed: ${ending.reason}`])
  if (doubts.deaths.length > 0) return { ...voidFor(reasonsOf(doubts)), ...LACKING }
  const measured = measuredOf(recording, shape)
  const undone = undoneIn(recording, shape)
  const nothing = nothingPassed(measured)
  const failed = nothing.length > 0 ? nothing : undone.failed
  const { breached, open } = gateReasons(results)
  if (failed.length > 0 || breached.length > 0) return shutFor([...failed, ...breached])
  const unmeasured = nothingMeasured(measured, shape)
  const missing = unmeasured.length > 0 ? unmeasured : undone.missing
  const doubted = [...reasonsOf(doubts), ...missing]
  const isChance = missing.length === 0 && doubts.spent.length === 0
  if (doubted.length > 0) return { ...voidFor([...doubted, ...open]), ...(isChance ? { mayDiffer: true } : {}) }
  if (open.length === 0) return { verdict: 'open', exitCode: 0, reasons: [] }
  const isUndecided = results.every(({ status }) => status !== 'unmeasured')
  const host = results.some(({ status }) => status === 'undecided') ? hostWords(recording, shape) : undefined
  return {
    ...voidFor([...(host === undefined ? [] : [host]), ...open]),
    ...{ isOpenQuestion: true, ...(isUndecided ? { mayDiffer: true } : {}) },
  }
}

/** Reasons that gates give: those that are breached, and those that leave the question open. */
export function gateReasons(results: readonly GateResult[]): { breached: string[]; open: string[] } {
  const breached = results.filter(({ status }) => status === 'breached').map(breachWords)
  const open = results.flatMap((result) => {
    if (result.status === 'unmeasured') return [unmeasuredWords(result)]
    return result.status === 'undecided' ? [undecidedWords(result)] : []
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
  unfinished: number
}

function measuredOf(recording: Recording, shape: RunShape): MeasuredCounts {
  const isMeasured = ({ phase }: { phase: number }) => shape.phases[phase]?.measured === true
  const steps = [...recording.steps.values()].filter(isMeasured)
  const journeys = [...recording.journeys.values()].filter(isMeasured)
  const kinds = new Map<string, number>()
  for (const { kind, count } of [...recording.failures.values()].filter(isMeasured))
    kinds.set(kind, (kinds.get(kind) ?? 0) + count)
  const { finished, failed, unfinished } = iterationsIn(journeys, recording.journeys.values())
  return {
    requests: sum(steps, (cell) => cell.requests),
    failedRequests: sum(steps, (cell) => cell.failed),
    ...{ kinds, finished, failed, unfinished },
  }
}

/** Whatever the gates say, a run in which no request passed is not open. */
function nothingPassed({ requests, failedRequests, kinds }: MeasuredCounts): string[] {
  const counted = [...kinds].map(([kind, count]) => `${kind} ${String(count)}`).join(', ')
  // What failed on our side says nothing about the target.
  const local = kinds.get('local') ?? 0
  if (requests > local && failedRequests === requests) {
    const isSilent = [...kinds.keys()].every((kind) => UNANSWERED.has(kind) || kind === 'local')
    const what = isSilent ? 'the target did not answer: ' : 'no request passed: '
    return [`${what}all ${String(requests)} measured requests failed (${counted})`]
  }
  return []
}

/** Limits of which nothing was measured are not held, whatever a count of nothing comes to. */
function nothingMeasured({ requests, finished, failed, unfinished }: MeasuredCounts, shape: RunShape): string[] {
  if (requests + finished + failed > 0) return []
  const isDue = shape.phases.some(
    ({ measured, arrivalsDue, users }) => measured && arrivalsDue + Math.max(...users) > 0,
  )
  const why = !isDue
    ? 'no arrival was due in a measured phase'
    : unfinished > 0
      ? `all ${String(unfinished)} journeys were cut off before they had made a request`
      : 'no request ended in a measured phase'
  return [`nothing was measured: ${why}`]
}

type GateParts = Pick<GateResult, 'rule' | 'observed' | 'unit' | 'stoppedAtMs' | 'samples' | 'reason'>

/** A breach in one line, with observed value and limit. */
function breachWords(gate: GateParts): string {
  const stopped = gate.stoppedAtMs === null ? '' : `, and stopped the run after ${formatMs(gate.stoppedAtMs)}`
  return `breached: ${gate.rule} (observed ${formatValue(gate.observed, gate.unit)})${stopped}`
}

/** What is missing. */
function unmeasuredWords({ rule, reason, samples }: GateParts): string {
  if (reason !== undefined) return `unmeasured: ${rule} (${reason})`
  const needed = samplesNeededBy(rule)
  if (samples === 0) return `unmeasured: ${rule} (no samples)`
  return needed === undefined
    ? `unmeasured: ${rule} (${String(samples)} samples)`
    : `unmeasured: ${rule} (too few samples: ${String(samples)} of ${String(needed)}): run longer, or at a higher rate`
}

/** Why a gate cannot be decided, and what to do about it. */
const undecidedWords = ({ rule, observed, unit, reason = '' }: GateParts): string =>
  `undecided: ${rule} (observed ${formatValue(observed, unit)}; ${reason}): run again, or on a quieter machine`
