// Failures that come only when several users are in flight: a race, a lock, a pool.
import { phasesWithin, type Evidence } from '../evidence.js'
import { figure, momentWords, numberWords, SURE, type Finding } from '../finding.js'

/** Those that overload makes by itself are told elsewhere. */
const KINDS: readonly string[] = ['status', 'check', 'keep']
/** Too many requests (RFC 6585, section 4), and a service that is overloaded (RFC 9110, section 15.6.4). */
const OVERLOAD: readonly string[] = ['429', '503']
const counts = ({ kind, detail }: { kind: string; detail: string }): boolean =>
  KINDS.includes(kind) && !(kind === 'status' && OVERLOAD.includes(detail))
const LEAST_SECONDS = 4
/** At least this part of all requests was made with fewer users, or their silence says nothing. */
const LEAST_BELOW = 0.1
const SHUFFLES = 1999

/**
 * Only under concurrency: failures absent while at most n users were in flight, present above, and gone again when the
 * load falls. Where it never falls, what fails since some moment looks the same: then that is what is told.
 *
 * Permutation test: the seconds with failures are laid anew among all seconds, each as likely as it has requests, and
 * it is counted how often as many requests lie below the fewest users among them.
 *
 * Source: P. Good, "Permutation tests", 1994.
 */
export function onlyUnderConcurrency({ failures, seconds, shape }: Evidence, random: () => number): Finding[] {
  const steps = [...new Set(failures.filter(counts).map(({ step }) => step))]
  const asked = seconds.filter(({ requests }) => requests > 0)
  return steps.flatMap((step): Finding[] => {
    const own = failures.filter((cell) => cell.step === step && counts(cell))
    const failing = new Set(own.map(({ second }) => second))
    const struck = asked.filter(({ second }) => failing.has(second))
    if (struck.length < LEAST_SECONDS || struck.length > 0.8 * asked.length) return []
    const all = asked.reduce((sum, { requests }) => sum + requests, 0)
    const below = (users: number) =>
      asked.reduce((sum, second) => sum + (second.users < users ? second.requests : 0), 0) / all
    const fewest = Math.min(...struck.map(({ users }) => users))
    const observed = below(fewest)
    if (observed < LEAST_BELOW || fewest < 2) return []
    let asFar = 0
    for (let shuffle = 0; shuffle < SHUFFLES; shuffle++)
      if (below(Math.min(...drawn(asked, struck.length, random))) >= observed) asFar++
    const p = (asFar + 1) / (SHUFFLES + 1)
    if (p > SURE) return []
    const count = own.reduce((sum, cell) => sum + cell.count, 0)
    const name = shape.steps[step]?.name ?? ''
    const [first, last] = [struck[0]?.second ?? 0, struck.at(-1)?.second ?? 0]
    const calm = asked.filter(({ second, users }) => second > first && users < fewest)
    // As long a silence by chance, had they gone on as often as since the first.
    const since = asked.filter(({ second }) => second >= first)
    const isGoneAgain = (1 - count / sumOfRequests(since)) ** sumOfRequests(calm) <= SURE
    return [
      {
        kind: 'only under concurrency',
        severity: isGoneAgain ? 'problem' : 'warning',
        confidence: figure(1 - p),
        phases: phasesWithin(shape, first, last + 1),
        steps: [name],
        fromMs: first * 1000,
        toMs: (last + 1) * 1000,
        evidence: { failures: count, usersAtLeast: fewest, shareOfRequestsBelow: figure(observed) },
        text: isGoneAgain
          ? `"${name}" fails only under concurrency: never with fewer than ${numberWords(fewest)} users in flight (${numberWords(100 * observed)} % of all requests), ${String(count)} times with more.`
          : `"${name}" fails since ${momentWords(first * 1000)}, ${String(count)} times, and never before with fewer than ${numberWords(fewest)} users in flight: the load did not fall again, so time or load may be why.`,
        tryNext: [
          ...(isGoneAgain
            ? []
            : [
                'Let the load fall again after its highest: failures of a race end then, those of a deployment do not.',
              ]),
          'Look for what two requests change at once: a read and a write without a lock, a cache, a sequence.',
          `Rehearse the journey: it holds alone. Then run it with ${numberWords(fewest)} users.`,
        ],
      },
    ]
  })
}

const sumOfRequests = (seconds: Evidence['seconds']): number => seconds.reduce((sum, { requests }) => sum + requests, 0)

/** Users in flight of so many different seconds, drawn by how many requests each has. */
function drawn(seconds: Evidence['seconds'], count: number, random: () => number): number[] {
  // Weighted draws without putting back: the largest keys log(u)/w (P. Efraimidis and P. Spirakis, 2006).
  return seconds
    .map(({ users, requests }) => ({ users, key: Math.log(1 - random()) / requests }))
    .sort((one, other) => other.key - one.key)
    .slice(0, count)
    .map(({ users }) => users)
}
