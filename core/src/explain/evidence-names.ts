// What findings give as evidence: each figure with its words and its unit.
import { figure, momentWords, shareWords, timeWords } from './figure-words.js'

type Form = 'text' | 'number' | 'time' | 'moment' | 'share' | 'share of requests' | 'per second' | 'seconds' | 'hours'

const EVIDENCE = {
  arrivalsPerSecond: ['arrivals', 'per second'],
  arrivalsPerSecondThen: ['arrivals then', 'per second'],
  atFirst: ['at first', 'number'],
  atLast: ['at last', 'number'],
  borderlineOfTen: ['borderline in the last ten runs', 'number'],
  busiestShare: ['busiest second', 'share'],
  ceiling: ['ceiling', 'number'],
  completedPerSecond: ['requests completed', 'per second'],
  completedRequestsPerSecond: ['requests completed', 'per second'],
  count: ['failures', 'number'],
  data: ['data', 'text'],
  detail: ['detail', 'text'],
  dip: ['dip statistic', 'number'],
  drainMs: ['until the queue was empty', 'time'],
  errorP99Ms: ['generator error, p99', 'time'],
  expectedPerSecond: ['requests expected', 'per second'],
  failedShare: ['failed afterwards', 'share of requests'],
  failedShareElsewhere: ['failed elsewhere', 'share of requests'],
  failedShareThere: ['failed there', 'share of requests'],
  failures: ['failures', 'number'],
  failuresOfRows: ['failures of these rows', 'number'],
  fasterMs: ['faster group, median', 'time'],
  firstAtMs: ['first', 'moment'],
  gates: ['gates', 'number'],
  high: ['at most', 'per second'],
  highestArrivalsPerSecond: ['highest arrivals', 'per second'],
  hoursToCeiling: ['until the ceiling', 'hours'],
  kind: ['kind', 'text'],
  limit: ['limit', 'number'],
  low: ['at least', 'per second'],
  meanMs: ['on average', 'time'],
  medianAtFirstMs: ['median at first', 'time'],
  medianAtLastMs: ['median at last', 'time'],
  medianElsewhereMs: ['median elsewhere', 'time'],
  medianMs: ['median', 'time'],
  p95AtFirstMs: ['p95 at first', 'time'],
  p95AtLastMs: ['p95 at last', 'time'],
  medianLaterMs: ['median later', 'time'],
  medianThenMs: ['median then', 'time'],
  metric: ['metric', 'text'],
  observed: ['observed', 'number'],
  ofMeanResponseTimeMs: ['of an average response time of', 'time'],
  ofRequests: ['of requests', 'number'],
  p95BetweenMs: ['p95 between spikes', 'time'],
  p95OnBeatMs: ['p95 in spikes', 'time'],
  part: ['part', 'text'],
  perHour: ['rise an hour', 'number'],
  place: ['place', 'text'],
  network: ['network', 'text'],
  perMinuteMs: ['rise a minute', 'time'],
  periodSeconds: ['every', 'seconds'],
  recoveryMs: ['recovered in', 'time'],
  responseTimesBreakAwayAtMs: ['response times rise', 'moment'],
  retryAfter: ['Retry-After', 'text'],
  rightly: ['told apart rightly', 'share of requests'],
  rows: ['rows', 'text'],
  rule: ['gate', 'text'],
  seconds: ['length', 'seconds'],
  share: ['share', 'share'],
  shareOfRequests: ['share', 'share of requests'],
  shareOfRequestsBelow: ['with fewer users', 'share of requests'],
  slowdown: ['slower by a factor of', 'number'],
  slowerMs: ['slower group, median', 'time'],
  slowerShare: ['slower group', 'share of requests'],
  splitAtMs: ['parted at', 'time'],
  stealShare: ['taken by the host', 'share'],
  step: ['step', 'text'],
  toldApartBy: ['told apart by', 'text'],
  usersAtFirst: ['users at first', 'number'],
  usersAtLast: ['users at last', 'number'],
  usersAtLeast: ['users in flight, at least', 'number'],
  usersThen: ['users then', 'number'],
  value: ['value', 'number'],
} as const satisfies Record<string, readonly [label: string, form: Form]>

export type EvidenceName = keyof typeof EVIDENCE

/** Evidence in words: "share", "2.96 % of requests"; what a later version added stands as it is. */
export function evidenceWords(evidence: unknown): { label: string; value: string }[] {
  if (typeof evidence !== 'object' || evidence === null) return []
  const words: ReadonlyMap<string, readonly [string, Form]> = new Map(Object.entries(EVIDENCE))
  return Object.entries(evidence)
    .filter(([, value]) => value !== '')
    .map(([name, value]) => {
      const [label, form] = words.get(name) ?? [name, 'text']
      return { label, value: typeof value === 'number' ? valueWords(value, form) : String(value) }
    })
}

function valueWords(value: number, form: Form): string {
  switch (form) {
    case 'text':
    case 'number':
      return String(figure(value))
    case 'time':
      return timeWords(value)
    case 'moment':
      return `from ${momentWords(value)}`
    case 'share':
      return shareWords(value)
    case 'share of requests':
      return `${shareWords(value)} of requests`
    case 'per second':
      return `${String(figure(value))}/s`
    case 'seconds':
      return `${String(figure(value))} s`
    case 'hours':
      return value < 1 ? `${String(figure(60 * value))} min` : `${String(figure(value))} h`
    default:
      return form satisfies never
  }
}
