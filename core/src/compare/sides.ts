// Several runs of a plan against several others: runs of equal code differ, by more than blocks of one do.
import { holm } from '../numbers/statistics.js'
import { studentReach, studentTail } from '../numbers/student.js'
import type { RunResult } from '../judge/result-schema.js'
import {
  boundsMeet,
  FIGURES,
  gateChanges,
  missingIn,
  outcomeOf,
  sideOf,
  SMALLEST,
  unsoundWords,
  warningsOf,
  type Change,
  type Comparison,
  type Figure,
  type GateChange,
  type StepChange,
} from './compare.js'

/** Fewer runs do not tell how far runs of equal code differ. */
export const LEAST_RUNS_OF_SIDE = 2

/**
 * Compares several runs with several that went before.
 *
 * A run is one value of each figure: what its seconds differ by says nothing of how far the next run will be off. Means
 * over the runs of a side are held against one another by Student's t with unequal variances, against the hypothesis
 * that they differ by no more than the smallest share.
 *
 * Sources: T. Kalibera and R. Jones, "Rigorous benchmarking in reasonable time", 2013; B. L. Welch, "The generalization
 * of Student's problem when several different population variances are involved", 1947.
 *
 * @param smallest - the least change, as a part of the mean before, that counts
 */
export function compareSides(
  before: readonly RunResult[],
  after: readonly RunResult[],
  smallest = SMALLEST,
): Comparison {
  const [first, ...earlier] = before
  const [second, ...later] = after
  if (first === undefined || second === undefined) throw new RangeError('each side needs a run')
  const all = [...before, ...after]
  const names = first.steps.map(({ name }) => name)
  const common = names.filter((name) => all.every(({ steps }) => steps.some((step) => step.name === name)))
  const untested = untestedOf(before, after, common)
  const drafts = common.map((step) => draftOf(step, before, after, smallest, untested.length === 0))
  const corrected = holm(drafts.flatMap(({ changes }) => changes.flatMap(({ p }) => p ?? [])))[Symbol.iterator]()
  return {
    before: { ...sideOf(first), others: earlier.map(sideOf) },
    after: { ...sideOf(second), others: later.map(sideOf) },
    smallest,
    untested,
    warnings: [...new Set(all.slice(1).flatMap((run) => warningsOf(first, run)))],
    steps: drafts.map((draft) => ({
      ...draft,
      changes: draft.changes.map((change) => {
        if (change.p === null) return change
        const p = corrected.next().value ?? 1
        return { ...change, p, outcome: outcomeOf(change, p, smallest) }
      }),
    })),
    onlyBefore: [...new Set(after.flatMap((run) => missingIn(run, first)))],
    onlyAfter: [...new Set(before.flatMap((run) => missingIn(run, second)))],
    gates: gatesOfSides(before, after),
  }
}

function untestedOf(before: readonly RunResult[], after: readonly RunResult[], common: readonly string[]): string[] {
  const all = [...before, ...after]
  const plans = [...new Set(all.map(({ plan }) => plan.file))]
  const names = [...new Set(all.map(({ plan }) => plan.name))]
  if (plans.length > 1 && names.length > 1) return [`the plans differ: ${names.join(', ')}`]
  const unsound = all.flatMap((run) => unsoundWords(`run ${run.id}`, run))
  if (unsound.length > 0) return unsound
  const small = [before, after].filter((side) => side.length < LEAST_RUNS_OF_SIDE)
  if (small.length > 0) return [`each side needs ${String(LEAST_RUNS_OF_SIDE)} runs or more`]
  return common.length === 0 ? ['the runs have no step in common'] : []
}

