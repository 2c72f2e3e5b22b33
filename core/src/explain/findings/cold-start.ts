// The first seconds of traffic slower than the same load later.
import { phasesWithin, type Evidence, type EvidenceSecond, type SecondsOfStep } from '../evidence.js'
import { figure, momentWords, timeWords, type Finding } from '../finding.js'

/** The first seconds are looked at up to here. */
const MOST_SECONDS = 30
/** Fewer times make no median. */
const LEAST_COUNT = 3
const FACTOR = 1.5
const LEAST_MS = 5
/** Later seconds to compare with: with one in twenty it would be chance. */
const LEAST_LATER = 20

/**
 * Cold start: a step's median in the first seconds above that of every later second of the same load, and half as much
 * again as usual.
 *
 * Of n later seconds of the same law, the chance that the first is above all of them is 1 in n + 1 (ranks; common
 * practice, no source); that it is so far above is far less.
 */
export function coldStart(evidence: Evidence, bySteps: readonly SecondsOfStep[]): Finding[] {
  const cold = bySteps.flatMap(({ step, seconds }) => {
    const found = coldSeconds(seconds)
    return found === undefined ? [] : [{ name: step.name, ...found }]
  })
  const [worst] = cold.toSorted((one, other) => other.thenMs / other.laterMs - one.thenMs / one.laterMs)
  if (worst === undefined) return []
  const { name, thenMs, laterMs, begin, confidence } = worst
  const count = Math.max(...cold.map(({ seconds }) => seconds))
  const toMs = (begin + count) * 1000
  const isMeasured = evidence.seconds.slice(begin, begin + count).some((second) => second.isMeasured)
  return [
    {
      kind: 'cold start',
      severity: isMeasured && count > 1 ? 'warning' : 'info',
      confidence: figure(confidence),
      phases: phasesWithin(evidence.shape, begin, toMs / 1000),
      steps: cold.map((one) => one.name),
      fromMs: begin * 1000,
      toMs,
      evidence: { step: name, medianThenMs: figure(thenMs), medianLaterMs: figure(laterMs), seconds: count },
      text: `The first ${count === 1 ? 'second' : `${String(count)} seconds`} of traffic (until ${momentWords(toMs)}) ${count === 1 ? 'was' : 'were'} slow: "${name}" had a median of up to ${timeWords(thenMs)}; at the same load later it had ${timeWords(laterMs)}.`,
      tryNext: [
        'Begin the plan with a phase that is not measured (measure: no), so that gates judge the warm service.',
        'If users meet it after each deployment: fill caches and pools before the service takes traffic.',
      ],
    },
  ]
}

function coldSeconds(seconds: readonly EvidenceSecond[]) {
  const asked = seconds.filter(({ count }) => count >= LEAST_COUNT)
  const begin = asked[0]?.second ?? 0
  const early = asked.filter(({ second }) => second < begin + Math.min(MOST_SECONDS, asked.length / 3))
  const [opening] = early
  if (opening === undefined) return undefined
  // More load later, and faster all the same, says it as well.
  const isAsMuch = ({ due, users }: EvidenceSecond) =>
    opening.due > 0 ? due >= 0.8 * opening.due : users >= 0.8 * opening.users
  const later = asked.filter((second) => second.second >= begin + early.length && isAsMuch(second))
  if (later.length < LEAST_LATER) return undefined
  const medians = later.map(({ medianMs }) => medianMs).toSorted((a, b) => a - b)
  const laterMs = medians[Math.floor(medians.length / 2)] ?? 0
  const slowest = medians.at(-1) ?? 0
  const counts = later.map(({ count }) => count).toSorted((a, b) => a - b)
  const laterCount = counts[Math.floor(counts.length / 2)] ?? 1
  // The median of a few times strays further than that of many: as the root of their number.
  const isSlow = ({ medianMs, count }: EvidenceSecond) =>
    medianMs > laterMs + (slowest - laterMs) * Math.max(1, Math.sqrt(laterCount / count)) &&
    medianMs > Math.max(FACTOR * laterMs, laterMs + LEAST_MS)
  const length = early.findIndex((second) => !isSlow(second))
  const slow = length < 0 ? early : early.slice(0, length)
  const [thenMs] = slow.map(({ medianMs }) => medianMs).toSorted((a, b) => b - a)
  if (thenMs === undefined) return undefined
  return { begin, seconds: slow.length, thenMs, laterMs, confidence: 1 - 1 / (later.length + 1) ** slow.length }
}
