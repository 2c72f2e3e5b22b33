// Failures by their cause, with the load at which they began, and whether they are of one step alone or come in bursts.
import { keptFrom } from '../../measure/rehearsed.js'
import { phasesWithin, type Evidence } from '../evidence.js'
import { failedRowsOf, type FailedRows } from './rows.js'
import { figure, momentWords, numberWords, shareWords, type Finding, causeWords } from '../finding.js'

const MOST = 5
const LEAST = 3
/** As parts of all requests. */
const PROBLEM_FROM = 0.01
const WARNING_FROM = 0.001
/** A burst: this part of the failures in a tenth of the seconds. */
const BURST = 0.8

const TRY: Readonly<Record<string, readonly string[]>> = {
  status: [
    'See the response in the failures table of the page, or in the HTML report.',
    'Look into the service’s log at that moment.',
  ],
  check: ['Open a failure to see what was found instead.', 'Rehearse the journey: is it wrong with one user, too?'],
  timeout: [
    'See what was full then: the requests waited for it.',
    'Compare the timeout of the step with what users accept.',
  ],
  refused: ['Nothing listened, or the backlog of connections was full: look at the service and its limits.'],
  reset: ['The service or something before it closed connections: look at its limits for idle time and requests.'],
  'cut off': ['Requests were open when the drain ended: give the load a longer drain, or look at what held them.'],
}
const WAIT = 'The service says when to come back: let clients wait for it, or give it more room.'
const OTHERWISE = ['See the response in the failures table of the page, or in the HTML report.']

/** Failures by cause: bursts by status and kind, with the load at which they began. Counted; no test is needed. */
export function failureFindings({ failures, requests, seconds, shape, steps }: Evidence): Finding[] {
  const causes = grouped(failures, ({ kind, detail }) => JSON.stringify([kind, detail]))
  return [...causes.values()]
    .map((cells) => ({ cells, count: cells.reduce((sum, cell) => sum + cell.count, 0) }))
    .filter(({ count }) => count >= LEAST)
    .toSorted((one, other) => other.count - one.count)
    .slice(0, MOST)
    .flatMap(({ cells, count }): Finding[] => {
      const [sample] = cells
      if (sample === undefined) return []
      const { kind, detail } = sample
      const named = [...new Set(cells.map(({ step }) => shape.steps[step]?.name ?? ''))]
      const [first, last] = [
        Math.min(...cells.map(({ second }) => second)),
        Math.max(...cells.map(({ second }) => second)),
      ]
      const bySecond = grouped(cells, ({ second }) => second)
      const counts = [...bySecond.values()].map((some) => some.reduce((sum, cell) => sum + cell.count, 0))
      const most = counts.toSorted((a, b) => b - a).slice(0, Math.max(1, Math.floor(seconds.length / 10)))
      const isBurst =
        counts.length > 1 &&
        most.reduce((sum, value) => sum + value, 0) >= BURST * count &&
        counts.length < seconds.length / 2
      const share = requests === 0 ? 0 : count / requests
      const retryAfter = retryAfterIn(cells.map(({ kept }) => kept))
      const rows = failedRowsOf(cells, shape)
      const due = seconds[first]?.due ?? 0
      const isAlone = named.length === 1 && steps.filter((step) => step.requests > 0).length > 1
      const what = causeWords(kind, detail)
      const where = named.length <= 2 ? named.map((name) => `"${name}"`).join(' and ') : `${String(named.length)} steps`
      return [
        {
          kind: 'failures',
          severity: share >= PROBLEM_FROM ? 'problem' : share >= WARNING_FROM ? 'warning' : 'info',
          confidence: 1,
          phases: phasesWithin(shape, first, last + 1),
          steps: named,
          fromMs: first * 1000,
          toMs: (last + 1) * 1000,
          evidence: {
            kind,
            detail,
            count,
            shareOfRequests: figure(share),
            firstAtMs: Math.min(...cells.map(({ firstAtMs }) => Math.round(firstAtMs))),
            arrivalsPerSecondThen: figure(due),
            usersThen: figure(seconds[first]?.users ?? 0),
            ...(retryAfter === undefined ? {} : { retryAfter }),
            ...(rows === undefined ? {} : { data: rows.data, rows: rows.rows.join(', '), failuresOfRows: rows.count }),
          },
          text: `${what[0]?.toUpperCase() ?? ''}${what.slice(1)}${retryAfter === undefined ? '' : ` (Retry-After: ${retryAfter}${/^\d+$/.test(retryAfter) ? ' s' : ''})`} in ${where}${isAlone ? ' alone' : ''}: ${String(count)} of ${String(requests)} requests (${shareWords(share)}), first at ${momentWords(first * 1000)}${due > 0 ? ` at ${numberWords(due)} arrivals/s` : ''}${isBurst ? ', in bursts' : ''}${rows === undefined ? '' : `; ${shareWords(rows.count / count)} of them with ${rowWords(rows)}`}.`,
          tryNext: [
            ...(rows === undefined ? [] : [`Rehearse with ${rowWords(rows)}: the load does not matter there.`]),
            ...(retryAfter === undefined ? [] : [WAIT]),
            ...(TRY[kind] ?? OTHERWISE),
          ],
        },
      ]
    })
}

const rowWords = ({ data, rows }: FailedRows): string =>
  `row${rows.length === 1 ? '' : 's'} ${rows.join(', ')} of "${data}"`

/** What the header `Retry-After` says (RFC 9110, section 10.2.3), where one of the requests was kept in full. */
function retryAfterIn(kept: readonly string[]): string | undefined {
  for (const text of kept) {
    const found = keptFrom(text)?.response?.headers.find(([name]) => name.toLowerCase() === 'retry-after')?.[1]
    if (found !== undefined && found !== '') return found.slice(0, 40)
  }
  return undefined
}

function grouped<T, Key>(items: readonly T[], keyOf: (item: T) => Key): Map<Key, T[]> {
  const groups = new Map<Key, T[]>()
  for (const item of items) {
    const key = keyOf(item)
    const known = groups.get(key)
    if (known === undefined) groups.set(key, [item])
    else known.push(item)
  }
  return groups
}
