// A step whose times fall into two groups, and what may tell them apart.
import { dipOf } from '../../numbers/dip.js'
import { pool } from '../../measure/cells.js'
import type { Distribution } from '../../numbers/distribution.js'
import { Draws } from '../../values/random.js'
import { longestSteady, type Evidence, type EvidenceStep, type Steady } from '../evidence.js'
import { figure, shareWords, SURE, timeWords, type Finding } from '../finding.js'
import { tellingTrait } from './traits.js'

/** Values that the test is made on: the times at evenly spaced ranks. */
const SAMPLES = [1000, 200] as const
const UNIFORMS = 499
const SEED = 1985
const LEAST_REQUESTS = 200
/** The smaller group, and how far the groups lie apart. */
const LEAST_SHARE = 0.1
const LEAST_RATIO = 2
const LEAST_MS = 2
/** As many lie in between, at most, as a part of those as near to the middle of either group. */
const MOST_BETWEEN = 2 / 3
const BETWEEN = [0.3, 0.4, 0.5, 0.6, 0.7]

/**
 * Two populations: the dip test on the logarithms of a step's times, over one steady phase.
 *
 * The chance of as large a dip is that among samples of the uniform law, the one with a single mode that dips most
 * (Hartigan and Hartigan 1985).
 */
export function twoPopulations(evidence: Evidence): Finding[] {
  const { steps, shape } = evidence
  const draws = new Draws(SEED).at(0, 0, 0)
  const longest = longestSteady(evidence)
  if (longest === undefined) return []
  return steps.flatMap((step): Finding[] => {
    // Two groups in a phase are two in the run: most steps are done with at once.
    if (step.times.count < LEAST_REQUESTS || parted(sampleOf(step.times)) === undefined) return []
    const bySecond = step.bySecond()
    const times = pool(within(bySecond, longest))
    if (times.count < LEAST_REQUESTS) return []
    const values = sampleOf(times)
    const groups = parted(values)
    if (groups === undefined) return []
    const dip = dipOf(values)
    const p = (dipsOfUniforms(values.length).filter((other) => other >= dip).length + 1) / (UNIFORMS + 1)
    if (p > SURE || !isThroughout(bySecond, longest, groups)) return []
    const { splitMs, lowMs, highMs, share } = groups
    const drawn = step.drawn().filter(({ second }) => second >= longest.fromSecond && second < longest.toSecond)
    const trait = tellingTrait(drawn, splitMs, () => draws.next())
    return [
      {
        kind: 'two groups of times',
        severity: 'info',
        confidence: figure(1 - p),
        phases: shape.phases.map(({ name }) => name).filter((name) => name === longest.phase),
        steps: [step.name],
        fromMs: longest.fromSecond * 1000,
        toMs: longest.toSecond * 1000,
        evidence: {
          fasterMs: figure(lowMs),
          slowerMs: figure(highMs),
          splitAtMs: figure(splitMs),
          slowerShare: figure(share),
          dip: figure(dip),
          ...(trait === undefined ? {} : { toldApartBy: trait.kind, rightly: figure(trait.right) }),
        },
        text: `The times of "${step.name}" fall into two groups: about ${timeWords(lowMs)} and about ${timeWords(highMs)} (${shareWords(share)} of them), with few in between${trait === undefined ? '' : `; the slower ones ${trait.words}`}.`,
        tryNext: [
          'Look for what differs: a cache that answers some, rows of data that take another way, one of several instances.',
          'Give the two ways names of their own (two steps), and a gate each.',
        ],
      },
    ]
  })
}

type BySecond = ReturnType<EvidenceStep['bySecond']>

const uniformDips = new Map<number, readonly number[]>()
/** The dips of samples of the uniform law; they are the same for every run, and take a third of a second. */
function dipsOfUniforms(length: number): readonly number[] {
  const known = uniformDips.get(length)
  if (known !== undefined) return known
  const draws = new Draws(SEED).at(0, 0, 0)
  const dips = Array.from({ length: UNIFORMS }, () => dipOf(Array.from({ length }, () => draws.next())))
  uniformDips.set(length, dips)
  return dips
}

function* within(bySecond: BySecond, { fromSecond, toSecond }: Steady): Generator<Distribution> {
  for (const [second, times] of bySecond) if (second >= fromSecond && second < toSecond) yield times
}

/** Logarithms of the times at evenly spaced ranks. */
function sampleOf(times: Distribution): number[] {
  const length = SAMPLES.find((size) => times.count >= size) ?? LEAST_REQUESTS
  return Array.from({ length }, (_, index) => {
    const rank = Math.max(1, Math.ceil(((index + 0.5) / length) * times.count))
    return Math.log(Math.max(1, times.valueAtRank(rank)))
  })
}

interface Groups {
  splitMs: number
  lowMs: number
  highMs: number
  /** Of the slower group. */
  share: number
}

/** The best parting in two: the least spread within the groups (N. Otsu, 1979). */
function parted(sorted: readonly number[]): Groups | undefined {
  const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
  let best = { at: 0, between: -1 }
  for (let at = Math.ceil(LEAST_SHARE * sorted.length); at <= (1 - LEAST_SHARE) * sorted.length; at++) {
    const between = at * (sorted.length - at) * (mean(sorted.slice(at)) - mean(sorted.slice(0, at))) ** 2
    if (between > best.between) best = { at, between }
  }
  const msOf = (log: number) => Math.exp(log) / 1000
  const [low, high] = [sorted.slice(0, best.at), sorted.slice(best.at)]
  const middle = (values: readonly number[]) => msOf(values[Math.floor(values.length / 2)] ?? 0)
  const [lowMs, highMs] = [middle(low), middle(high)]
  if (highMs < LEAST_RATIO * lowMs || highMs < lowMs + LEAST_MS) return undefined
  const split = ((low.at(-1) ?? 0) + (high[0] ?? 0)) / 2
  if (!isParted(sorted, Math.log(1000 * lowMs), Math.log(1000 * highMs))) return undefined
  return { splitMs: msOf(split), lowMs, highMs, share: high.length / sorted.length }
}

/** Few lie in between: the waits of one queue have several heaps too, but run into one another. */
function isParted(sorted: readonly number[], low: number, high: number): boolean {
  const reach = (high - low) / 8
  const near = (part: number) => sorted.filter((value) => Math.abs(value - low - part * (high - low)) <= reach).length
  const fewest = Math.min(...BETWEEN.map(near))
  return fewest <= MOST_BETWEEN * Math.min(near(0), near(1))
}

/** Both groups are there all along: a slow minute is no population. */
function isThroughout(bySecond: BySecond, steady: Steady, { splitMs, share }: Groups): boolean {
  const parts = 6
  const length = (steady.toSecond - steady.fromSecond) / parts
  return Array.from({ length: parts }, (_, part) => {
    const fromSecond = Math.floor(steady.fromSecond + part * length)
    const times = pool(within(bySecond, { ...steady, fromSecond, toSecond: Math.floor(fromSecond + length) }))
    const slower = times.count === 0 ? share : 1 - times.countUpTo(splitMs * 1000) / times.count
    return slower > share / 3 && 1 - slower > (1 - share) / 3
  }).every(Boolean)
}
