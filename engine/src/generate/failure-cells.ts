// Failures of a second, by step, kind and detail: counted, and the first of each kept with what it sent and got.
import { countRow, MAX_FAILURE_CELLS, type FailureCell, type Received } from '@jolt-gate/core'
import type { TimedOperation } from '../compile/program.js'
import type { Mask } from '../secrets/mask.js'
import type { Failure } from '../walk/assessor.js'
import type { Iteration } from '../walk/iteration.js'
import type { Ended } from '../walk/listener.js'
import type { RequestKeeper } from './request-keeper.js'

/** A step that failed, and its request where it was one. */
interface FailedStep {
  phase: number
  operation: TimedOperation
  failure: Failure
  endedMs: number
  received: Received | null
  iteration: Iteration
  ended: Ended | null
}

export class FailureCells {
  private readonly cells = new Map<string, FailureCell>()
  private startMs = 0

  constructor(
    private readonly mask: Mask,
    private readonly keeper: RequestKeeper,
  ) {}

  /** The load begins at this moment of the monotonic clock. */
  begin(startMs: number): void {
    this.startMs = startMs
    this.keeper.startMs = startMs
  }

  /** The cells of the second that is over; the next one begins without any. */
  take(): FailureCell[] {
    const cells = [...this.cells.values()]
    this.cells.clear()
    return cells
  }

  count({ phase, operation, failure, endedMs, received, iteration, ended }: FailedStep): void {
    const { step } = operation
    const { kind } = failure
    const detail = this.cells.size < MAX_FAILURE_CELLS ? failure.detail : 'others'
    const key = `${String(phase)} ${String(step)} ${kind} ${detail}`
    const cell = this.cells.get(key)
    if (cell !== undefined) {
      cell.count++
      countRows(cell, iteration)
      return
    }
    const own = secretsOf(iteration)
    const made: FailureCell = {
      phase,
      step,
      kind,
      detail: this.mask.apply(detail, own),
      count: 1,
      firstAtMs: endedMs - this.startMs,
      sample: this.mask.excerpt(received?.body ?? '', own),
      kept: ended === null ? '' : this.keeper.keep(ended, `${String(step)} ${kind} ${detail}`, own),
      rows: [],
    }
    countRows(made, iteration)
    this.cells.set(key, made)
  }
}

function countRows(cell: FailureCell, { program, frame }: Iteration): void {
  for (const { set, slot } of program.data) {
    const row = frame[slot]
    if (typeof row === 'number') countRow(cell.rows, set, row, 1)
  }
}

/** What a user of an iteration had kept as secret. */
function secretsOf({ program, frame }: Iteration): string[] {
  return program.secretSlots.flatMap((slot) => {
    const value = frame[slot]
    return value === undefined ? [] : [typeof value === 'string' ? value : JSON.stringify(value)]
  })
}
