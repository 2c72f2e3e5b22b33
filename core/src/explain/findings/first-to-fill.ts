// The resource that was full first, and how long before response times broke away.
import { changePointOf } from '../../numbers/trends.js'
import { phasesWithin, type Evidence } from '../evidence.js'
import { figure, momentWords, numberWords, SURE, timeWords, type Finding } from '../finding.js'

const FULL = 0.95
/** Readings in a row that are full: one alone is a moment's peak. */
const IN_A_ROW = 3

/** First to fill: of all metrics with a ceiling, the one that reached it first. */
export function firstToFill({ metrics, seconds, shape }: Evidence): Finding[] {
  const filled = metrics.flatMap(({ name, ceiling, values }) => {
    if (ceiling === null || ceiling <= 0) return []
    const second = values.findIndex((_, at) =>
      Array.from({ length: IN_A_ROW }, (_, next) => values[at + next] ?? null).every(
        (value) => value !== null && value >= FULL * ceiling,
      ),
    )
    return second < 0 || second >= seconds.length ? [] : [{ name, ceiling, second, value: values[second] ?? ceiling }]
  })
  const [first] = filled.toSorted((one, other) => one.second - other.second)
  if (first === undefined) return []
  const rose = breakAway(seconds)
  const atMs = first.second * 1000
  const relation =
    rose === undefined
      ? ''
      : rose.atMs >= atMs
        ? `, ${timeWords(rose.atMs - atMs)} before response times broke away (median ${timeWords(rose.before)} to ${timeWords(rose.after)} at ${momentWords(rose.atMs)})`
        : `, ${timeWords(atMs - rose.atMs)} after response times had broken away`
  const others = filled.filter(({ name }) => name !== first.name).map(({ name }) => name)
  return [
    {
      kind: 'first to fill',
      severity: rose === undefined ? 'info' : 'warning',
      confidence: rose === undefined ? 0.9 : figure(1 - rose.p),
      phases: phasesWithin(shape, first.second, first.second + 1),
      steps: [],
      fromMs: atMs,
      toMs: seconds.length * 1000,
      evidence: {
        metric: first.name,
        ceiling: first.ceiling,
        value: figure(first.value),
        arrivalsPerSecond: figure(seconds[first.second]?.due ?? 0),
        ...(rose === undefined ? {} : { responseTimesBreakAwayAtMs: rose.atMs }),
      },
      text: `"${first.name}" reached its ceiling of ${numberWords(first.ceiling)} at ${momentWords(atMs)}, first of the metrics${others.length === 0 ? '' : ` (then ${others.map((name) => `"${name}"`).join(', ')})`}${relation}.`,
      tryNext: [
        `Give "${first.name}" more room, and see whether the limit moves with it.`,
        'If it does not, something behind it is slow: look at what holds it for long.',
      ],
    },
  ]
}

/** Where the medians of the seconds change their level upwards, and stay there; Pettitt's test. */
function breakAway(seconds: Evidence['seconds']) {
  const known = seconds.filter(({ count }) => count > 0)
  const medians = known.map(({ medianMs }) => medianMs)
  if (medians.length < 10) return undefined
  const { before: at, p } = changePointOf(medians)
  const mean = (values: number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
  const [before, after] = [mean(medians.slice(0, at)), mean(medians.slice(at))]
  if (p > SURE || after < 1.5 * before) return undefined
  return { atMs: (known[at]?.second ?? 0) * 1000, before, after, p }
}
