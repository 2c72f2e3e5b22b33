// Two runs of a plan, step by step and gate by gate: what changed, how surely, and whether it matters.
import { bytesOfBase64 } from '../numbers/base64.js'
import { holm } from '../numbers/statistics.js'
import { decodeHdr } from '../measure/hdr.js'
import { subjectOfRule } from '../judge/subject.js'
import type { RunResult } from '../judge/result-schema.js'
import { Draws } from '../values/random.js'
import { failedFigure, meanFigure, memoryOf, percentileFigure, shiftsOf, type Block, type FigureOf } from './blocks.js'

/** Differences are significant at this level, all comparisons together. */
export const LEVEL = 0.05
/** Differences up to this share of the earlier figure do not matter, unless told otherwise. */
export const SMALLEST = 0.05
/** With fewer blocks in a run nothing can be significant. */
const LEAST_BLOCKS = 5

/** A row cannot be told where its figure moved further than matters, and chance or the generator may have moved it. */
export type Outcome = 'worse' | 'better' | 'no significant change' | 'cannot tell' | 'not tested'

/** One figure of both runs. Times are ms, shares 0 to 1. */
export interface Change {
  figure: string
  unit: 'ms' | 'share'
  before: number
  after: number
  difference: number
  /** 95 %; null where it was not tested. */
  interval: [number, number] | null
  /** Corrected for all comparisons of this table (Holm 1979); null where it was not tested. */
  p: number | null
  outcome: Outcome
}

export interface StepChange {
  step: string
  requests: [before: number, after: number]
  changes: Change[]
}

export interface GateChange {
  rule: string
  unit: RunResult['gates'][number]['unit']
  before: number | null
  after: number | null
}

interface OneRun {
  id: string
  startedAt: string
  commit: string | null
  verdict: RunResult['verdict']
}
/** A run, and where several are a side the others of it. */
interface Side extends OneRun {
  others?: OneRun[]
}

/** How many runs a side has. */
export const runsOfSide = ({ others = [] }: Side): number => 1 + others.length

export interface Comparison {
  before: Side
  after: Side
  /** Differences up to this share of the earlier figure do not matter. */
  smallest: number
  /** Why nothing could be tested, whatever the figures; empty where something was. */
  untested: string[]
  /** Why the two are not alike in what they were put through, or what could not be tested; empty when nothing. */
  warnings: string[]
  steps: StepChange[]
  onlyBefore: string[]
  onlyAfter: string[]
  gates: GateChange[]
}

/**
 * Compares a run with one that went before.
 *
 * @param smallest - the least change, as a part of the value before, that counts
 * @returns steps that both have, with p values corrected after Holm (1979), and those that only one has
 */
export function compareRuns(before: RunResult, after: RunResult, smallest = SMALLEST): Comparison {
  const names = before.steps.map((step) => step.name).filter((name) => after.steps.some((step) => step.name === name))
  const drafts = names.map((name, place) => draftOf({ name, place, before, after, smallest }))
  const tested = drafts.flatMap(({ changes }) => changes.flatMap(({ p }) => (p === null ? [] : [p])))
  const corrected = holm(tested)[Symbol.iterator]()
  const steps = drafts.map((draft) => ({
    ...draft,
    changes: draft.changes.map((change) => {
      if (change.p === null) return change
      const p = corrected.next().value ?? 1
      return { ...change, p, outcome: outcomeOf(change, p, smallest) }
    }),
  }))
  return {
    before: sideOf(before),
    after: sideOf(after),
    smallest,
    untested: untestedOf(before, after, tested.length),
    warnings: [...warningsOf(before, after), ...memoryWarning(names, before, after)],
    steps,
    onlyBefore: missingIn(after, before),
    onlyAfter: missingIn(before, after),
    gates: gateChanges(before, after),
  }
}

/** Steps that a run has not, of those that another has. */
export const missingIn = (run: RunResult, other: RunResult): string[] =>
  other.steps.map((step) => step.name).filter((name) => !run.steps.some((step) => step.name === name))

/** All rows with this outcome, each with its step. */
function rowsThatAre(outcome: Outcome, { steps }: Comparison): { step: string; change: Change }[] {
  return steps.flatMap(({ step, changes }) =>
    changes.flatMap((change) => (change.outcome === outcome ? [{ step, change }] : [])),
  )
}

/** What a comparison comes to: a step that is missing after is worse than any. */
export function comparisonOutcome(comparison: Comparison): 'worse' | 'not worse' | 'not tested' {
  if (comparison.untested.length > 0) return 'not tested'
  return rowsThatAre('worse', comparison).length + comparison.onlyBefore.length > 0 ? 'worse' : 'not worse'
}

