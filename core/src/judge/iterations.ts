// How iterations ended, and what of a journey was not done: read from the cells of journeys.
import type { ScopeCell } from '../measure/bucket.js'
import type { Cells } from '../measure/cells.js'
import type { RunShape } from '../measure/shape.js'
import { sum } from './scope.js'

/** Lasted so many times as long as the slowest that finished, an iteration that did not finish has failed. */
const OVERDUE = 2

/** How iterations of one or several journeys ended. */
export interface EndedIterations {
  started: number
  finished: number
  /** All that failed: those cut off with a request open, and those unfinished for too long, included. */
  failed: number
  cutOff: number
  /** Of those that failed, by requests alone; by a fault of ours. */
  byRequests: number
  local: number
  /** Shown, and in no denominator. */
  unfinished: number
  /** Of those, as long under way as the slowest that finished. */
  unfinishedAsLong: number
  /** Of those, in a connection that stays open after all that was to be done. */
  staying: number
}

const NONE: EndedIterations = {
  started: 0,
  finished: 0,
  failed: 0,
  cutOff: 0,
  byRequests: 0,
  local: 0,
  unfinished: 0,
  unfinishedAsLong: 0,
  staying: 0,
}

/**
 * Adds up how iterations ended.
 *
 * @param cells - those that count
 * @param all - all cells of journeys of the run, which tell the slowest iteration that finished
 */
export function iterationsIn(cells: Iterable<ScopeCell>, all: Iterable<ScopeCell>): EndedIterations {
  const slowestUs = slowestOf(all)
  const total = { ...NONE }
  for (const cell of cells) {
    const slowest = slowestUs.get(cell.journey) ?? Infinity
    const { unfinishedTime } = cell
    const overdue = unfinishedTime.count - unfinishedTime.countUpTo(OVERDUE * slowest)
    const asLong = unfinishedTime.count - unfinishedTime.countUpTo(slowest) - overdue
    total.started += cell.started
    total.finished += cell.finished
    total.failed += cell.endedFailed + cell.cutOff + overdue
    total.cutOff += cell.cutOff
    total.byRequests += cell.byRequests
    total.local += cell.local
    total.unfinished += cell.unfinished - overdue
    total.unfinishedAsLong += asLong
    total.staying += cell.staying
  }
  return total
}

/** Of each journey, in µs. */
function slowestOf(cells: Iterable<ScopeCell>): Map<number, number> {
  const slowest = new Map<number, number>()
  for (const { journey, time } of cells)
    if (time.count > 0) slowest.set(journey, Math.max(slowest.get(journey) ?? 0, time.largest))
  return slowest
}

/** Iterations that ended, finished or failed. */
export const endedOf = ({ finished, failed }: Pick<EndedIterations, 'finished' | 'failed'>): number => finished + failed

/** So many iterations of a journey that ended, none of them unfailed, are no accident. */
const LEAST_ENDED = 3

/** What journeys did not do. */
export interface Undone {
  /** A journey failed as a whole. */
  failed: string[]
  /** A journey or a step of it was not done though it was begun. */
  missing: string[]
  /** Left out by chance or by a condition: to be known. */
  notes: string[]
  /** Of those notes, what was to be expected all the same. */
  doubts: string[]
}

/** What the journeys of a run did not do: in measured phases, and steps in any. */
export function undoneIn(recording: Cells, shape: RunShape): Undone {
  const undone: Undone = { failed: [], missing: [], notes: [], doubts: [] }
  const all = [...recording.journeys.values()]
  for (const [journey, name] of shape.journeys.entries()) {
    const own = all.filter((cell) => cell.journey === journey)
    const measured = own.filter(({ phase }) => shape.phases[phase]?.measured === true)
    const ended = iterationsIn(measured, own)
    const quoted = `journey "${name}"`
    if (ended.started === 0) noteAbsent(undone, shape.journeyArrivals?.[journey], quoted)
    else if (ended.finished === 0) {
      const others = ended.failed - ended.local
      if (others >= LEAST_ENDED)
        undone.failed.push(`no iteration of ${quoted} was without failure: all ${String(others)} failed`)
      else if (!isStaying(ended) || unreachedOf(recording, shape, journey).some(({ share }) => share === 1))
        undone.missing.push(unfinishedWords(quoted, ended))
      continue
    }
    if (sum(own, ({ started }) => started) === 0) continue
    noteUnreached(undone, unreachedOf(recording, shape, journey), shape, { journey, started: ended.started })
  }
  return undone
}

function noteAbsent(undone: Undone, arrivals: 'some' | 'none' | 'unknown' | undefined, quoted: string): void {
  if (arrivals === 'some') undone.missing.push(`no arrival of ${quoted} was started`)
  if (arrivals !== 'none' && arrivals !== 'unknown') return
  const note = `${quoted} is not in this run: none of its arrivals was due in a measured phase`
  undone.notes.push(note)
  undone.doubts.push(note)
}

/** Nothing went wrong, and all that was to be done was done: a connection stays open by intention. */
const isStaying = ({ failed, staying, unfinished }: EndedIterations): boolean =>
  failed === 0 && staying > 0 && staying === unfinished

function unfinishedWords(quoted: string, { started, failed, unfinished, local }: EndedIterations): string {
  const how = [
    ...(failed > local ? [`${String(failed - local)} failed`] : []),
    ...(local > 0 ? [`${String(local)} failed on this machine`] : []),
    ...(unfinished > 0 ? [`${String(unfinished)} were cut off in a wait or an open connection`] : []),
  ].join(', ')
  const cure = unfinished > 0 ? ': lengthen the drain, or write repeat: { until: load ends }' : ''
  return `no iteration of ${quoted} finished (${String(started)} started; ${how})${cure}`
}

interface Unreached {
  step: number
  share: number | null
}

/** Steps of a journey that none of its iterations came to, in any phase. */
function unreachedOf(recording: Cells, { reach }: RunShape, journey: number): Unreached[] {
  const reached = new Set(
    [...recording.steps.values(), ...recording.called.values()].flatMap((cell) =>
      cell.journey === journey ? [cell.step] : [],
    ),
  )
  return (reach?.[journey] ?? []).filter(({ step }) => !reached.has(step))
}

/** Steps of journeys that were begun to which no iteration came, in any phase. */
export function neverReached(recording: Cells, shape: RunShape): Set<number> {
  const begun = shape.journeys.map((_, journey) =>
    sum([...recording.journeys.values()], (cell) => (cell.journey === journey ? cell.started : 0)),
  )
  const unreached = shape.journeys.flatMap((_, journey) =>
    (begun[journey] ?? 0) > 0 ? unreachedOf(recording, shape, journey).map(({ step }) => step) : [],
  )
  return new Set(unreached)
}

/** A branch of a pick that was to be expected so often is missing, and not by chance. */
const LEAST_EXPECTED = 5

function noteUnreached(
  undone: Undone,
  unreached: readonly Unreached[],
  { steps, journeys }: RunShape,
  { journey, started }: { journey: number; started: number },
): void {
  for (const { step, share } of unreached) {
    const words = `"${steps[step]?.name ?? ''}" of journey "${journeys[journey] ?? ''}" was never reached`
    if (share === 1) undone.missing.push(words)
    else undone.notes.push(words)
    if (share !== null && share < 1 && share * started >= LEAST_EXPECTED) undone.doubts.push(words)
  }
}
