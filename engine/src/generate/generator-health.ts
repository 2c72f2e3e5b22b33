// What a sender measures of its own thread.
import { monitorEventLoopDelay, performance, type EventLoopUtilization } from 'node:perf_hooks'
import { Distribution } from '@jolt-gate/core'

/** Every so many ms a timer asks whether the loop still turns. */
const SAMPLE_MS = 2
const WINDOW = 5
/** Shorter readings are not told apart from the one before. */
const LEAST_MS = 500

export interface HealthReading {
  busy: number
  busyOfFive: number
  /** How late the timer was; in µs. */
  delays: Distribution
  /** How long the loop stood still, at most, and the next time to it. */
  stallMs: number
  secondStallMs: number
}

/** Busy share and event-loop delay of this thread, second by second. */
export class GeneratorHealth {
  private before: EventLoopUtilization = performance.eventLoopUtilization()
  private readonly busyShares: number[] = []
  private readonly monitor = monitorEventLoopDelay({ resolution: SAMPLE_MS })
  private readonly delays = new Distribution()
  private secondStallMs = 0

  constructor() {
    this.monitor.enable()
  }

  /**
   * The readings since the last call; turns of the event loop that wait are not counted as busy. The delays are the
   * caller's until it calls again.
   */
  read(): HealthReading {
    const now = performance.eventLoopUtilization()
    const { utilization, active, idle } = performance.eventLoopUtilization(now, this.before)
    this.before = now
    // The last piece of a run is no second: its closing work alone would look like a busy thread.
    if (active + idle >= LEAST_MS || this.busyShares.length === 0) this.busyShares.push(utilization)
    if (this.busyShares.length > WINDOW) this.busyShares.shift()
    const isFull = this.busyShares.length === WINDOW
    const busyOfFive = isFull ? this.busyShares.reduce((sum, share) => sum + share, 0) / WINDOW : 0
    const { delays } = this
    this.takeDelays()
    const stallMs = Math.max(0, delays.largest / 1000)
    return { busy: this.busyShares.at(-1) ?? 0, busyOfFive, delays, stallMs, secondStallMs: this.secondStallMs }
  }

  close(): void {
    this.monitor.disable()
  }

  /** The monitor tells percentiles, each with the share of readings up to it; a reading holds the timer's own wait. */
  private takeDelays(): void {
    const { monitor, delays } = this
    delays.clear()
    let recorded = 0
    this.secondStallMs = 0
    let beforeUs = 0
    for (const [percent, nanoseconds] of monitor.percentiles) {
      const delayUs = Math.max(0, nanoseconds / 1000 - 1000 * SAMPLE_MS)
      // Each percentile halves the share above it, so the last that differs from the largest is the one next to it.
      if (delayUs > beforeUs) this.secondStallMs = beforeUs / 1000
      beforeUs = delayUs
      const upTo = Math.round((percent / 100) * monitor.count)
      for (; recorded < upTo; recorded++) delays.record(delayUs)
    }
    monitor.reset()
  }
}