function draftOf(
  name: string,
  before: readonly RunResult[],
  after: readonly RunResult[],
  smallest: number,
  isTested: boolean,
): StepChange {
  const [ones, twos] = [before, after].map((side) =>
    side.flatMap(({ steps }) => steps.filter((one) => one.name === name)),
  )
  if (ones === undefined || twos === undefined) return { step: name, requests: [0, 0], changes: [] }
  const changes = FIGURES.flatMap((figure): Change[] => {
    const [one, two] = [ones, twos].map((steps) => valuesOf(figure, steps))
    if (one === undefined || two === undefined || one.length === 0 || two.length === 0) return []
    const [from, to] = [meanOf(one), meanOf(two)]
    const common = { figure: figure.figure, unit: figure.unit, before: from, after: to, difference: to - from }
    if (!isTested) return [{ ...common, interval: null, p: null, outcome: 'not tested' }]
    const { percentile } = figure
    const isOurs = percentile !== undefined && boundsMeet(ones, twos, percentile)
    const [first, second] = [spreadOf(figure, one, ones), spreadOf(figure, two, twos)]
    const p = isOurs ? 1 : chanceOf(first, second, smallest)
    return [{ ...common, interval: intervalOf(first, second), p, outcome: 'no significant change' }]
  })
  const requests = (steps: typeof ones) => steps.reduce((sum, step) => sum + step.requests, 0)
  return { step: name, requests: [requests(ones), requests(twos)], changes }
}

type Step = RunResult['steps'][number]

/** One value for each run, or none where a run has not got it. */
function valuesOf({ of }: Figure, steps: readonly Step[]): number[] {
  const values = steps.flatMap((step) => of(step) ?? [])
  return values.length === steps.length ? values : []
}

const meanOf = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0) / values.length

/** The mean of a side, the variance of that mean, and its degrees of freedom. */
interface Spread {
  mean: number
  variance: number
  freedom: number
}

function spreadOf({ unit }: Figure, values: readonly number[], steps: readonly Step[]): Spread {
  const mean = meanOf(values)
  const freedom = values.length - 1
  const ofRuns = values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / freedom / values.length
  // Shares of few requests are alike by chance: they differ by no less than such counts do.
  const requests = steps.reduce((sum, step) => sum + step.requests, 0)
  const ofCounts = unit === 'share' ? (mean * (1 - mean)) / Math.max(1, requests) : 0
  return { mean, variance: Math.max(ofRuns, ofCounts), freedom }
}

/** Two-sided, of the hypothesis that the means differ by no more than a share of the earlier one. */
function chanceOf(first: Spread, second: Spread, smallest: number): number {
  const tailOf = (share: number, sign: 1 | -1) => {
    const factor = 1 + sign * share
    const scaled = { ...first, mean: factor * first.mean, variance: factor ** 2 * first.variance }
    const apart = sign * (second.mean - scaled.mean)
    const { error, freedom } = errorOf(scaled, second)
    if (error === 0) return apart > 0 ? 0 : 1
    return studentTail(apart / error, freedom)
  }
  return Math.min(1, 2 * Math.min(tailOf(smallest, 1), tailOf(smallest, -1)))
}

function intervalOf(first: Spread, second: Spread): [number, number] {
  const { error, freedom } = errorOf(first, second)
  const [difference, reach] = [second.mean - first.mean, error === 0 ? 0 : studentReach(0.95, freedom) * error]
  return [difference - reach, difference + reach]
}

/** Of a difference of means, with the degrees of freedom of Welch and Satterthwaite. */
function errorOf(first: Spread, second: Spread): { error: number; freedom: number } {
  const variance = first.variance + second.variance
  const freedom = variance ** 2 / (first.variance ** 2 / first.freedom + second.variance ** 2 / second.freedom)
  return { error: Math.sqrt(variance), freedom }
}

/** Means over the runs of a side. */
function gatesOfSides(before: readonly RunResult[], after: readonly RunResult[]): GateChange[] {
  const [last] = after
  if (last === undefined) return []
  return last.gates.flatMap(({ rule, unit }) => {
    const changes = before.flatMap((one) =>
      after.flatMap((two) => gateChanges(one, two).filter((change) => change.rule === rule && change.unit === unit)),
    )
    if (changes.length < before.length * after.length) return []
    const mean = (of: (change: GateChange) => number | null) => {
      const values = changes.flatMap((change) => of(change) ?? [])
      return values.length < changes.length ? null : meanOf(values)
    }
    return [{ rule, unit, before: mean((change) => change.before), after: mean((change) => change.after) }]
  })
}
