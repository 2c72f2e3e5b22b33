// The cells within the scope of a gate as the figures that measures are read from.
import type { ArrivalCell, ScopeCell, StepCell } from '../measure/bucket.js'
import { pool } from '../measure/cells.js'
import type { RunShape } from '../measure/shape.js'
import type { Distribution } from '../numbers/distribution.js'
import type { Figures } from '../plan/measures.js'
import { iterationsIn } from './iterations.js'
import type { Gate } from '../plan/model.js'
import { passedWithin, sum, type CellView, type GateScope } from './scope.js'

export class CellFigures implements Figures {
  constructor(
    private readonly gate: Gate,
    private readonly view: CellView,
    private readonly shape: RunShape,
    private readonly scope: GateScope,
  ) {}

  get seconds(): number {
    return this.view.lengthSeconds
  }

  times(of: 'responseTime' | 'waitedTime' | 'timeToFirstByte' | 'connectTime'): Distribution {
    return pool(this.steps().map((cell) => cell[of]))
  }

  groupTimes(): Distribution {
    const cells = this.within(this.view.groups).filter((cell) => this.scope.isGroup(cell.scope))
    return pool(cells.map((cell) => cell.time))
  }

  journeyTimes(): Distribution {
    return pool(this.within(this.view.journeys).map((cell) => cell.time))
  }

  startLags(): Distribution {
    return pool(this.dueArrivals().map((cell) => cell.startLag))
  }

  eventLoopDelays(): Distribution {
    return pool(this.view.seconds.map((second) => second.eventLoopDelay))
  }

  busy(): number[] {
    return this.view.seconds.map((second) => second.busy)
  }

  metric(name: string): number[] {
    const { limit } = this.gate
    const index = this.shape.metrics.findIndex((metric) => metric.name === name)
    // OpenMetrics counts time in seconds; a limit in ms means the same.
    const scale = limit.kind === 'fixed' && limit.unit === 'time' ? 1000 : 1
    return this.view.seconds.flatMap(({ metrics }) => {
      const value = metrics[index] ?? null
      return value === null ? [] : [value * scale]
    })
  }

  requests(count: 'requests' | 'failed' | 'resent'): number {
    return sum(this.steps(), (cell) => cell[count])
  }

  ended(count: 'passed' | 'bytesReceived' | 'bytesSent'): number {
    const { scope } = this
    const cells = this.view.steps.filter((cell) => scope.isJourney(cell.journey))
    if (count === 'passed') return passedWithin(cells, scope)
    return sum(cells, (cell) => (scope.isPhase(cell.endPhase) && scope.isStep(cell.step) ? cell[count] : 0))
  }

  checks(count: 'passed' | 'failed'): number {
    const cells = this.within(this.view.checks)
    return sum(cells, (cell) => (this.scope.isStep(this.shape.checks[cell.check]?.step ?? -1) ? cell[count] : 0))
  }

  journeys(count: 'started' | 'finished' | 'failed' | 'cutOff'): number {
    const ended = iterationsIn(this.within<ScopeCell>(this.view.journeys), this.view.journeys)
    return count === 'failed' && this.gate.leavesOutRequests ? ended.failed - ended.byRequests : ended[count]
  }

  arrivals(count: 'started' | 'missed' | 'capped' | 'outOfData'): number {
    return sum(this.dueArrivals(), (cell) => cell[count])
  }

  private steps(): StepCell[] {
    return this.within(this.view.steps).filter((cell) => this.scope.isStep(cell.step))
  }

  private dueArrivals(): ArrivalCell[] {
    return this.view.arrivals.filter((cell) => this.scope.isPhase(cell.phase))
  }

  private within<T extends { phase: number; journey: number }>(cells: readonly T[]): T[] {
    return cells.filter((cell) => this.scope.isPhase(cell.phase) && this.scope.isJourney(cell.journey))
  }
}
