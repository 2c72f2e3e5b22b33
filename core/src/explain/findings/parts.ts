// A place from which the same service is slower, or fails more, than from all others in the same seconds; and a network
// over which it fails more.
import { pool } from '../../measure/cells.js'
import type { Distribution } from '../../numbers/distribution.js'
import { sum } from '../../judge/scope.js'
import type { PartView, RunView } from '../../view/run-view.js'
import { figure, shareWords, SURE, timeWords, type Finding } from '../finding.js'

/** A run is compared in so many stretches, none shorter than that. */
const STRETCHES = 20
const LEAST_STRETCH_SECONDS = 2
/** Fewer stretches cannot be that sure. */
const LEAST_STRETCHES = 10
const LEAST_REQUESTS = 10
const FLIPS = 1999
/** Less is not worth a word. */
const [SLOWER, SLOWER_MS] = [1.25, 5]
const [MORE_FAILED, MORE_FAILED_SHARE] = [2, 0.01]
/** Times and failures are looked at, of one place and of the others. */
const SURE_EACH = SURE / 2
/** A step tells by so many requests; an even way is as long for each step, to within a share or some ms. */
const OF_STEP = 30
const [EVEN_SHARE, EVEN_MS] = [0.3, 3]

interface Half {
  requests: number
  failed: number
  times: Distribution
}
interface Stretch {
  here: Half
  elsewhere: Half
}

/**
 * Compares each place with all others, stretch by stretch: what troubles the service as a whole troubles both at
 * once, and falls out of the difference. How likely so large a mean difference is by chance is told by flipping signs
 * at random.
 *
 * Source: P. I. Good, Permutation Tests, Springer 1994, on paired differences.
 */
export function placesAsCauses(view: RunView, random: () => number): Finding[] {
  if (view.places.length < 2) return []
  return view.places.flatMap((place) => {
    const stretches = stretchesOf(view, view.places, place)
    if (stretches.length < LEAST_STRETCHES) return []
    return [slowerFrom(view, place, stretches, random), moreFailedFrom(view, place, stretches, random)].filter(
      (found) => found !== undefined,
    )
  })
}

/** Compares the users of each network with all others. That one is slower says nothing: it is meant to be. */
export function networksAsCauses(view: RunView, random: () => number): Finding[] {
  if (view.networks.length < 2) return []
  return view.networks.flatMap((network) => {
    const stretches = stretchesOf(view, view.networks, network)
    if (stretches.length < LEAST_STRETCHES) return []
    const more = moreFailed(stretches, random)
    if (more === undefined) return []
    const { here, elsewhere, p } = more
    return {
      ...common(view, p),
      kind: 'one network' as const,
      severity: 'warning' as const,
      steps: [],
      evidence: { network: network.name, failedShareThere: figure(here), failedShareElsewhere: figure(elsewhere) },
      text: `Over "${network.name}" ${shareWords(here)} of the requests failed, and ${shareWords(elsewhere)} over the others in the same seconds.`,
      tryNext: [
        'Compare the kinds of failure: time-outs mean that what is sent is too much for such a link, or the limit too short.',
        'Look at what the service does with slow readers: a limit on how long a request or an answer may take.',
      ],
    }
  })
}

function slowerFrom(
  view: RunView,
  { name: place, view: own }: PartView,
  stretches: readonly Stretch[],
  random: () => number,
): Finding | undefined {
  const timed = stretches.filter(({ here, elsewhere }) => Math.min(here.times.count, elsewhere.times.count) > 0)
  const hereMs = medianMs(timed.map(({ here }) => here.times))
  const elsewhereMs = medianMs(timed.map(({ elsewhere }) => elsewhere.times))
  if (hereMs < SLOWER * elsewhereMs || hereMs < elsewhereMs + SLOWER_MS) return undefined
  const apart = timed.map(({ here, elsewhere }) => Math.log(medianMs([here.times]) / medianMs([elsewhere.times])))
  const p = chanceOf(apart, random)
  if (p > SURE_EACH) return undefined
  const where = whereSlower(view, own)
  return {
    ...common(view, p),
    severity: 'info',
    steps: where.step === undefined ? [] : [where.step],
    evidence: { place, medianMs: figure(hereMs), medianElsewhereMs: figure(elsewhereMs) },
    text: `From "${place}" the median is ${timeWords(hereMs)}, and ${timeWords(elsewhereMs)} from elsewhere in the same seconds${where.words}.`,
    tryNext: [
      where.isEven
        ? 'A longer way costs each request as much: fewer requests one after another, or an instance nearer to there.'
        : 'Look for what differs for requests from there: another instance, a cache that is cold there, a rule of a proxy.',
      `Give it a limit of its own: p95 response time from place "${place}" at most …`,
    ],
  }
}

