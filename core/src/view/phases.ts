// Phases and seconds of a run, as results and reports show them.
import type { BoundedCells } from '../measure/bounds.js'
import type { Cells } from '../measure/cells.js'
import type { SecondRow } from '../measure/recording.js'
import { phaseRanges, type RunShape, type ShapePhase } from '../measure/shape.js'
import { passedWithin, sum } from '../judge/scope.js'
import { boundedSummary, round, share } from './summaries.js'

export type PhaseSummary = ReturnType<typeof phaseSummaries>[number]
/** A phase as far as it lies in a time range; null where its plan does not say how many arrivals a part of it has. */
export type PhasePart = Omit<PhaseSummary, 'arrivalsDue'> & { arrivalsDue: number | null }

type Span = { fromMs: number; toMs: number }

/**
 * The phases of a run.
 *
 * @param cells - all that ended in it
 * @param rows - its seconds, from the first
 */
export function phaseSummaries(cells: BoundedCells, rows: readonly SecondRow[], shape: RunShape) {
  const ranges = phaseRanges(shape)
  return shape.phases.map((phase, index) => ({
    ...phaseOf(index, phase, ranges[index] ?? { fromMs: 0, toMs: 0 }, { cells, rows, shape }),
    arrivalsDue: phase.arrivalsDue,
  }))
}

/**
 * The phases that lie in a time range, each as far as it does.
 *
 * @param cells - what ended in the range
 * @param rows - the seconds of the run, from the first
 */
export function phasesWithin(
  cells: BoundedCells,
  rows: readonly SecondRow[],
  shape: RunShape,
  within: Span,
): PhasePart[] {
  const ranges = phaseRanges(shape)
  return shape.phases.flatMap((phase, index) => {
    const whole = ranges[index] ?? { fromMs: 0, toMs: 0 }
    const part = { fromMs: Math.max(whole.fromMs, within.fromMs), toMs: Math.min(whole.toMs, within.toMs) }
    if (part.toMs <= part.fromMs) return []
    const summary = phaseOf(index, phase, part, { cells, rows, shape })
    return [{ ...summary, arrivalsDue: dueWithin(phase, whole, part) }]
  })
}

/** Arrivals due in a part of a phase, where its rates say so; null where they do not. */
function dueWithin({ rates: [from, to], seconds, arrivalsDue }: ShapePhase, whole: Span, part: Span): number | null {
  if (part.fromMs === whole.fromMs && part.toMs === whole.toMs) return arrivalsDue
  // Batches and users are no matter of rates.
  if (Math.abs(((from + to) / 2) * seconds - arrivalsDue) > 1) return null
  const rateAt = (ms: number) => from + ((to - from) * (ms - whole.fromMs)) / Math.max(1, whole.toMs - whole.fromMs)
  return (rateAt((part.fromMs + part.toMs) / 2) * (part.toMs - part.fromMs)) / 1000
}

interface PhaseSource {
  cells: BoundedCells
  rows: readonly SecondRow[]
  shape: RunShape
}

function phaseOf(index: number, phase: ShapePhase, range: Span, { cells: recording, rows, shape }: PhaseSource) {
  const isPhase = (other: number) => other === index
  const seconds = rows.slice(Math.floor(range.fromMs / 1000), Math.ceil(range.toMs / 1000))
  return {
    name: phase.name,
    kind: phase.kind,
    track: phase.track,
    ...range,
    measured: phase.measured,
    arrivalsStarted: recording.arrivals.get(index)?.started ?? 0,
    capped: recording.arrivals.get(index)?.capped ?? 0,
    peakUsers: seconds.reduce((most, row) => Math.max(most, row.users), 0),
    throughput: share(
      passedWithin(recording.steps.values(), { isPhase, isStep: () => true }),
      (range.toMs - range.fromMs) / 1000,
    ),
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
