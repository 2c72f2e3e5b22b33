// Groups and journeys with their times, as results and pages show them.
import type { ScopeCell } from '../measure/bucket.js'
import type { BoundedCells } from '../measure/bounds.js'
import type { Cells } from '../measure/cells.js'
import type { RunShape } from '../measure/shape.js'
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
  cutOff: number
  time: DistributionSummary | null
}

type IsPhase = (phase: number) => boolean

export function groupSummaries(recording: BoundedCells, shape: RunShape, isPhase: IsPhase): GroupSummary[] {
  return shape.groups.map((name, index) => {
    const cellsOf = ({ groups }: Cells) => of(groups, index, isPhase)
    const cells = cellsOf(recording)
    return {
      name,
      count: sum(cells, (cell) => cell.finished),
      failed: sum(cells, (cell) => cell.failed),
      time: boundedSummary(recording, cellsOf, (cell) => cell.time),
    }
  })
}

export function journeySummaries(recording: BoundedCells, shape: RunShape, isPhase: IsPhase): JourneySummary[] {
  return shape.journeys.map((name, index) => {
    const cellsOf = ({ journeys }: Cells) => of(journeys, index, isPhase)
    const cells = cellsOf(recording)
    const total = (value: (cell: ScopeCell) => number) => sum(cells, value)
    return {
      name,
      started: total((cell) => cell.started),
      finished: total((cell) => cell.finished),
      failed: total((cell) => cell.failed),
      cutOff: total((cell) => cell.cutOff),
      time: boundedSummary(recording, cellsOf, (cell) => cell.time),
    }
  })
}

const of = (cells: ReadonlyMap<string, ScopeCell>, scope: number, isPhase: IsPhase): ScopeCell[] =>
  [...cells.values()].filter((cell) => cell.scope === scope && isPhase(cell.phase))
