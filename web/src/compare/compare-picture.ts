// Runs side by side: on one time axis by their phases, row by row, and what differed around them.
import {
  comparisonOutcome,
  comparisonWords,
  formatMs,
  formatValue,
  planChanges,
  type Change,
  type Comparison,
  type RunResult,
} from '@jolt-gate/core'
import type { RunDetail } from '@jolt-gate/core/api'

/** More lines in a lane cannot be told apart. */
export const MOST_COMPARED = 5

/** What lies beside the plot of a lane, in pixels: its axis, and room for the last figure of the time axis. */
export const BESIDE_PLOT = { left: 62, right: 20 }

/** A run that is compared: what the server knows of it, and its whole result. */
export interface ComparedRun {
  detail: RunDetail
  result: RunResult
  /** How its line is drawn: by its place, or by its side. */
  line: number
}

type Series = RunResult['series']
type Phase = Pick<RunResult['phases'][number], 'name' | 'fromMs' | 'toMs'>

export interface CompareLane {
  key: string
  title: string
  note: string
  of: (series: Series) => readonly (number | null)[]
  tick: (value: number) => string
}

const perSecond = (value: number) => `${String(Number(value.toPrecision(3)))}/s`
export const COMPARE_LANES: readonly CompareLane[] = [
  { key: 'load', title: 'Load', note: 'arrivals due', of: ({ arrivalsDue }) => arrivalsDue, tick: perSecond },
  { key: 'time', title: 'Response time', note: 'p95', of: ({ p95 }) => p95, tick: (value) => formatMs(value) },
  { key: 'users', title: 'Users', note: 'in flight', of: ({ users }) => users, tick: (value) => String(value) },
  { key: 'failed', title: 'Failures', note: 'failed requests', of: ({ failed }) => failed, tick: perSecond },
]

/**
 * Where a second of a run stands on the time axis of another: phases of one name lie over one another, whatever was
 * before them and however long they are.
 */
export function alignedTo(base: readonly Phase[], own: readonly Phase[]): (second: number) => number {
  const ends = [base.at(-1)?.toMs ?? 0, own.at(-1)?.toMs ?? 0]
  return (second) => {
    const ms = second * 1000
    const phase = own.find(({ fromMs, toMs }) => ms >= fromMs && ms < toMs)
    const same = phase === undefined ? undefined : base.find(({ name }) => name === phase.name)
    // The drain, and phases that the other run has not.
    if (phase === undefined || same === undefined) return (ms + (ends[0] ?? 0) - (ends[1] ?? 0)) / 1000
    const share = (ms - phase.fromMs) / Math.max(1, phase.toMs - phase.fromMs)
    return (same.fromMs + share * (same.toMs - same.fromMs)) / 1000
  }
}

/** Points of one lane of one run, on the time axis of the first run. */
export function pointsOf(lane: CompareLane, run: RunResult, base: RunResult): { x: number; y: number }[] {
  const place = alignedTo(base.phases, run.phases)
  return lane.of(run.series).flatMap((value, second) => (value === null ? [] : [{ x: place(second + 0.5), y: value }]))
}

/** The value of a run nearest to a second of the first run; null where it has none there. */
export function valueAt(lane: CompareLane, run: RunResult, base: RunResult, second: number): number | null {
  let nearest: { y: number; far: number } | null = null
  for (const { x, y } of pointsOf(lane, run, base)) {
    const far = Math.abs(x - second - 0.5)
    if (far <= 1 && (nearest === null || far < nearest.far)) nearest = { y, far }
  }
  return nearest?.y ?? null
}

/** One figure of one step, over all runs. */
export interface CompareRow {
  key: string
  /** Only at its first figure: the others belong to it. */
  step: string
  figure: string
  first: string
  others: { value: string; difference: string; interval: string; outcome: Change['outcome'] | 'not there' }[]
}

const valueOf = ({ unit }: Change, value: number) => (unit === 'ms' ? formatMs(value) : formatValue(100 * value, '%'))
const signed = (change: Change, value: number) => `${value < 0 ? '−' : '+'}${valueOf(change, Math.abs(value))}`

/** Rows of every step that the first run has, against each of the others. */
export function rowsOf(comparisons: readonly Comparison[]): CompareRow[] {
  const steps = new Map<string, Set<string>>()
  for (const { steps: all } of comparisons)
    for (const { step, changes } of all) {
      const figures = steps.get(step) ?? new Set<string>()
      for (const { figure } of changes) figures.add(figure)
      steps.set(step, figures)
    }
  return [...steps].flatMap(([step, figures]) =>
    [...figures].map((figure, index): CompareRow => {
      const found = comparisons.map((comparison) =>
        comparison.steps.find((one) => one.step === step)?.changes.find((one) => one.figure === figure),
      )
      const known = found.find((change) => change !== undefined)
      return {
        key: `${step} ${figure}`,
        step: index === 0 ? step : '',
        figure,
        first: known === undefined ? '–' : valueOf(known, known.before),
        others: found.map((change) =>
          change === undefined
            ? { value: '–', difference: '', interval: '', outcome: 'not there' }
            : {
                value: valueOf(change, change.after),
                difference: signed(change, change.difference),
                interval:
                  change.interval === null
                    ? ''
                    : `${signed(change, change.interval[0])} to ${signed(change, change.interval[1])}`,
                outcome: change.outcome,
              },
        ),
      }
    }),
  )
}

