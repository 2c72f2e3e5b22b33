// What a sender measures of its own thread.
import { performance, type EventLoopUtilization } from 'node:perf_hooks'
import { Distribution } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'

const SAMPLE_MS = 20
const WINDOW = 5
/** Shorter readings are not told apart from the one before. */
const LEAST_MS = 500

/** Busy share and event-loop delay of this thread, second by second. */
export class GeneratorHealth {
  private before: EventLoopUtilization = performance.eventLoopUtilization()
  private readonly busyShares: number[] = []
  private delays = new Distribution()
  private delaysBefore = new Distribution()
  private expectedMs = monotonicMs() + SAMPLE_MS
  private readonly timer = setInterval(() => {
    const now = monotonicMs()
    this.delays.record(1000 * Math.max(0, now - this.expectedMs))
    this.expectedMs = now + SAMPLE_MS
  }, SAMPLE_MS)

  /**
   * The readings since the last call; turns of the event loop that wait are not counted as busy. The delays are the
   * caller's until it calls again.
   */
  read(): { busy: number; busyOfFive: number; delays: Distribution } {
    const now = performance.eventLoopUtilization()
    const { utilization, active, idle } = performance.eventLoopUtilization(now, this.before)
    this.before = now
    // The last piece of a run is no second: its closing work alone would look like a busy thread.
    if (active + idle >= LEAST_MS || this.busyShares.length === 0) this.busyShares.push(utilization)
    if (this.busyShares.length > WINDOW) this.busyShares.shift()
    const delays = this.delays
    this.delays = this.delaysBefore
    this.delays.clear()
    this.delaysBefore = delays
    const isFull = this.busyShares.length === WINDOW
    const busyOfFive = isFull ? this.busyShares.reduce((sum, share) => sum + share, 0) / WINDOW : 0
    return { busy: this.busyShares.at(-1) ?? 0, busyOfFive, delays }
  }

  close(): void {
    clearInterval(this.timer)
  }
}
