// Every request as a row of CSV (RFC 4180), for those who want to look at them with tools of their own.
import { csvField, type RunShape } from '@jolt-gate/core'
import type { Ended } from '../walk/listener.js'

/** Columns of the rows; times in ms, `due` from the start of the load. */
export const SAMPLE_COLUMNS = [
  'run',
  'due ms',
  'phase',
  'journey',
  'step',
  'ms',
  'outcome',
  'bytes sent',
  'bytes received',
  'trace',
]

export class SampleRows {
  private lines: string[] = []
  private readonly names: { phases: string[]; journeys: string[]; steps: string[] }

  constructor(
    shape: RunShape,
    private readonly run: string,
  ) {
    this.names = {
      phases: shape.phases.map(({ name }) => csvField(name)),
      journeys: shape.journeys.map(csvField),
      steps: shape.steps.map(({ name }) => csvField(name)),
    }
  }

  add({ iteration, operation, sample, exchange, failure }: Ended, phase: number, startMs: number): void {
    const { phases, journeys, steps } = this.names
    const [due, took] = [sample.dueMs - startMs, sample.endedMs - sample.dueMs]
    this.lines.push(
      `${this.run},${due.toFixed(3)},${phases[phase] ?? ''},${journeys[iteration.program.journey] ?? ''},${steps[operation.step] ?? ''},${took.toFixed(3)},${failure?.kind ?? 'passed'},${String(sample.bytesSent)},${String(sample.bytesReceived)},${exchange?.trace ?? ''}\r\n`,
    )
  }

  /** The rows since the last look. */
  take(): { text: string; count: number } {
    const { lines } = this
    this.lines = []
    return { text: lines.join(''), count: lines.length }
  }
}