/** One gate over all runs; a gate that only some have is there, too. */
export interface GateRow {
  rule: string
  values: { value: string; status: string }[]
}
export function gateRowsOf(runs: readonly ComparedRun[]): GateRow[] {
  const rules = [...new Set(runs.flatMap(({ result }) => result.gates.map(({ rule }) => rule)))]
  return rules.map((rule) => ({
    rule,
    values: runs.map(({ result }) => {
      const gate = result.gates.find((one) => one.rule === rule)
      return gate === undefined
        ? { value: '–', status: 'not there' }
        : { value: formatValue(gate.observed, gate.unit), status: gate.status }
    }),
  }))
}

/** The gates of two sides, each by its mean. */
export const gateRowsOfSides = ({ gates }: Comparison): GateRow[] =>
  gates.map(({ rule, unit, before, after }) => ({
    rule,
    values: [before, after].map((value) => ({ value: formatValue(value, unit), status: 'mean' })),
  }))

/** "run 31", or "runs 31, 32". */
export const runsWords = (runs: readonly ComparedRun[]): string =>
  `${runs.length === 1 ? 'run' : 'runs'} ${runs.map(({ detail }) => String(detail.number)).join(', ')}`

/** The answer for one side against the other. */
export function answerOfSides(
  before: readonly ComparedRun[],
  after: readonly ComparedRun[],
  comparison: Comparison,
): CompareAnswer[] {
  const [base, run] = [before[0], after[0]]
  if (base === undefined || run === undefined) return []
  return [
    {
      title: `R${runsWords(after).slice(1)} against ${runsWords(before)}`,
      words: comparisonWords(comparison),
      around: [...comparison.warnings, ...aloneIn(comparison), ...aroundOf(base, run)],
      tone: toneOf(comparison),
    },
  ]
}

/** The answer for one of the runs against the first. */
export interface CompareAnswer {
  title: string
  words: string
  /** What differed around the two, in words. */
  around: string[]
  tone: 'worse' | 'cannot tell' | 'calm'
}

export function answersOf(runs: readonly ComparedRun[], comparisons: readonly Comparison[]): CompareAnswer[] {
  const [base, ...others] = runs
  if (base === undefined) return []
  return others.flatMap((run, index): CompareAnswer[] => {
    const comparison = comparisons[index]
    if (comparison === undefined) return []
    return [
      {
        title: `Run ${String(run.detail.number)} against run ${String(base.detail.number)}`,
        words: comparisonWords(comparison),
        around: [...comparison.warnings, ...aloneIn(comparison), ...breachedAfter(base, run), ...aroundOf(base, run)],
        tone: toneOf(comparison),
      },
    ]
  })
}

function toneOf(comparison: Comparison): CompareAnswer['tone'] {
  const outcome = comparisonOutcome(comparison)
  if (outcome === 'worse') return 'worse'
  const isUnclear = comparison.steps.some(({ changes }) => changes.some((change) => change.outcome === 'cannot tell'))
  return outcome === 'not tested' || isUnclear ? 'cannot tell' : 'calm'
}

/** Gates that the first run held and this one breaches: a fact of both runs, whatever the test makes of them. */
function breachedAfter(base: ComparedRun, run: ComparedRun): string[] {
  const rules = run.result.gates.flatMap(({ rule, status }) =>
    status === 'breached' && base.result.gates.some((one) => one.rule === rule && one.status === 'held') ? [rule] : [],
  )
  return rules.length === 0 ? [] : [`gates breached now and held before: ${rules.join('; ')}`]
}

/** Steps that are on one side alone. */
const aloneIn = ({ onlyBefore, onlyAfter }: Comparison): string[] => [
  ...(onlyBefore.length === 0 ? [] : [`steps missing after: ${onlyBefore.join(', ')}`]),
  ...(onlyAfter.length === 0 ? [] : [`steps new after: ${onlyAfter.join(', ')}`]),
]

/** What differed around two runs: the plan in its own words, then where and by whom they were made. */
export function aroundOf(base: ComparedRun, run: ComparedRun): string[] {
  const plan = planChanges(base.detail.plan, run.detail.plan).map(({ words }) => `plan: ${words}`)
  const pairs: [string, string, string][] = [
    ['commit', base.detail.commit?.slice(0, 7) ?? 'none', run.detail.commit?.slice(0, 7) ?? 'none'],
    ['branch', base.detail.branch ?? 'none', run.detail.branch ?? 'none'],
    ['origin', base.result.target.origin, run.result.target.origin],
    ['impact', base.result.impact?.grade ?? 'unknown', run.result.impact?.grade ?? 'unknown'],
    ['labels', labelsOf(base.result), labelsOf(run.result)],
    ['tool', base.result.tool, run.result.tool],
  ]
  return [
    ...plan,
    ...pairs.flatMap(([what, before, after]) => (before === after ? [] : [`${what}: ${before}, then ${after}`])),
  ]
}

const labelsOf = ({ labels }: RunResult): string => {
  const words = Object.entries(labels ?? {}).map(([name, value]) => `${name}=${value}`)
  return words.length === 0 ? 'none' : words.join(' ')
}
