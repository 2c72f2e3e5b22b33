// Cells and their distributions live from second to second as long as they are used: making them anew, for each step
// and second, would keep the collector of garbage busy.
import {
  SCOPE_COUNTS,
  STEP_TIMES,
  type ArrivalCell,
  type CheckCell,
  type ScopeCell,
  type StepCell,
} from '@jolt-gate/core'

/** The cells that this second used; others are given up. */
export function usedOf<C>(cells: Map<number, C>, isUsed: (cell: C) => boolean): C[] {
  const used: C[] = []
  for (const [key, cell] of cells)
    if (isUsed(cell)) used.push(cell)
    else cells.delete(key)
  return used
}

export const isScopeUsed = (cell: ScopeCell): boolean => SCOPE_COUNTS.some((name) => cell[name] > 0)
export const isArrivalUsed = ({ started, missed, capped, outOfData, startLag }: ArrivalCell): boolean =>
  started + missed + capped + outOfData + startLag.count > 0

export function clearStep(cell: StepCell): void {
  cell.requests = cell.failed = cell.resent = cell.bytesReceived = cell.bytesSent = 0
  for (const time of STEP_TIMES) cell[time].clear()
}

export function clearScope(cell: ScopeCell): void {
  for (const name of SCOPE_COUNTS) cell[name] = 0
  cell.time.clear()
  cell.unfinishedTime.clear()
}

export function clearArrival(cell: ArrivalCell): void {
  cell.started = cell.missed = cell.capped = cell.outOfData = 0
  cell.startLag.clear()
}

export function clearCheck(cell: CheckCell): void {
  cell.passed = cell.failed = 0
}
