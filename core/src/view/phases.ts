// Phases and seconds of a run, as results and reports show them.
import type { BoundedRecording } from '../measure/bounds.js'
import type { Cells } from '../measure/cells.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { passedWithin, sum } from '../judge/scope.js'
import { boundedSummary, round, share } from './summaries.js'

export type PhaseSummary = ReturnType<typeof phaseSummaries>[number]

export function phaseSummaries(recording: BoundedRecording, shape: RunShape) {
  const ranges = phaseRanges(shape)
  return shape.phases.map((phase, index) => {
    const isPhase = (other: number) => other === index
    const range = ranges[index] ?? { fromMs: 0, toMs: 0 }
    const seconds = recording.seconds.slice(Math.floor(range.fromMs / 1000), Math.ceil(range.toMs / 1000))
    return {
      name: phase.name,
      kind: phase.kind,
      track: phase.track,
      ...range,
      measured: phase.measured,
      arrivalsDue: phase.arrivalsDue,
      arrivalsStarted: recording.arrivals.get(index)?.started ?? 0,
      capped: recording.arrivals.get(index)?.capped ?? 0,
      peakUsers: seconds.reduce((most, row) => Math.max(most, row.users), 0),
      throughput: share(passedWithin(recording.steps.values(), { isPhase, isStep: () => true }), phase.seconds),
      steps: shape.steps.flatMap((named, step) => {
        const cellsOf = (of: Cells) => of.stepCells(isPhase, (other) => other === step)
        const cells = [...cellsOf(recording)]
        if (cells.length === 0) return []
        return [
          {
            name: named.name,
            requests: sum(cells, (cell) => cell.requests),
            failed: sum(cells, (cell) => cell.failed),
            responseTime: boundedSummary(recording, cellsOf, (cell) => cell.responseTime),
          },
        ]
      }),
    }
  })
}

/**
 * Arrivals that the rates make due in each second, from the rates of the phases.
 *
 * @param seconds - how many to work out, from the start of the load
 * @returns arrivals per second, over all tracks; batches aside
 */
export function dueBySecond(shape: RunShape, seconds: number): number[] {
  const due = new Array<number>(seconds).fill(0)
  const ranges = phaseRanges(shape)
  for (const [index, phase] of shape.phases.entries()) {
    const { fromMs, toMs } = ranges[index] ?? { fromMs: 0, toMs: 0 }
    const [from, to] = phase.rates
    const rateOf = (ms: number) => from + ((to - from) * (ms - fromMs)) / Math.max(1, toMs - fromMs)
    for (let second = Math.floor(fromMs / 1000); second < Math.min(seconds, Math.ceil(toMs / 1000)); second++) {
      const begin = Math.max(fromMs, second * 1000)
      const end = Math.min(toMs, (second + 1) * 1000)
      due[second] = round((due[second] ?? 0) + (rateOf((begin + end) / 2) * (end - begin)) / 1000)
    }
  }
  return due
}