/** The answer in one sentence. */
export function comparisonWords(comparison: Comparison): string {
  if (comparison.untested.length > 0) return `Nothing could be tested: ${comparison.untested.join('; ')}.`
  const [worse, better] = [rowsThatAre('worse', comparison), rowsThatAre('better', comparison)]
  const named = (rows: typeof worse) =>
    [...new Set(rows.map(({ step }) => step))]
      .map((step) => {
        const figures = rows.flatMap((row) => (row.step === step ? [row.change.figure] : []))
        return `${figures.join(', ')} of "${step}"`
      })
      .join('; ')
  const missing = comparison.onlyBefore.map((step) => `"${step}"`)
  const isWorse = worse.length + missing.length > 0
  const parts = [
    ...(worse.length > 0 ? [`Worse: ${named(worse)}`] : []),
    ...(missing.length > 0 ? [`${worse.length > 0 ? 'missing' : 'Worse: missing'} after: ${missing.join(', ')}`] : []),
    ...(better.length > 0 ? [`${isWorse ? 'better' : 'Better'}: ${named(better)}`] : []),
  ]
  if (parts.length > 0) return `${parts.join('; ')}.`
  const unclear = unclearWords(comparison)
  if (unclear !== undefined) return unclear
  return `No significant change beyond ${String(Number((100 * comparison.smallest).toPrecision(3)))} %.`
}

/** Whether sides of several runs were compared. */
export const isOfSeveral = ({ before, after }: Comparison): boolean => runsOfSide(before) + runsOfSide(after) > 2

/** What moved furthest of what cannot be told, and why it cannot; undefined where all can. */
function unclearWords(comparison: Comparison): string | undefined {
  const moved = ({ change }: { change: Change }) => (change.before === 0 ? Infinity : change.difference / change.before)
  const unclear = rowsThatAre('cannot tell', comparison).toSorted((one, other) => moved(other) - moved(one))
  const [first] = unclear
  if (first === undefined) return undefined
  const { step, change } = first
  const by = change.before === 0 ? 'from nothing' : `by ${signedPercent(moved(first))}`
  const others = unclear.length === 1 ? '' : `, and ${String(unclear.length - 1)} more`
  const words = `Cannot tell: ${change.figure} of "${step}" moved ${by}${others}, which may be chance`
  return isOfSeveral(comparison)
    ? `${words}: runs of one side differ as much among themselves. More runs tell more.`
    : `${words}: blocks of seconds of one run differ as much among themselves. Longer runs tell more.`
}

const signedPercent = (share: number): string =>
  `${share < 0 ? '−' : '+'}${String(Number((100 * Math.abs(share)).toPrecision(2)))} %`

export function outcomeOf({ before, difference }: Change, p: number, smallest: number): Outcome {
  if (p < LEVEL) return difference > 0 ? 'worse' : 'better'
  return Math.abs(difference) > smallest * Math.abs(before) ? 'cannot tell' : 'no significant change'
}

export const sideOf = ({ id, startedAt, plan, verdict }: RunResult): OneRun => ({
  id,
  startedAt,
  commit: plan.commit,
  verdict,
})

const blockCount = ({ blocks }: RunResult): number =>
  Math.max(0, ...(blocks?.steps.map(({ data }) => data.length) ?? []))

/**
 * The least p-value that dealing out the blocks of both runs can give: two-sided, of all ways to deal them out one
 * parts them as far.
 */
function leastP(before: RunResult, after: RunResult): number {
  const [first, second] = [blockCount(before), blockCount(after)]
  let ways = 1
  for (let drawn = 1; drawn <= first; drawn++) ways *= (second + drawn) / drawn
  return Math.min(1, 2 / ways)
}

/** Whether any of so many figures can be: runs that are long enough for one may be too short for all together. */
const canBeSignificant = (before: RunResult, after: RunResult, rows: number): boolean =>
  rows > 0 && leastP(before, after) * rows <= LEVEL

/** Why a difference could not show: other plans, runs that tell nothing, too little of both. */
function untestedOf(before: RunResult, after: RunResult, rows: number): string[] {
  const runs = [
    ['the first', before],
    ['the second', after],
  ] as const
  if (before.plan.file !== after.plan.file && before.plan.name !== after.plan.name)
    return [`the plans differ: ${before.plan.name}, then ${after.plan.name}`]
  const unsound = runs.flatMap(([name, run]) => unsoundWords(`${name} run`, run))
  if (unsound.length > 0) return unsound
  if (!before.steps.some(({ name }) => after.steps.some((step) => step.name === name)))
    return ['the runs have no step in common']
  const short = runs.flatMap(([name, run]) => {
    const blocks = blockCount(run)
    if (blocks >= LEAST_BLOCKS) return []
    return run.blocks === undefined
      ? [`${name} result is of an older version, without blocks of seconds`]
      : [`${name} run has ${String(blocks)} blocks of seconds, and ${String(LEAST_BLOCKS)} are needed: run longer`]
  })
  if (short.length > 0) return short
  if (canBeSignificant(before, after, rows)) return []
  const [first, second] = [blockCount(before), blockCount(after)]
  const blocks = first === second ? String(first) : `${String(first)} and ${String(second)}`
  return [`with ${blocks} blocks of seconds and ${String(rows)} figures nothing can be significant: run longer`]
}

/** Why a run tells nothing. */
export const unsoundWords = (name: string, { verdict, reasons }: RunResult): string[] =>
  verdict === 'void' || verdict === 'stopped' ? [`${name} is ${verdict} (${reasons.join('; ')})`] : []

