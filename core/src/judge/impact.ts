// How a run would have felt to users: one of four grades, and how long the service took to recover.
import type { Grade } from '../language/grades.js'
import { endedOf, iterationsIn } from './iterations.js'
import { busiestPhase, recoveryAfter, type Recovery } from './recovery.js'
import { apdexOf, mergedTo, pooled, windowsOf, type RunSeconds, type TimesAs } from './windows.js'

export interface Impact {
  /** Null where the plan says nothing of how fast is fast enough. */
  grade: Grade | null
  /** T of Apdex. */
  satisfiedMs: number | null
  /** Of the worst window. */
  lowestApdex: number | null
  failedIterationShare: number
  /** From the end of the busiest phase until the service was as before; null where it was not, or nothing tells. */
  recovery: Recovery
}

/** Requests of a window, at the least: of twenty, four slow ones come by chance. */
const LEAST_OF_WINDOW = 100
const STEADY_APDEX = 0.85
const STEADY_FAILED = 0.001
const STRAINED_FAILED = 0.01

/** With a lower Apdex over all of it, a run is failing, whatever fails. */
const FAILING_APDEX = 0.5

/**
 * The grade of a run, over windows of five seconds of its measured phases, neighbours merged until each has a hundred
 * requests.
 *
 * Steady: Apdex at least 0.85 in each window, and under 0.1 % of iterations failed. Strained: below that, but at
 * least 99 % of iterations finished unfailed. Failing: worse, or an Apdex under 0.5 over all windows, but recovered, or
 * nothing tells. Lost: worse, and not recovered.
 *
 * Source: Apdex Technical Specification, version 1.1, for the score and for 0.85, the lower end of "good".
 *
 * @param as - the times as they were seen, or all of them at a bound of the generator error of their second
 */
export function impactOf(run: RunSeconds, satisfiedMs: number | null, as: TimesAs = 'seen'): Impact {
  const { shape, recording } = run
  const all = windowsOf(run, as)
  const windows = all.filter(({ requests }) => requests > 0)
  const journeys = [...recording.journeys.values()].filter(({ phase }) => shape.phases[phase]?.measured === true)
  const ended = iterationsIn(journeys, recording.journeys.values())
  const { failed } = ended
  const iterations = endedOf(ended)
  const failedIterationShare = iterations === 0 ? 0 : failed / iterations
  const recovery = recoveryAfter(shape, busiestPhase(shape), all)
  if (satisfiedMs === null || windows.length === 0)
    return { grade: null, satisfiedMs, lowestApdex: null, failedIterationShare, recovery }
  const lowestApdex = Math.min(...mergedTo(windows, LEAST_OF_WINDOW).map((window) => apdexOf(window, satisfiedMs)))
  const isSlow = apdexOf(pooled(windows), satisfiedMs) < FAILING_APDEX
  const grade =
    lowestApdex >= STEADY_APDEX && failedIterationShare < STEADY_FAILED
      ? 'steady'
      : failedIterationShare <= STRAINED_FAILED && !isSlow
        ? 'strained'
        : recovery.kind === 'not recovered'
          ? 'lost'
          : 'failing'
  return { grade, satisfiedMs, lowestApdex, failedIterationShare, recovery }
}
