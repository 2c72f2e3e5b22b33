// Two runs of a plan, step by step and gate by gate: what changed, how surely, and whether it means something.
import { bytesOfBase64 } from '../numbers/base64.js'
import { decodeHdr } from '../measure/hdr.js'
import { Distribution } from '../numbers/distribution.js'
import { rankInterval } from '../numbers/percentiles.js'
import { subjectOfRule } from '../judge/subject.js'
import type { RunResult } from '../judge/result-schema.js'
import { differenceOf, holm, mannWhitney, twoProportions, wilson, type Estimate } from '../numbers/statistics.js'

/** Differences are significant at this level, all comparisons together. */
export const LEVEL = 0.05

export type Test = 'Mann–Whitney U' | 'two proportions'

/** One figure of both runs. Times are ms, shares 0 to 1. */
export interface Change {
  figure: string
  unit: 'ms' | 'share'
  before: number
  after: number
  difference: number
  interval: [number, number]
  test: Test
  /** Corrected for all comparisons of this table (Holm 1979). */
  p: number
  significant: boolean
}

export interface StepChange {
  step: string
  samples: [before: number, after: number]
  changes: Change[]
}

export interface GateChange {
  rule: string
  unit: string
  before: number | null
  after: number | null
  difference: number | null
  /** Where both runs gave the gate's figure an interval. */
  interval: [number, number] | null
}

export interface Comparison {
  before: { id: string; startedAt: string; commit: string | null; verdict: string }
  after: { id: string; startedAt: string; commit: string | null; verdict: string }
  /** Why the two are not alike in what they were put through; empty when they are. */
  warnings: string[]
  steps: StepChange[]
  onlyBefore: string[]
  onlyAfter: string[]
  gates: GateChange[]
}

/** Compares a run with one that went before. */
export function compareRuns(before: RunResult, after: RunResult): Comparison {
  const names = before.steps.map((step) => step.name).filter((name) => after.steps.some((step) => step.name === name))
  const drafts = names.map((name) => draftOf(name, before, after))
  const corrected = holm(drafts.flatMap((draft) => draft.changes.map((change) => change.p)))
  let next = 0
  const steps = drafts.map((draft) => ({
    ...draft,
    changes: draft.changes.map((change) => {
      const p = corrected[next++] ?? 1
      return { ...change, p, significant: p < LEVEL }
    }),
  }))
  const missing = (from: RunResult, other: RunResult) =>
    from.steps.map((step) => step.name).filter((name) => !other.steps.some((step) => step.name === name))
  return {
    before: identityOf(before),
    after: identityOf(after),
    warnings: warningsOf(before, after),
    steps,
    onlyBefore: missing(before, after),
    onlyAfter: missing(after, before),
    gates: gateChanges(before, after),
  }
}

function identityOf({ id, startedAt, plan, verdict }: RunResult): Comparison['before'] {
  return { id, startedAt, commit: plan.commit, verdict }
}

function warningsOf(before: RunResult, after: RunResult): string[] {
  const warnings: string[] = []
  if (before.target.name !== after.target.name)
    warnings.push(`the targets differ: ${before.target.name}, then ${after.target.name}`)
  if (before.plan.scale !== after.plan.scale)
    warnings.push(`the scales differ: ${String(before.plan.scale)}, then ${String(after.plan.scale)}`)
  if (before.plan.load !== after.plan.load) warnings.push('the loads differ')
  for (const [name, run] of [
    ['the first', before],
    ['the second', after],
  ] as const)
    if (run.generator.reasons.length > 0) warnings.push(`${name} run is void: ${run.generator.reasons.join('; ')}`)
  return warnings
}

function draftOf(name: string, before: RunResult, after: RunResult): StepChange {
  const [first, second] = [timesOf(name, before), timesOf(name, after)]
  const [one, two] = [before, after].map((run) => run.steps.find((step) => step.name === name))
  const changes: Change[] = []
  if (first.count > 0 && second.count > 0) {
    const { p } = mannWhitney(first.slots(), second.slots())
    for (const percent of [50, 95]) {
      const figure = percent === 50 ? 'median' : `p${String(percent)}`
      changes.push(
        changeOf(figure, 'ms', percentileOf(first, percent), percentileOf(second, percent), 'Mann–Whitney U', p),
      )
    }
  }
  if (one !== undefined && two !== undefined && one.requests > 0 && two.requests > 0) {
    const { p } = twoProportions(one.failed, one.requests, two.failed, two.requests)
    const estimate = ({ failed, requests }: { failed: number; requests: number }): Estimate => {
      const [low, high] = wilson(failed, requests)
      return { value: failed / requests, low, high }
    }
    changes.push(changeOf('failed', 'share', estimate(one), estimate(two), 'two proportions', p))
  }
  return { step: name, samples: [first.count, second.count], changes }
}

function changeOf(
  figure: string,
  unit: Change['unit'],
  first: Estimate,
  second: Estimate,
  test: Test,
  p: number,
): Change {
  const { value, low, high } = differenceOf(first, second)
  return {
    figure,
    unit,
    before: first.value,
    after: second.value,
    difference: value,
    interval: [low, high],
    test,
    p,
    significant: false,
  }
}

/** Response times of a step over all measured phases. */
function timesOf(step: string, run: RunResult): Distribution {
  const measured = new Set(run.phases.filter((phase) => phase.measured).map((phase) => phase.name))
  const times = new Distribution()
  for (const histogram of run.histograms) {
    if (histogram.step === step && measured.has(histogram.phase)) times.add(decodeHdr(bytesOfBase64(histogram.data)))
  }
  return times
}

function percentileOf(times: Distribution, percent: number): Estimate {
  const { low, high } = rankInterval(times.count, percent)
  const at = (rank: number | null, open: number) => (rank === null ? open : times.valueAtRank(rank)) / 1000
  return {
    value: times.percentile(percent) / 1000,
    low: at(low, times.least),
    high: at(high, times.largest),
  }
}

function gateChanges(before: RunResult, after: RunResult): GateChange[] {
  return after.gates.flatMap((gate) => {
    const subject = subjectOfRule(gate.rule)
    const same = before.gates.find((other) => other.unit === gate.unit && subjectOfRule(other.rule) === subject)
    if (same === undefined) return []
    const { observed: first } = same
    const { observed: second } = gate
    const [one, two] = [estimateOf(same), estimateOf(gate)]
    const change = one === null || two === null ? null : differenceOf(one, two)
    return [
      {
        rule: gate.rule,
        unit: gate.unit,
        before: first,
        after: second,
        difference: first === null || second === null ? null : second - first,
        interval: change === null ? null : [change.low, change.high],
      },
    ]
  })
}

function estimateOf({ observed, interval }: RunResult['gates'][number]): Estimate | null {
  const [low, high] = interval ?? []
  if (observed === null || low === null || low === undefined || high === null || high === undefined) return null
  return { value: observed, low, high }
}
