// What is to be known of a run beside its verdict, and what of it a strict plan does not let pass.
import type { Recording } from '../measure/recording.js'
import type { RunShape } from '../measure/shape.js'
import { ASSUMED_SPREAD, LEAST_SPREAD_RUNS } from './baseline.js'
import { borderlineWords, type GateResult } from './gate-result.js'
import { undoneIn } from './iterations.js'
import { lossWords } from './losses.js'
import type { OnceResult, RenewalResult } from './result-schema.js'
import { readingsOf, secondsWithin, sum } from './scope.js'

/** What happened beside the load. */
export interface Beside {
  renewals: readonly RenewalResult[]
  teardown: readonly OnceResult[]
  /** Rows that ran out and ended the load, as the plan wanted, in words. */
  endedByData: readonly string[]
  /** Clocks of generators that were met less well than one would wish, in words. */
  clocks?: readonly string[]
  /** Gates that no run judges. */
  ofSearches?: readonly string[]
}

export interface Notes {
  notes: string[]
  /** What makes a strict run void. */
  doubts: string[]
}

interface Noted {
  results: readonly GateResult[]
  recording: Recording
  shape: RunShape
  beside?: Beside | undefined
}

/** Beyond these shares, a strict run is void. */
const MOST_RESENT = 0.01
const MOST_READINGS_LOST = 0.01

/** What is to be known of a run, each thing once. */
export function notesOf({ results, recording, shape, beside }: Noted): Notes {
  const noted: Notes = { notes: [], doubts: [] }
  const note = (words: string, isDoubt: boolean) => {
    noted.notes.push(words)
    if (isDoubt) noted.doubts.push(words)
  }
  for (const reason of ['no baseline', 'not judged'] as const) {
    const some = results.filter(({ status, isDefault }) => status === reason && isDefault !== true).length
    const why = reason === 'no baseline' ? reason : 'the load was scaled'
    if (some > 0) note(`${countWords(some, 'gate')} not judged: ${why}`, reason === 'no baseline')
  }
  const few = Math.min(...results.map(({ baselineRuns }) => baselineRuns ?? Infinity))
  if (few < LEAST_SPREAD_RUNS)
    note(
      `a baseline of ${countWords(few, 'run')}: that they differ by ${String(100 * ASSUMED_SPREAD)} % is assumed`,
      false,
    )
  for (const words of beside?.clocks ?? []) note(words, true)
  for (const words of lossWords(recording.losses, shape)) note(words, true)
  for (const rule of beside?.ofSearches ?? []) note(`not judged: ${rule}: a search for the capacity judges it`, false)
  const { notes, doubts } = undoneIn(recording, shape)
  for (const words of notes) note(words, doubts.includes(words))
  for (const words of redirectNotes(recording, shape)) note(words, false)
  const { resent, requests } = resentIn(recording, shape)
  if (resent > 0)
    note(
      `${countWords(resent, 'request')} sent once more after a reset (${((100 * resent) / requests).toFixed(1)} %)`,
      resent > MOST_RESENT * requests,
    )
  for (const { name, made, failed, reason } of beside?.renewals ?? [])
    if (failed > 0)
      note(`renewals of "${name}": ${String(failed)} of ${String(made + failed)} failed (${reason ?? ''})`, true)
  for (const words of beside?.endedByData ?? []) note(words, false)
  const torn = (beside?.teardown ?? []).filter(({ passed }) => !passed)
  if (torn.length > 0) note(`teardown failed: ${torn.map(({ name, reason }) => reason ?? name).join('; ')}`, true)
  for (const words of lostMetrics(recording, shape)) note(words, true)
  const borderline = results.filter((result) => result.borderline && result.status === 'held')
  for (const result of borderline) noted.doubts.push(`borderline: ${result.rule} (${borderlineWords(result) ?? ''})`)
  return noted
}

const countWords = (count: number, what: string): string => `${String(count)} ${what}${count === 1 ? '' : 's'}`

const isMeasuredIn =
  ({ phases }: RunShape) =>
  (phase: number): boolean =>
    phases[phase]?.measured === true

function resentIn(recording: Recording, shape: RunShape): { resent: number; requests: number } {
  const cells = [...recording.stepCells(isMeasuredIn(shape), () => true)]
  return { resent: sum(cells, (cell) => cell.resent), requests: sum(cells, (cell) => cell.requests) }
}

/** Steps of which every answer came from one other path: a sign-in page answers with 200, too. */
function redirectNotes(recording: Recording, shape: RunShape): string[] {
  const redirects = [...recording.redirects.values()]
  return shape.steps.flatMap(({ name }, step) => {
    const to = [...new Set(redirects.flatMap((cell) => (cell.step === step ? [cell.to] : [])))]
    const requests = sum(
      recording.stepCells(
        () => true,
        (other) => other === step,
      ),
      (cell) => cell.requests,
    )
    const redirected = sum(redirects, (cell) => (cell.step === step ? cell.count : 0))
    const [only] = to
    return to.length === 1 && only !== undefined && redirected === requests
      ? [`each request of "${name}" was redirected to ${only}`]
      : []
  })
}

function lostMetrics(recording: Recording, shape: RunShape): string[] {
  const rows = secondsWithin(recording, shape, { isPhase: isMeasuredIn(shape) })
  return shape.metrics.flatMap(({ name }) => {
    const { lost, readings } = readingsOf(name, rows, shape)
    return lost > MOST_READINGS_LOST * readings
      ? [`metric "${name}": ${String(lost)} of ${String(readings)} readings failed`]
      : []
  })
}
