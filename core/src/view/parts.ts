// The figures of each part of a run: of a place from which its load was made, or of a network.
import { passedWithin, sum } from '../judge/scope.js'
import type { BoundedCells } from '../measure/bounds.js'
import type { Cells } from '../measure/cells.js'
import { boundedSummary, share, type StepSummary } from './summaries.js'

export type PartSummary = Pick<
  StepSummary,
  'name' | 'requests' | 'failed' | 'failedShare' | 'throughput' | 'responseTime'
>

/**
 * All requests of a part over some phases.
 *
 * @param seconds - of these phases, for rates
 */
export function partSummary(
  name: string,
  recording: BoundedCells,
  isPhase: (phase: number) => boolean,
  seconds: number,
): PartSummary {
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
