// The figures of each place from which the load of a run was made.
import { passedWithin, sum } from '../judge/scope.js'
import type { BoundedCells } from '../measure/bounds.js'
import type { Cells } from '../measure/cells.js'
import { boundedSummary, share, type StepSummary } from './summaries.js'

export type PlaceSummary = Pick<
  StepSummary,
  'name' | 'requests' | 'failed' | 'failedShare' | 'throughput' | 'responseTime'
>

/**
 * All requests of a place over some phases.
 *
 * @param seconds - of these phases, for rates
 */
export function placeSummary(
  name: string,
  recording: BoundedCells,
  isPhase: (phase: number) => boolean,
  seconds: number,
): PlaceSummary {
  const cellsOf = (of: Cells) => of.stepCells(isPhase, () => true)
  const cells = [...cellsOf(recording)]
  const requests = sum(cells, (cell) => cell.requests)
  const failed = sum(cells, (cell) => cell.failed)
  return {
    ...{ name, requests, failed, failedShare: share(failed, requests) },
    throughput: share(passedWithin(recording.steps.values(), { isPhase, isStep: () => true }), seconds),
    responseTime: boundedSummary(recording, cellsOf, (cell) => cell.responseTime),
  }
}
