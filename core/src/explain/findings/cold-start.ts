// The first seconds of traffic slower than the same load later.
import { phasesWithin, type Evidence } from '../evidence.js'
import { figure, momentWords, timeWords, type Finding } from '../finding.js'

/** The first seconds are looked at up to here. */
const MOST_SECONDS = 30
const FACTOR = 1.5
const LEAST_MS = 5
/** Later seconds to compare with: with one in twenty it would be chance. */
const LEAST_LATER = 20

/**
 * Cold start: the median of the first seconds above every later one of the same load, and half as much again as usual.
 *
 * Of n later seconds of the same law, the chance that the first is above all of them is 1 in n + 1 (ranks; common
 * practice, no source); that it is so far above is far less.
 */
export function coldStart({ seconds, shape }: Evidence): Finding[] {
  const asked = seconds.filter(({ count }) => count >= 3)
  const begin = asked[0]?.second ?? 0
  const early = asked.filter(({ second }) => second < begin + Math.min(MOST_SECONDS, asked.length / 3))
  const [opening] = early
  if (opening === undefined) return []
  // More load later, and faster all the same, says it as well.
  const later = asked.filter(
    ({ second, due, users }) =>
      second >= begin + early.length && (opening.due > 0 ? due >= 0.8 * opening.due : users >= 0.8 * opening.users),
  )
  if (later.length < LEAST_LATER) return []
  const medians = later.map(({ medianMs }) => medianMs).toSorted((a, b) => a - b)
  const usual = medians[Math.floor(medians.length / 2)] ?? 0
  const slowest = medians.at(-1) ?? 0
  const isSlow = (ms: number) => ms > Math.max(slowest, FACTOR * usual, usual + LEAST_MS)
  const length = early.findIndex(({ medianMs }) => !isSlow(medianMs))
  const slow = length < 0 ? early : early.slice(0, length)
  const [worst] = slow.map(({ medianMs }) => medianMs).toSorted((a, b) => b - a)
  if (worst === undefined) return []
  const toMs = ((slow.at(-1)?.second ?? begin) + 1) * 1000
  const isMeasured = slow.some((second) => second.isMeasured)
  return [
    {
      kind: 'cold start',
      level: isMeasured && slow.length > 1 ? 'warning' : 'note',
      confidence: figure(1 - 1 / (later.length + 1) ** slow.length),
      phases: phasesWithin(shape, begin, toMs / 1000),
      steps: [],
      fromMs: begin * 1000,
      toMs,
      evidence: { medianThenMs: figure(worst), medianLaterMs: figure(usual), seconds: slow.length },
      text: `The first ${slow.length === 1 ? 'second' : `${String(slow.length)} seconds`} of traffic (until ${momentWords(toMs)}) had a median of up to ${timeWords(worst)}; the same load later had ${timeWords(usual)}.`,
      tryNext: [
        'Begin the plan with a phase that is not measured (measure: no), so that gates judge the warm service.',
        'If users meet it after each deployment: fill caches and pools before the service takes traffic.',
      ],
    },
  ]
}
