// A service that does not become as it was before a peak.
import type { Recovery } from '../../judge/recovery.js'
import { phaseRanges, type RunShape } from '../../measure/shape.js'
import { figure, timeWords, type Finding } from '../finding.js'

const SLOW_MS = 15_000
/** Of five windows in a row one may be above by chance: until it recovers it must have been worse than that. */
const SLOWDOWN = 1.3
const FAILED = 0.01

/** Slow recovery: after the busiest phase the reference is not reached again, or late. Method: `recoveryAfter`. */
export function slowRecovery(shape: RunShape, recovery: Recovery): Finding[] {
  if (recovery.kind === 'unmeasured' || (recovery.kind === 'recovered' && recovery.ms < SLOW_MS)) return []
  if (recovery.slowdown < SLOWDOWN && recovery.failedShare < FAILED) return []
  const range = phaseRanges(shape)[shape.phases.findIndex(({ name }) => name === recovery.phase)]
  const end = range?.toMs ?? 0
  const isLate = recovery.kind === 'recovered'
  return [
    {
      kind: 'slow recovery',
      severity: isLate ? 'warning' : 'problem',
      confidence: 0.95,
      phases: [recovery.phase],
      steps: [],
      fromMs: end,
      toMs: isLate ? end + recovery.ms : Math.max(...phaseRanges(shape).map(({ toMs }) => toMs)),
      evidence: {
        ...(isLate ? { recoveryMs: recovery.ms } : {}),
        slowdown: figure(recovery.slowdown),
        failedShare: figure(recovery.failedShare),
      },
      text: isLate
        ? `After ${recovery.phase} it took ${timeWords(recovery.ms)} until times and failures were as before.`
        : `After ${recovery.phase} times and failures did not recover before the load ended.`,
      tryNext: [
        'Look for what the peak left behind: a queue, retries, exhausted connections, a cache that was emptied.',
        'Give the plan a longer phase at the usual rate after the peak, to see when it recovers.',
      ],
    },
  ]
}
