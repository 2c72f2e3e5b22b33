// What lists show of a run, taken from its result once, so that no list has to read results.
import type { RunResult } from '../judge/result-schema.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'

/** A small picture of a run for lists: arrivals due per second, and p95 in ms. */
export interface Spark {
  due: number[]
  p95: (number | null)[]
}

const SPARK_POINTS = 60

/** Length of the load in seconds. */
export const lengthOf = (shape: RunShape) => Math.max(0, ...phaseRanges(shape).map(({ toMs }) => toMs / 1000))

/** The figures of a result that lists show. */
export const figuresOf = ({ gates, totals, series, impact }: RunResult) => ({
  gatesAll: gates.length,
  gatesBreached: gates.filter(({ status }) => status === 'breached').length,
  requests: totals.requests,
  failedShare: totals.failedShare,
  p95: mostOf(series.p95),
  impact: impact?.grade ?? null,
})

/**
 * The load and the response times of a run as a small picture draws them: the highest of each part.
 *
 * @returns arrivals per second, and times in ms
 */
export function sparkOf(result: RunResult): Spark {
  const { arrivalsDue, p95 } = result.series
  const width = Math.max(1, Math.ceil(arrivalsDue.length / SPARK_POINTS))
  const points = Array.from({ length: Math.ceil(arrivalsDue.length / width) }, (_, index) => index * width)
  return {
    due: points.map((at) => Math.max(...arrivalsDue.slice(at, at + width))),
    p95: points.map((at) => mostOf(p95.slice(at, at + width))),
  }
}

/** The largest of some figures; null where there is none. */
function mostOf(figures: readonly (number | null)[]): number | null {
  return figures.reduce((most, value) => (value !== null && (most === null || value > most) ? value : most), null)
}
