// The verdict: the first rule that applies.
import type { Recording } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import type { GateResult } from './gates.js'

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
}

/**
 * Comes to the verdict, in the order that the plan format gives: our own fault, stopped, generator not trusted, a gate
 * breached or nothing measured answered, a gate unmeasured, open.
 */
export function judge(
  ending: Ending,
  distrusted: string[],
  gates: readonly GateResult[],
  recording: Recording,
  shape: RunShape,
): Judgement {
  if (ending.kind === 'fault') return { verdict: 'void', exitCode: 5, reasons: [ending.reason] }
  if (ending.kind === 'stopped') return { verdict: 'stopped', exitCode: 4, reasons: [`stopped by ${ending.by}`] }
  if (ending.kind === 'setup failed') {
    return ending.answered
      ? { verdict: 'void', exitCode: 3, reasons: [`setup failed, so no load was made: ${ending.reason}`] }
      : { verdict: 'shut', exitCode: 1, reasons: [`the target did not answer: ${ending.reason}`] }
  }
  if (distrusted.length > 0) return { verdict: 'void', exitCode: 3, reasons: distrusted }
  const silence = nothingAnswered(recording, shape)
  const breached = gates.filter((gate) => gate.status === 'breached').map(describeBreach)
  if (silence !== undefined || breached.length > 0) {
    return { verdict: 'shut', exitCode: 1, reasons: [...(silence === undefined ? [] : [silence]), ...breached] }
  }
  const unmeasured = gates
    .filter((gate) => gate.status === 'unmeasured')
    .map((gate) => `unmeasured, with ${String(gate.samples)} samples: ${gate.rule}`)
  if (unmeasured.length > 0) return { verdict: 'void', exitCode: 3, reasons: unmeasured }
  return { verdict: 'open', exitCode: 0, reasons: [] }
}

/** Kinds of failure that mean that no answer came. */
const UNANSWERED = new Set(['refused', 'reset', 'timeout', 'tls', 'dns', 'cut off', 'not permitted'])

function nothingAnswered(recording: Recording, shape: RunShape): string | undefined {
  const isMeasured = (phase: number) => shape.phases[phase]?.measured === true
  let requests = 0
  for (const cell of recording.steps.values()) if (isMeasured(cell.phase)) requests += cell.requests
  const counts = new Map<string, number>()
  for (const cell of recording.failures.values()) {
    if (isMeasured(cell.phase) && UNANSWERED.has(cell.kind))
      counts.set(cell.kind, (counts.get(cell.kind) ?? 0) + cell.count)
  }
  const unanswered = [...counts.values()].reduce((total, count) => total + count, 0)
  if (requests === 0 || unanswered < requests) return undefined
  const kinds = [...counts].map(([kind, count]) => `${kind} ${String(count)}`).join(', ')
  return `the target did not answer: all ${String(requests)} measured requests failed (${kinds})`
}

/** A breach in one line, with observed value and limit. */
export function describeBreach(gate: GateResult): string {
  const stopped = gate.stoppedAtMs === null ? '' : `, and stopped the run after ${formatMs(gate.stoppedAtMs)}`
  return `breached: ${gate.rule} (observed ${formatValue(gate.observed, gate.unit)})${stopped}`
}

/** A value of a gate with its unit, for people. */
export function formatValue(value: number | null, unit: GateResult['unit']): string {
  if (value === null) return '–'
  switch (unit) {
    case 'ms':
      return formatMs(value)
    case '%':
      return `${value.toFixed(value !== 0 && value < 10 ? 2 : 1)} %`
    case '/s':
      return `${value.toFixed(value < 100 ? 1 : 0)}/s`
    case 'B/s':
      return value < 1e6 ? `${(value / 1e3).toFixed(1)} kB/s` : `${(value / 1e6).toFixed(1)} MB/s`
    case 'count':
      return String(Math.round(value))
    case 'score':
      return value.toFixed(3)
    case 'value':
      return Number(value.toPrecision(4)).toString()
    default:
      return unit satisfies never
  }
}

/** A time for people: three figures that matter. */
export function formatMs(ms: number): string {
  if (ms >= 10_000) return `${(ms / 1000).toFixed(1)} s`
  if (ms >= 1000) return `${(ms / 1000).toFixed(2)} s`
  return `${ms.toFixed(ms < 10 ? 2 : ms < 100 ? 1 : 0)} ms`
}
