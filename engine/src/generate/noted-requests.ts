// The few requests of each step and second that are told one by one: the slowest, and some drawn from all.
import { MAX_DRAWN, type DrawnCell, type RunShape, type SlowCell } from '@jolt-gate/core'
import { timingOf } from '../walk/describe.js'
import type { Ended } from '../walk/listener.js'

/** Of one step and phase in the second that is under way. */
interface OfStep {
  count: number
  slowest: SlowCell | null
  drawn: DrawnCell[]
}

export class NotedRequests {
  /** Of the load, on the monotonic clock. */
  startMs = 0
  private readonly ofSteps = new Map<number, OfStep>()

  constructor(private readonly shape: RunShape) {}

  note(ended: Ended, phase: number): void {
    const { step } = ended.operation
    if (step < 0) return
    const key = phase * this.shape.steps.length + step
    let ofStep = this.ofSteps.get(key)
    if (ofStep === undefined) this.ofSteps.set(key, (ofStep = { count: 0, slowest: null, drawn: [] }))
    this.noteSlow(ofStep, ended, phase)
    noteDrawn(ofStep, ended, phase)
  }

  /** What was noted since the last time. */
  take(): { slowest: SlowCell[]; drawn: DrawnCell[] } {
    const all = [...this.ofSteps.values()]
    this.ofSteps.clear()
    return { slowest: all.flatMap(({ slowest }) => slowest ?? []), drawn: all.flatMap(({ drawn }) => drawn) }
  }

  /** Few requests are the slowest of their step and second so far: only those are taken apart. */
  private noteSlow(ofStep: OfStep, { operation, sample, exchange, failure }: Ended, phase: number): void {
    if (exchange === null) return
    if (ofStep.slowest !== null && sample.endedMs - sample.dueMs <= ofStep.slowest.parts.total) return
    ofStep.slowest = {
      phase,
      step: operation.step,
      dueMs: sample.dueMs - this.startMs,
      failed: failure !== null,
      trace: exchange.trace,
      parts: timingOf({ sample, exchange }),
    }
  }
}

/** Each is drawn as likely as any other (J. S. Vitter, Random sampling with a reservoir, 1985, algorithm R). */
function noteDrawn(ofStep: OfStep, { operation, sample, received }: Ended, phase: number): void {
  const count = ++ofStep.count
  const place = count <= MAX_DRAWN ? count - 1 : Math.floor(Math.random() * count)
  if (place >= MAX_DRAWN) return
  ofStep.drawn[place] = {
    phase,
    step: operation.step,
    totalMs: sample.endedMs - sample.dueMs,
    status: received?.status ?? 0,
    bytesReceived: sample.bytesReceived,
    isConnected: sample.connectMs >= 0,
  }
}