function moreFailedFrom(
  view: RunView,
  { name: place }: PartView,
  stretches: readonly Stretch[],
  random: () => number,
): Finding | undefined {
  const more = moreFailed(stretches, random)
  if (more === undefined) return undefined
  const { here, elsewhere, p } = more
  return {
    ...common(view, p),
    severity: 'warning',
    steps: [],
    evidence: { place, failedShareThere: figure(here), failedShareElsewhere: figure(elsewhere) },
    text: `From "${place}" ${shareWords(here)} of the requests failed, and ${shareWords(elsewhere)} from elsewhere in the same seconds.`,
    tryNext: [
      'Look at what stands between that place and the service: a proxy, a rule, an instance that only it reaches.',
      'Compare the kinds of failure in the run with those of the other places.',
    ],
  }
}

/** The shares that failed in a part and in the others, where they differ beyond chance. */
function moreFailed(
  stretches: readonly Stretch[],
  random: () => number,
): { here: number; elsewhere: number; p: number } | undefined {
  const shareOf = (halves: readonly Half[]) =>
    sum(halves, ({ failed }) => failed) /
    Math.max(
      1,
      sum(halves, ({ requests }) => requests),
    )
  const here = shareOf(stretches.map((one) => one.here))
  const elsewhere = shareOf(stretches.map((one) => one.elsewhere))
  if (here < MORE_FAILED * elsewhere || here < elsewhere + MORE_FAILED_SHARE) return undefined
  const p = chanceOf(
    stretches.map((one) => shareOf([one.here]) - shareOf([one.elsewhere])),
    random,
  )
  return p > SURE_EACH ? undefined : { here, elsewhere, p }
}

function common({ shape, seconds }: RunView, p: number) {
  return {
    kind: 'one place' as const,
    confidence: figure(1 - p),
    phases: shape.phases.filter(({ measured }) => measured).map(({ name }) => name),
    ...{ fromMs: 0, toMs: seconds * 1000 },
  }
}

/** Stretches in which both have sent enough. */
function stretchesOf(view: RunView, parts: readonly PartView[], { view: own }: PartView): Stretch[] {
  const length = Math.max(LEAST_STRETCH_SECONDS, Math.ceil(view.seconds / STRETCHES))
  const halves = (isHere: boolean) =>
    parts
      .filter((one) => (one.view === own) === isHere)
      .flatMap((one) => one.view.buckets.map((bucket) => ({ second: bucket.second, cells: measuredIn(view, bucket) })))
  const [here, elsewhere] = [halves(true), halves(false)]
  return Array.from({ length: Math.ceil(view.seconds / length) }, (_, stretch): Stretch => {
    const of = (all: typeof here): Half => {
      const cells = all.flatMap((one) => (Math.floor(one.second / length) === stretch ? one.cells : []))
      return {
        requests: sum(cells, (cell) => cell.requests),
        failed: sum(cells, (cell) => cell.failed),
        times: pool(cells.map((cell) => cell.responseTime)),
      }
    }
    return { here: of(here), elsewhere: of(elsewhere) }
  }).filter((one) => Math.min(one.here.requests, one.elsewhere.requests) >= LEAST_REQUESTS)
}

type Seconds = RunView['buckets'][number]
const measuredIn = ({ shape }: RunView, { steps }: Seconds) =>
  steps.filter((cell) => shape.phases[cell.phase]?.measured === true)

/** Whether it is slower by as much in each step, or in one above all. */
function whereSlower(view: RunView, own: RunView): { words: string; step?: string; isEven: boolean } {
  const timesOf = (step: number, isHere: boolean) =>
    pool(
      view.places
        .filter((one) => (one.view === own) === isHere)
        .flatMap((one) => one.view.buckets.flatMap((bucket) => measuredIn(view, bucket)))
        .flatMap((cell) => (cell.step === step ? [cell.responseTime] : [])),
    )
  const apart = view.shape.steps
    .flatMap(({ name }, step) => {
      const [here, elsewhere] = [timesOf(step, true), timesOf(step, false)]
      if (Math.min(here.count, elsewhere.count) < OF_STEP) return []
      return [{ name, ms: medianMs([here]) - medianMs([elsewhere]) }]
    })
    .toSorted((one, other) => other.ms - one.ms)
  const [most, second] = apart
  const least = apart.at(-1)
  if (most === undefined || second === undefined || least === undefined) return { words: '', isEven: false }
  const isEven = most.ms - least.ms <= Math.max(EVEN_MS, EVEN_SHARE * most.ms)
  if (isEven) return { words: `, by ${timeWords(least.ms)} to ${timeWords(most.ms)} in each step`, isEven }
  if (most.ms < 2 * Math.max(second.ms, EVEN_MS)) return { words: '', isEven }
  return { words: `, above all in "${most.name}" (by ${timeWords(most.ms)})`, step: most.name, isEven }
}

const medianMs = (times: readonly Distribution[]): number => {
  const all = pool(times)
  return Math.max(1, all.count === 0 ? 0 : all.percentile(50)) / 1000
}

/** The chance of a mean difference as large, were each as likely to be the other way round. */
function chanceOf(differences: readonly number[], random: () => number): number {
  const total = Math.abs(sum(differences, (one) => one))
  let asLarge = 1
  for (let flip = 0; flip < FLIPS; flip++)
    if (Math.abs(sum(differences, (one) => (random() < 0.5 ? one : -one))) >= total) asLarge++
  return asLarge / (FLIPS + 1)
}
