// A run that was made several times, judged by the median of each gate.
import type { GateResult } from './gate-result.js'
import type { RunResult } from './result-schema.js'
import { gateReasons, type Judgement } from './verdict.js'

export interface Repeated {
  result: RunResult
  judgement: Judgement
}

/**
 * Judges runs of one plan together: each gate by its median, that is the run in which it held or was breached by the
 * middle margin. A run that was stopped, or of which the load was not delivered, decides for all.
 *
 * @param runs - an odd number of them, in order
 * @returns the last run's result, with the gates of the medians and what each run came to
 */
export function judgeRepeated(runs: readonly Repeated[]): Repeated {
  const last = runs.at(-1)
  if (last === undefined) throw new RangeError('there is no run')
  const undone = runs.find(({ judgement }) => judgement.exitCode === 4 || judgement.exitCode === 5)
  const undelivered = runs.find(({ judgement }) => judgement.exitCode === 3 && judgement.isOpenQuestion !== true)
  const gates = last.result.gates.map((gate, index) => medianOf(runs.map(({ result }) => result.gates[index] ?? gate)))
  const judgement = undone?.judgement ?? undelivered?.judgement ?? ofMedians(runs, gates)
  const repeats = runs.map(({ result: { id, verdict, gates: own } }) => ({
    id,
    verdict,
    observed: own.map(({ observed }) => observed),
  }))
  const { verdict, reasons, notes } = judgement
  return { judgement, result: { ...last.result, gates, verdict, reasons, notes, repeats } }
}

function ofMedians(runs: readonly Repeated[], gates: readonly GateResult[]): Judgement {
  const { breached, open } = gateReasons(gates)
  const notes = [...new Set(runs.flatMap(({ judgement }) => judgement.notes))]
  // Nothing passed, though no gate says so.
  const silent = runs.filter(({ result }) => result.verdict === 'shut' && !result.gates.some(isBreached))
  const nothing = 2 * silent.length > runs.length ? (silent[0]?.judgement.reasons ?? []) : []
  if (nothing.length + breached.length > 0)
    return { verdict: 'shut', exitCode: 1, reasons: [...nothing, ...breached], notes }
  return open.length > 0
    ? { verdict: 'void', exitCode: 3, reasons: open, notes, isOpenQuestion: true }
    : { verdict: 'open', exitCode: 0, reasons: [], notes }
}

const isBreached = ({ status }: { status: string }): boolean => status === 'breached'

/** The middle one by margin; what has no margin ranks below every breach. */
function medianOf<G extends { margin: number | null }>(results: readonly G[]): G {
  const sorted = [...results].sort((a, b) => (a.margin ?? -Infinity) - (b.margin ?? -Infinity))
  const middle = sorted[Math.floor(sorted.length / 2)]
  if (middle === undefined) throw new RangeError('there is no run')
  return middle
}
