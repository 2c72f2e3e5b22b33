// A run that another is held against, and whether it may be.
import { freedomOfDifferences, reachOfOneMore, spreadOfMedian } from '../numbers/repeats.js'
import type { Gate } from '../plan/model.js'
import type { Bounds, GateResult } from './gate-result.js'
import { subjectOf, subjectOfRule, unitOf } from './subject.js'
import { verdictWords, type Verdict } from './verdict-words.js'

/** The run that gates were held against: of several, the latest. */
export interface BaselineIdentity {
  id: string
  commit: string | null
  startedAt: string
}

/** The same with all the runs that it is made of. */
export interface BaselineMadeOf extends BaselineIdentity {
  runs?: string[] | undefined
  pinned?: string | undefined
}

type ObservedGate = Pick<GateResult, 'rule' | 'unit' | 'observed'> &
  Bounds & { status?: GateResult['status'] | undefined }

/** What of a result a baseline needs. */
export interface BaselineRun extends BaselineIdentity {
  verdict: Verdict
  reasons?: readonly string[] | undefined
  target: { name: string; origin: string }
  scale: number
  load: string
  gates: ObservedGate[]
  /** Made so many times, its gates being medians; once unless told. */
  repeats?: number | undefined
  /** A person named it: it counts for a gate that was breached in it, too, since a new level may be accepted so. */
  isChosen?: boolean | undefined
}

/** The latest run that fits, with those before it: what runs of equal code differ by is known from several. */
export interface Baseline extends BaselineRun {
  /** The latest first. */
  earlier?: BaselineRun[] | undefined
  /** One that a person keeps, judged by beside the latest: small steps must not add up unseen. */
  pinned?: BaselineRun | undefined
  /** The run that is held to it is made so many times: a median of several varies less. */
  repeatsHeld?: number | undefined
}

/** So many runs make a baseline, at most. */
export const MOST_BASELINE_RUNS = 10

/** A baseline from a result, as it was made or as it was read from its file. */
export function baselineFrom(result: {
  id: string
  verdict: Verdict
  reasons?: readonly string[] | undefined
  startedAt: string
  target: BaselineRun['target']
  plan: { commit: string | null; scale: number; load: string }
  gates: readonly ObservedGate[]
  repeats?: readonly unknown[] | undefined
}): BaselineRun {
  const { id, verdict, reasons, startedAt, target, plan, gates } = result
  const repeats = result.repeats === undefined ? {} : { repeats: result.repeats.length }
  const { commit, scale, load } = plan
  return { id, verdict, reasons, commit, startedAt, target, scale, load, gates: [...gates], ...repeats }
}

/**
 * One baseline of several runs.
 *
 * @param runs - that fit, the latest first
 * @param pinned - which a person keeps
 * @returns undefined where there is none
 */
export function baselineOf(runs: readonly BaselineRun[], pinned?: BaselineRun): Baseline | undefined {
  const [latest, ...earlier] = runs.filter(({ id }) => id !== pinned?.id).slice(0, MOST_BASELINE_RUNS)
  const beside = pinned === undefined ? {} : { pinned: { ...pinned, isChosen: true } }
  if (latest === undefined) return pinned === undefined ? undefined : { ...pinned, ...beside }
  return { ...latest, ...(earlier.length === 0 ? {} : { earlier }), ...beside }
}

/** The runs of a baseline: the latest, those before it, and the one that is pinned. */
export const runsOfBaseline = ({ earlier = [], pinned, id }: Baseline): string[] => [
  ...new Set([id, ...earlier.map((run) => run.id), ...(pinned === undefined ? [] : [pinned.id])]),
]

/** A strict run that nothing but the want of a baseline made void is one for those to come. */
const LACKED_BASELINE = /^strict: \d+ gates? not judged: no baseline$/

/**
 * Why a run is no baseline for another: inconclusive, or of another target, scale or load; undefined if it is one.
 *
 * @param run - the one that is to be held to it
 */
export function baselineFault(
  baseline: BaselineRun,
  run: { target: { name: string }; plan: { scale: number; load: string } },
): string | undefined {
  const { verdict, reasons = [] } = baseline
  const lackedOne = verdict === 'void' && reasons.length > 0 && reasons.every((reason) => LACKED_BASELINE.test(reason))
  if ((verdict === 'void' && !lackedOne) || verdict === 'stopped')
    return `its verdict is ${verdictWords(verdict)}: what it measured is not to be relied on`
  if (baseline.target.name !== run.target.name)
    return `it ran against ${baseline.target.name}, and this run is against ${run.target.name}`
  if (baseline.scale !== run.plan.scale)
    return `it ran at scale ${String(baseline.scale)}, and this run is at ${String(run.plan.scale)}`
  return baseline.load === run.plan.load ? undefined : 'its load differs'
}