export function warningsOf(before: RunResult, after: RunResult): string[] {
  const warnings: string[] = []
  if (before.target.name !== after.target.name)
    warnings.push(`the targets differ: ${before.target.name}, then ${after.target.name}`)
  if (before.plan.scale !== after.plan.scale)
    warnings.push(`the scales differ: ${String(before.plan.scale)}, then ${String(after.plan.scale)}`)
  if (before.plan.load !== after.plan.load) warnings.push('the loads differ')
  return warnings
}

/** Runs that are too short for the memory of the service are told so: their differences count for less. */
function memoryWarning(names: readonly string[], before: RunResult, after: RunResult): string[] {
  const remembering = names.flatMap((step) => {
    const { correlation, factor } = memoryOf([blocksOf(step, before), blocksOf(step, after)])
    return correlation === 0 ? [] : [{ step, factor }]
  })
  const [worst] = remembering.toSorted((one, other) => other.factor - one.factor)
  if (worst === undefined) return []
  const which = remembering.length === 1 ? `of "${worst.step}"` : `of ${String(remembering.length)} steps`
  return [
    `blocks of seconds ${which} depend on those before them: a difference must be up to ${worst.factor.toFixed(1)} times as large to be significant; longer runs tell more`,
  ]
}

interface Compared {
  name: string
  /** Among the steps, for draws of its own. */
  place: number
  before: RunResult
  after: RunResult
  smallest: number
}

type Step = RunResult['steps'][number]
export interface Figure {
  figure: string
  unit: Change['unit']
  /** Of a step as it is in the result; undefined where it has none. */
  of: (step: Step) => number | undefined
  /** Of pooled blocks. */
  read: FigureOf
  percentile?: Percentile
}
type Percentile = '50' | '95' | '99'

const percentileRow = (figure: string, percentile: Percentile): Figure => ({
  figure,
  unit: 'ms',
  of: (step) => step.responseTime?.percentiles[percentile],
  read: percentileFigure(Number(percentile)),
  percentile,
})
export const FIGURES: readonly Figure[] = [
  { figure: 'mean', unit: 'ms', of: (step) => step.responseTime?.mean, read: meanFigure },
  percentileRow('median', '50'),
  percentileRow('p95', '95'),
  percentileRow('p99', '99'),
  {
    figure: 'failed',
    unit: 'share',
    of: (step) => (step.requests === 0 ? undefined : step.failedShare),
    read: failedFigure,
  },
]

function draftOf({ name, place, before, after, smallest }: Compared): StepChange {
  const [one, two] = [before, after].map((run) => run.steps.find((step) => step.name === name))
  if (one === undefined || two === undefined) return { step: name, requests: [0, 0], changes: [] }
  const [first, second] = [blocksOf(name, before), blocksOf(name, after)]
  const reads = FIGURES.map(({ read }) => read)
  const isTested = first.length > 0 && second.length > 0
  const shifts = isTested ? shiftsOf(first, second, reads, smallest, new Draws(1).at(place, 0, 0)) : []
  const changes = FIGURES.flatMap(({ figure, unit, of, percentile }, index): Change[] => {
    const [from, to] = [of(one), of(two)]
    if (from === undefined || to === undefined) return []
    const shift = shifts[index]
    const common = { figure, unit, before: from, after: to, difference: to - from }
    if (shift === undefined) return [{ ...common, interval: null, p: null, outcome: 'not tested' }]
    const isOurs = percentile !== undefined && boundsMeet([one], [two], percentile)
    return [{ ...common, interval: shift.interval, p: isOurs ? 1 : shift.p, outcome: 'no significant change' }]
  })
  return { step: name, requests: [one.requests, two.requests], changes }
}

/** Whether the generator error of either side, on average over its runs, could make up for the whole difference. */
export function boundsMeet(ones: readonly Step[], twos: readonly Step[], percentile: Percentile): boolean {
  const bound = (steps: readonly Step[], which: 'lowerBound' | 'upperBound') =>
    steps.reduce(
      (sum, { responseTime: times }) => sum + (times?.[which]?.[percentile] ?? times?.percentiles[percentile] ?? NaN),
      0,
    ) / steps.length
  return (
    bound(ones, 'lowerBound') <= bound(twos, 'upperBound') && bound(twos, 'lowerBound') <= bound(ones, 'upperBound')
  )
}

/** The blocks of a step over the measured seconds. */
function blocksOf(step: string, run: RunResult): Block[] {
  const blocks = run.blocks?.steps.find(({ name }) => name === step)
  return (blocks?.data ?? []).map((data, index) => ({
    requests: blocks?.requests[index] ?? 0,
    failed: blocks?.failed[index] ?? 0,
    times: decodeHdr(bytesOfBase64(data)),
  }))
}

export function gateChanges(before: RunResult, after: RunResult): GateChange[] {
  return after.gates.flatMap(({ rule, unit, observed }) => {
    const subject = subjectOfRule(rule)
    const same = before.gates.find((other) => other.unit === unit && subjectOfRule(other.rule) === subject)
    return same === undefined ? [] : [{ rule, unit, before: same.observed, after: observed }]
  })
}
