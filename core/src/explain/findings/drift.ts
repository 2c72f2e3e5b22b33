// Figures that rise all through a steady load: a leak, a table that grows, a cache that fills.
import { medianOf, trendOf } from '../../numbers/trends.js'
import { longestSteady, type Evidence, type EvidenceSecond, type SecondsOfStep, type Steady } from '../evidence.js'
import { figure, numberWords, SURE, timeWords, type Finding } from '../finding.js'

/** In less a machine that is busy with something else looks the same. */
const LEAST_SECONDS = 60
const MOST_WINDOWS = 120
const LEAST_WINDOWS = 12
/** At few requests a second one second tells little. */
const LEAST_WINDOW_SECONDS = 5
/** Change over the phase, as a part of where it began: of times, which noise moves more, and of metrics. */
const LEAST_CHANGE = { times: 0.3, metric: 0.2 }
const LEAST_MS = 2

/** What may drift: what is usual, or only the slowest. */
const FIGURES: { words: string; of: (second: EvidenceSecond) => number }[] = [
  { words: 'median', of: ({ medianMs }) => medianMs },
  { words: '95th percentile', of: ({ p95Ms }) => p95Ms },
]

/** Drift: a trend over a steady phase, of response times or of a metric. Method: `trendOf`, on windows of seconds. */
export function drift(evidence: Evidence, bySteps: readonly SecondsOfStep[]): Finding[] {
  // The longest steady phase tells most, and one answer is enough.
  const longest = longestSteady(evidence)
  if (longest === undefined || longest.toSecond - longest.fromSecond < LEAST_SECONDS) return []
  return [...timesDrift(bySteps, longest), ...evidence.metrics.flatMap((metric) => metricDrift(metric, longest))]
}

function timesDrift(bySteps: readonly SecondsOfStep[], steady: Steady): Finding[] {
  const drifting = bySteps.flatMap(({ step, seconds }) => {
    const part = seconds.slice(steady.fromSecond, steady.toSecond)
    const [found] = FIGURES.flatMap(({ words, of }) => {
      const values = mediansOf(part.map((second) => (second.count === 0 ? null : of(second))))
      const rise = rising(values, LEAST_CHANGE.times)
      // Bonferroni: each figure of each step is a chance of a false alarm.
      const isChance = rise === undefined || rise.p * bySteps.length * FIGURES.length > SURE
      return isChance || rise.end - rise.begin < LEAST_MS ? [] : [{ words, ...rise }]
    })
    return found === undefined ? [] : [{ name: step.name, ...found }]
  })
  const [worst] = drifting.toSorted((one, other) => other.end / other.begin - one.end / one.begin)
  if (worst === undefined) return []
  const { name, words, begin, end, p } = worst
  const perMinute = ((end - begin) * 60) / (steady.toSecond - steady.fromSecond)
  return [
    {
      ...framed(steady, p),
      severity: 'warning',
      steps: drifting.map((one) => one.name),
      evidence: {
        step: name,
        ...(words === 'median'
          ? { medianAtFirstMs: figure(begin), medianAtLastMs: figure(end) }
          : { p95AtFirstMs: figure(begin), p95AtLastMs: figure(end) }),
        perMinuteMs: figure(perMinute),
      },
      text: `Response times drift upwards during ${steady.phase}, at a load that stays the same: the ${words} of "${name}" rises from ${timeWords(begin)} to ${timeWords(end)}, by ${timeWords(perMinute)} a minute.`,
      tryNext: [
        'Run it longer (profile soak): does it go on, or level out?',
        'Look for what grows with each request: rows, sessions, lists, caches without a bound.',
      ],
    },
  ]
}

function metricDrift({ name, ceiling, values }: Evidence['metrics'][number], steady: Steady): Finding[] {
  const part = values.slice(steady.fromSecond, steady.toSecond)
  if (part.filter((value) => value !== null).length < LEAST_SECONDS) return []
  const found = rising(mediansOf(part), LEAST_CHANGE.metric)
  if (found === undefined) return []
  const perHour = ((found.end - found.begin) * 3600) / part.length
  const hours = ceiling === null || perHour <= 0 ? undefined : Math.max(0, (ceiling - found.end) / perHour)
  const untilWords =
    hours === undefined
      ? ''
      : `; at that slope it reaches its ceiling of ${numberWords(ceiling ?? 0)} in ${hoursWords(hours)}`
  return [
    {
      ...framed(steady, found.p),
      severity: hours !== undefined && hours < 24 ? 'warning' : 'info',
      evidence: {
        metric: name,
        atFirst: figure(found.begin),
        atLast: figure(found.end),
        perHour: figure(perHour),
        ...(hours === undefined ? {} : { hoursToCeiling: figure(hours) }),
      },
      text: `"${name}" rises all through ${steady.phase}, at a load that stays the same: from ${numberWords(found.begin)} to ${numberWords(found.end)}${untilWords}.`,
      tryNext: [
        'Run it longer (profile soak): a cache levels out, a leak does not.',
        `See what "${name}" counts, and what should free it.`,
      ],
    },
  ]
}

/** The medians of windows of seconds, of which at most MOST_WINDOWS are left; null where a second has no value. */
function mediansOf(seconds: readonly (number | null)[]): number[] {
  const size = Math.max(LEAST_WINDOW_SECONDS, Math.ceil(seconds.length / MOST_WINDOWS))
  return Array.from({ length: Math.floor(seconds.length / size) }, (_, index) =>
    seconds.slice(index * size, (index + 1) * size).flatMap((value) => value ?? []),
  ).flatMap((values) => (values.length === 0 ? [] : [medianOf(values)]))
}

const framed = ({ phase, fromSecond, toSecond }: Steady, p: number) => ({
  kind: 'drift' as const,
  confidence: figure(1 - p),
  phases: [phase],
  steps: [],
  fromMs: fromSecond * 1000,
  toMs: toSecond * 1000,
})

/** A rise that is sure, large enough, and there in both halves: a step, or one that has levelled out, is none. */
function rising(values: readonly number[], leastChange: number): { begin: number; end: number; p: number } | undefined {
  if (values.length < LEAST_WINDOWS) return undefined
  const { p, slope } = trendOf(values)
  if (p > SURE || slope <= 0) return undefined
  const middle = Math.floor(values.length / 2)
  const halves = [values.slice(0, middle), values.slice(middle)].map((half) => trendOf(half))
  if (halves.some((half) => half.slope < slope / 4)) return undefined
  const centre = medianOf(values)
  const [begin, end] = [centre - (slope * (values.length - 1)) / 2, centre + (slope * (values.length - 1)) / 2]
  return end - begin < leastChange * Math.abs(begin) ? undefined : { begin, end, p }
}

const hoursWords = (hours: number): string =>
  hours < 1
    ? `${numberWords(hours * 60)} minutes`
    : hours < 48
      ? `${numberWords(hours)} hours`
      : `${numberWords(hours / 24)} days`
