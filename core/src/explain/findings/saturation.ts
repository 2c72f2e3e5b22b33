// The rate from which completed requests no longer grow with arrivals.
import { breakpointOf } from '../../numbers/breakpoint.js'
import { phasesWithin, windowsUpTo, type Evidence, type Window } from '../evidence.js'
import { figure, numberWords, SURE, type Finding } from '../finding.js'

const MOST_WINDOWS = 120
/** The rates must differ by as much for a line to be seen. */
const LEAST_SPREAD = 1.5
/** What is not completed of what one line would have promised at the highest rate. */
const LEAST_SHORTFALL = 0.1

/** Where what completes bends away from a rate, for sure and by half. */
function bendOf(windows: readonly Window[], rateOf: (window: Window) => number, random: () => number) {
  const found = breakpointOf(
    windows.map(rateOf),
    windows.map(({ passed }) => passed),
    random,
  )
  if (found === undefined || found.p > SURE || found.slopeBefore <= 0) return undefined
  return found.slopeAfter > found.slopeBefore / 2 ? undefined : found
}

/** Saturation: offered and completed rate part ways. Method: `breakpointOf`. */
export function saturation({ seconds, shape }: Evidence, random: () => number): Finding[] {
  // After the highest rate what had queued is still completed: only the way up tells.
  const top = Math.max(0, ...seconds.map(({ due }) => due))
  const end = seconds.findLastIndex(({ due }) => due >= 0.98 * top) + 1
  const windows = windowsUpTo(
    seconds.slice(0, end).filter(({ due }) => due > 0),
    MOST_WINDOWS,
  )
  if (Math.min(...windows.map(({ due }) => due)) * LEAST_SPREAD > top) return []
  const found = bendOf(windows, ({ due }) => due, random)
  // Who come in groups do not come at the rate of the schedule: what did not start could not be completed.
  if (found === undefined || bendOf(windows, ({ started }) => started, random) === undefined) return []
  const beyond = windows.filter(({ due }) => due > found.interval[1])
  const [most] = beyond.toSorted((one, other) => other.due - one.due)
  if (most === undefined || beyond.length < 3) return []
  const missing = (found.slopeBefore - found.slopeAfter) * (most.due - found.at)
  const promised = missing + most.passed
  if (missing < LEAST_SHORTFALL * promised) return []
  const [low, high] = found.interval
  const fromSecond = beyond[0]?.fromSecond ?? 0
  return [
    {
      kind: 'saturation',
      severity: 'warning',
      confidence: figure(1 - found.p),
      phases: phasesWithin(shape, fromSecond, end),
      steps: [],
      fromMs: fromSecond * 1000,
      toMs: end * 1000,
      evidence: {
        arrivalsPerSecond: figure(found.at),
        low: figure(low),
        high: figure(high),
        highestArrivalsPerSecond: figure(most.due),
        completedPerSecond: figure(most.passed),
        expectedPerSecond: figure(promised),
      },
      text: `Completed requests stop growing at about ${numberWords(found.at)} arrivals/s (${numberWords(low)} to ${numberWords(high)}). At ${numberWords(most.due)} arrivals/s, ${numberWords(most.passed)} requests/s completed; ${numberWords(promised)} expected.`,
      tryNext: [
        'Look for what is full at that rate: workers, connections, processor, locks.',
        'Put a gate on throughput at the rate that you need.',
        'Shed load earlier, or scale what is full, and run again.',
      ],
    },
  ]
}
