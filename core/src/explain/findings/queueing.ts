// A queue that grows while no more is completed: users in flight rise at a steady load.
import { trendOf } from '../../numbers/trends.js'
import { windowsUpTo, type Evidence } from '../evidence.js'
import { figure, momentWords, numberWords, SURE, timeWords, type Finding } from '../finding.js'

const LEAST_SECONDS = 10
const MOST_WINDOWS = 60
/** Growth over the phase that is a queue, in users and in parts of what was there. */
const LEAST_GROWTH = 10
const LEAST_SHARE = 1
/** Completed requests that grow by more are a service that follows. */
const STILL = 0.1

/**
 * Queueing: at a steady arrival rate users in flight grow and throughput does not.
 *
 * The time that a newcomer must expect follows from Little's law, users in flight over completed users per second.
 *
 * Sources: the trends by `trendOf`; J. D. C. Little, "A proof for the queuing formula L = λW", 1961.
 */
export function queueing({ seconds, steady, shape }: Evidence): Finding[] {
  const found = steady.flatMap(({ phase, fromSecond, toSecond }): Finding[] => {
    const part = seconds.slice(fromSecond, toSecond)
    if (part.length < LEAST_SECONDS || (part[0]?.due ?? 0) === 0) return []
    const windows = windowsUpTo(part, MOST_WINDOWS)
    const users = windows.map((window) => window.users)
    const trend = trendOf(users)
    const growth = trend.slope * (windows.length - 1)
    const [first = 0, last = 0] = [users[0], users.at(-1)]
    if (trend.p > SURE || growth < Math.max(LEAST_GROWTH, LEAST_SHARE * first)) return []
    const completed = windows.map(({ passed }) => passed)
    const rise = trendOf(completed)
    const mean = completed.reduce((sum, value) => sum + value, 0) / completed.length
    if (rise.p < SURE && rise.slope * (windows.length - 1) > STILL * mean) return []
    const due = part[0]?.due ?? 0
    const drained = seconds.findIndex(({ second, users: left }) => second >= toSecond && left <= first + 1)
    const drainWords =
      drained < 0
        ? '; it was not drained when the load ended'
        : `; it took ${timeWords((drained - toSecond) * 1000)} to drain`
    return [
      {
        kind: 'queueing',
        severity: 'warning',
        confidence: figure(1 - trend.p),
        phases: [phase],
        steps: [],
        fromMs: fromSecond * 1000,
        toMs: toSecond * 1000,
        evidence: {
          usersAtFirst: figure(first),
          usersAtLast: figure(last),
          arrivalsPerSecond: figure(due),
          completedRequestsPerSecond: figure(mean),
          ...(drained < 0 ? {} : { drainMs: (drained - toSecond) * 1000 }),
        },
        text: `A queue grew during ${phase}: users in flight rose from ${numberWords(first)} to ${numberWords(last)} at ${numberWords(due)} arrivals/s from ${momentWords(fromSecond * 1000)} on, while ${numberWords(mean)} requests/s were completed throughout${drainWords}.`,
        tryNext: [
          'The service completes less than arrives: find the highest rate at which users in flight stay level.',
          'Bound the queue and reject early, so that those who are served are served in time.',
        ],
      },
    ]
  })
  // A ladder above capacity queues on every level: one of them says it.
  const [worst] = found.toSorted(
    (one, other) => Number(other.evidence['usersAtLast']) - Number(one.evidence['usersAtLast']),
  )
  if (worst === undefined) return []
  return [
    {
      ...worst,
      phases: shape.phases.map(({ name }) => name).filter((name) => found.some(({ phases }) => phases.includes(name))),
    },
  ]
}