/** What a baseline observed on average, in the gate's unit, and between what the generator may have moved it. */
export interface BaselineValue {
  observed: number
  lowerBound: number
  upperBound: number
  /** Of how many runs. */
  runs: number
  /** Between these a run of equal code may be, each end by itself in 95 of 100. */
  lowest: number
  highest: number
  /** The same of the run that a person keeps. */
  pinned?: BaselineValue
}

/**
 * What the gate that measures the same observed in the runs of a baseline; null when none has it, or it was breached in
 * all.
 *
 * @returns the mean and its bounds, in the unit of the gate
 */
export function baselineValue(baseline: Baseline, gate: Gate): BaselineValue | null {
  const latest = [baseline, ...(baseline.earlier ?? [])].flatMap((run) => observedIn(run, gate))
  const kept = baseline.pinned === undefined ? [] : observedIn(baseline.pinned, gate)
  const spread = spreadOf(latest.length === 0 ? kept : latest)
  const held = baseline.repeatsHeld ?? 1
  const own = latest.length === 0 ? null : meanOf(latest, spread, held)
  const pinned = kept.length === 0 ? null : meanOf(kept, spread, held)
  if (own === null || pinned === null) return own ?? pinned
  return { ...own, pinned }
}

function observedIn(run: BaselineRun, gate: Gate): Observed[] {
  const wanted = subjectOf(gate)
  const same = run.gates.find((other) => other.unit === unitOf(gate) && subjectOfRule(other.rule) === wanted)
  if (same === undefined || same.observed === null) return []
  // What was too slow then is no measure of what comes after, unless somebody says so.
  if (same.status === 'breached' && run.isChosen !== true) return []
  const { observed } = same
  const bounds = { lowerBound: same.lowerBound ?? observed, upperBound: same.upperBound ?? observed }
  return [{ observed, ...bounds, repeats: run.repeats ?? 1 }]
}
interface Observed extends Pick<BaselineValue, 'observed' | 'lowerBound' | 'upperBound'> {
  repeats: number
}

/** Under so many runs their spread is not known: it is assumed. */
export const LEAST_SPREAD_RUNS = 4
export const ASSUMED_SPREAD = 0.1

/** How far single runs of equal code differ: by factors, or, where a figure may be nothing, by differences. */
interface Spread {
  kind: 'factors' | 'differences'
  deviation: number
  freedom: number
}

/**
 * By successive differences, in which a figure that creeps does not hide.
 *
 * Source: J. von Neumann and others, "The mean square successive difference", 1941, whose variance gives the degrees of
 * freedom.
 */
function spreadOf(runs: readonly Observed[]): Spread {
  const count = runs.length
  const observed = runs.map((run) => run.observed)
  const kind = observed.every((value) => value > 0) ? 'factors' : 'differences'
  if (count < LEAST_SPREAD_RUNS) {
    const mean = observed.reduce((sum, value) => sum + value, 0) / Math.max(1, count)
    return { kind, deviation: kind === 'factors' ? ASSUMED_SPREAD : ASSUMED_SPREAD * Math.abs(mean), freedom: Infinity }
  }
  const values = kind === 'factors' ? observed.map(Math.log) : observed
  const squares = values.reduce(
    (sum, value, index) => sum + (index === 0 ? 0 : (value - (values[index - 1] ?? 0)) ** 2),
    0,
  )
  // Medians of several runs differ less than single runs do.
  const ofMedians = spreadOfMedian(Math.max(...runs.map(({ repeats }) => repeats)))
  const deviation = Math.sqrt(squares / (2 * (count - 1))) / ofMedians
  return { kind, deviation, freedom: freedomOfDifferences(count) }
}

function meanOf(runs: readonly Observed[], { kind, deviation, freedom }: Spread, held: number): BaselineValue {
  const mean = (value: (run: Observed) => number) => runs.reduce((sum, run) => sum + value(run), 0) / runs.length
  const observed = mean((run) => run.observed)
  const meanVariance = mean(({ repeats }) => spreadOfMedian(repeats) ** 2) / runs.length
  const reach = deviation * reachOfOneMore(freedom, held, meanVariance)
  return {
    observed,
    lowerBound: mean(({ lowerBound }) => lowerBound),
    upperBound: mean(({ upperBound }) => upperBound),
    runs: runs.length,
    lowest: kind === 'factors' ? observed * Math.exp(-reach) : observed - reach,
    highest: kind === 'factors' ? observed * Math.exp(reach) : observed + reach,
  }
}
