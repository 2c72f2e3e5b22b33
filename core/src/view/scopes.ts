// Groups and journeys with their times, as results and pages show them.
import type { ScopeCell } from '../measure/bucket.js'
import type { BoundedCells } from '../measure/bounds.js'
import type { Cells } from '../measure/cells.js'
import type { RunShape } from '../measure/shape.js'
import { iterationsIn } from '../judge/iterations.js'
import { sum } from '../judge/scope.js'
import { boundedSummary, type DistributionSummary } from './summaries.js'

export interface GroupSummary {
  name: string
  count: number
  failed: number
  time: DistributionSummary | null
}

export interface JourneySummary {
  name: string
  started: number
  finished: number
  failed: number
  /** Of those that failed: cut off with a request open. */
  cutOff: number
  /** Cut off while nothing of theirs was open that should have ended: neither finished nor failed. */
  unfinished: number
  time: DistributionSummary | null
}

type IsPhase = (phase: number) => boolean

/**
 * The figures of every group.
 *
 * @param isPhase - whether a phase counts
 * @returns times in ms, of the groups that finished
 */
export function groupSummaries(recording: BoundedCells, shape: RunShape, isPhase: IsPhase): GroupSummary[] {
  return shape.groups.map((name, index) => {
    const cellsOf = ({ groups }: Cells) => of(groups, index, isPhase)
    const cells = cellsOf(recording)
    return {
      name,
      count: sum(cells, (cell) => cell.finished),
      failed: sum(cells, (cell) => cell.endedFailed),
      time: boundedSummary(recording, cellsOf, (cell) => cell.time),
    }
  })
}

/**
 * The figures of every journey.
 *
 * @param isPhase - whether a phase counts
 * @returns times in ms, of the iterations that finished
 */
export function journeySummaries(recording: BoundedCells, shape: RunShape, isPhase: IsPhase): JourneySummary[] {
  return shape.journeys.map((name, index) => {
    const cellsOf = ({ journeys }: Cells) => of(journeys, index, isPhase)
    const cells = cellsOf(recording)
    const { started, finished, failed, cutOff, unfinished } = iterationsIn(cells, recording.journeys.values())
    return {
      name,
      ...{ started, finished, failed, cutOff, unfinished },
      time: boundedSummary(recording, cellsOf, (cell) => cell.time),
    }
  })
}

const of = (cells: ReadonlyMap<string, ScopeCell>, scope: number, isPhase: IsPhase): ScopeCell[] =>
  [...cells.values()].filter((cell) => cell.scope === scope && isPhase(cell.phase))
