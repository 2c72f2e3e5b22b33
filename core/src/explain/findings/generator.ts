// What the machine that makes the load adds or lacks.
import type { Evidence } from '../evidence.js'
import { figure, timeWords, type Finding } from '../finding.js'

/** Seconds whose times it may have changed by as much, and how many of them are more than an accident. */
export const LATE_MS = 10
const LATE_SHARE = 0.1
const BUSY = 0.9
const STEAL = 0.1

export interface GeneratorFacts {
  /** Why a figure of the run cannot be trusted, in words; empty where all can. */
  reasons: readonly string[]
  /** At p99 over the seconds of the load. */
  errorMs: number
  /** Seconds with an error over LATE_MS, of all. */
  lateShare: number
  /** Whether it could have decided a gate. */
  isDecisive: boolean
  /** Shares of a second, at most and on average. */
  busiest: number
  steal: number
}

/** The generator: late, starved, out of ports, and what to change. Counted, no test is needed. */
export function generatorFindings({ failures, requests, shape, seconds }: Evidence, facts: GeneratorFacts): Finding[] {
  const local = failures.filter(({ kind }) => kind === 'local')
  const count = local.reduce((sum, cell) => sum + cell.count, 0)
  const frame = {
    kind: 'generator' as const,
    confidence: 1,
    phases: shape.phases.filter(({ measured }) => measured).map(({ name }) => name),
    steps: [],
    fromMs: 0,
    toMs: seconds.length * 1000,
  }
  const found: Finding[] = []
  if (count > 0)
    found.push({
      ...frame,
      severity: 'problem',
      evidence: { failures: count, ofRequests: requests, detail: local[0]?.detail ?? '' },
      text: `This machine itself failed ${String(count)} requests (${local[0]?.detail ?? ''}): they never reached the target.`,
      tryNext: [
        'Out of ports: use connections: shared, or more local addresses.',
        'Out of files: raise the limit of open files (ulimit -n) where the command runs.',
      ],
    })
  const isStarved = facts.steal > STEAL
  const isBusy = facts.busiest > BUSY
  if (facts.reasons.length > 0 || facts.lateShare >= LATE_SHARE)
    found.push({
      ...frame,
      severity: facts.reasons.length > 0 ? 'problem' : facts.isDecisive ? 'warning' : 'info',
      evidence: {
        errorP99Ms: figure(facts.errorMs),
        busiestShare: figure(facts.busiest),
        stealShare: figure(facts.steal),
      },
      text:
        facts.reasons[0] === undefined
          ? `The generator may have added up to ${timeWords(facts.errorMs)} to times (p99): ${isStarved ? 'the host took the processor away' : isBusy ? 'it was busy' : 'it was late'}.`
          : `The generator could not be trusted: ${facts.reasons[0]}.`,
      tryNext: isStarved
        ? [
            'The machine is shared: run on one with processors of its own.',
            'Run again at a quieter time; --retry-void does so by itself.',
          ]
        : [
            'Find out what this machine can send: jolt-gate calibrate.',
            'Make less load with it, or more machines.',
            'Keep other work off it while it sends.',
          ],
    })
  return found
}
