// Where lines of the log go. A log that cannot be written, on a full disk or to a reader that is gone, is no reason to
// end: its lines are dropped and counted, and the log says so once it can be written again.
import { writeSync } from 'node:fs'
import { Counter } from 'prom-client'
import { FIGURES } from './metrics.js'

export const LINES_DROPPED = new Counter({
  name: 'jolt_gate_log_lines_dropped',
  help: 'Lines of the log that could not be written',
  registers: [FIGURES],
})

/** A pipe may be full for a moment, until its reader has read. */
const TRIES = 20
const WAIT_MS = 5
const asleep = new Int32Array(new SharedArrayBuffer(4))

export class LogSink {
  /** Since a line was last written. */
  private dropped = 0

  /** @param file - descriptor to write to; standard error where nothing else is said */
  constructor(private readonly file = 2) {}

  write(line: string): void {
    if (this.dropped > 0 && this.isWritten(this.droppedLine())) this.dropped = 0
    if (this.isWritten(line)) return
    this.dropped++
    LINES_DROPPED.inc()
  }

  private droppedLine(): string {
    const msg = `${String(this.dropped)} lines of the log could not be written`
    return `${JSON.stringify({ level: 40, time: new Date().toISOString(), dropped: this.dropped, msg })}\n`
  }

  private isWritten(line: string): boolean {
    let left = Buffer.from(line)
    for (let tries = 0; tries < TRIES; tries++) {
      try {
        left = left.subarray(writeSync(this.file, left))
        if (left.length === 0) return true
      } catch (error) {
        const isBusy = error instanceof Error && 'code' in error && error.code === 'EAGAIN'
        // While a pipe stays full, no further line waits for it.
        if (!isBusy || this.dropped > 0) return false
        Atomics.wait(asleep, 0, 0, WAIT_MS)
      }
    }
    return false
  }
}
