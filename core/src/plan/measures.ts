// The measures that a gate may be on: each is one entry that holds its family, what it can be told apart by, and how it
// is read. A new measure is one entry here and its words in the grammar.
import type { Measure, Unit } from '../language/sentences.js'
import type { Distribution } from '../numbers/distribution.js'

export type MeasureFamily =
  'time' | 'busy share' | 'metric' | 'share or count' | 'count' | 'rate' | 'byte rate' | 'score' | 'recovery' | 'grade'
/** The unit in which a gate's values are shown and stored. */
export type GateUnit = 'ms' | '/s' | 'B/s' | '%' | 'count' | 'score' | 'value' | 'grade'

interface FamilyRules {
  /** What a limit may be, and how that is said. */
  units: readonly Unit[]
  words: string
  hasStatistic: boolean
  gateUnit: GateUnit
}

export const FAMILIES: Readonly<Record<MeasureFamily, FamilyRules>> = {
  time: { units: ['time'], words: 'a time such as 300 ms', hasStatistic: true, gateUnit: 'ms' },
  'busy share': { units: ['share'], words: 'a share such as 80 %', hasStatistic: true, gateUnit: '%' },
  metric: {
    units: ['number', 'share', 'time', 'rate', 'size', 'byte rate'],
    words: 'a quantity',
    hasStatistic: true,
    gateUnit: 'value',
  },
  'share or count': {
    units: ['share', 'number'],
    words: 'a share such as 1 %, or a count such as 5',
    hasStatistic: false,
    gateUnit: '%',
  },
  count: { units: ['number'], words: 'a count such as 1000', hasStatistic: false, gateUnit: 'count' },
  rate: { units: ['rate'], words: 'a rate such as 10/s', hasStatistic: false, gateUnit: '/s' },
  'byte rate': { units: ['byte rate'], words: 'a rate of bytes such as 2 MB/s', hasStatistic: false, gateUnit: 'B/s' },
  score: { units: ['number'], words: 'a score from 0 to 1, such as 0.9', hasStatistic: false, gateUnit: 'score' },
  recovery: { units: ['time'], words: 'a time such as 20 s', hasStatistic: false, gateUnit: 'ms' },
  grade: {
    units: ['grade'],
    words: 'a grade: steady, strained, failing or lost',
    hasStatistic: false,
    gateUnit: 'grade',
  },
}

/** A measure before a statistic is taken. Distributions are in µs, lists in the measure's own unit. */
export type Measured =
  | { kind: 'distribution'; distribution: Distribution }
  | { kind: 'list'; values: number[] }
  | { kind: 'share'; part: number; all: number }
  | { kind: 'number'; value: number; samples: number }
  /** No second tells it: it is read from all windows of the run. */
  | { kind: 'of the run' }

/** What was recorded within the scope of a gate, over a run or over one second of it. */
export interface Figures {
  times(of: 'responseTime' | 'waitedTime' | 'timeToFirstByte' | 'connectTime'): Distribution
  groupTimes(): Distribution
  journeyTimes(): Distribution
  startLags(): Distribution
  eventLoopDelays(): Distribution
  /** Busy share of each second. */
  busy(): number[]
  /** What a metric read in each second, where it could be read. */
  metric(name: string): number[]
  /** Requests that were due in the scope. */
  requests(count: 'requests' | 'failed' | 'resent'): number
  /** Requests that ended in the scope, wherever they were due. */
  ended(count: 'passed' | 'bytesReceived' | 'bytesSent'): number
  checks(count: 'passed' | 'failed'): number
  journeys(count: 'started' | 'finished' | 'failed' | 'cutOff'): number
  arrivals(count: 'started' | 'missed' | 'capped' | 'outOfData'): number
  /** Over which rates are taken. */
  seconds: number
}

interface MeasureRules {
  family: MeasureFamily
  /** What `of` may name. */
  of: 'steps' | 'groups' | 'nothing'
  /** Whether it can be measured for one journey alone. */
  byJourney: boolean
  read: (figures: Figures, measure: Measure) => Measured
}

const over = (distribution: Distribution): Measured => ({ kind: 'distribution', distribution })
const share = (part: number, all: number): Measured => ({ kind: 'share', part, all })
const count = (value: number): Measured => ({ kind: 'number', value, samples: value })
const rate = (value: number, { seconds }: Figures): Measured => ({
  kind: 'number',
  value: seconds === 0 ? 0 : value / seconds,
  samples: value,
})
const ofSteps = { of: 'steps', byJourney: true } as const
const ofJourneys = { of: 'nothing', byJourney: true } as const
const ofRun = { of: 'nothing', byJourney: false } as const

/** Those that were cut off with a request open are among the failed. */
const endedJourneys = (figures: Figures): number => figures.journeys('finished') + figures.journeys('failed')
const dueArrivals = (figures: Figures): number =>
  figures.arrivals('started') + figures.arrivals('missed') + figures.arrivals('capped') + figures.arrivals('outOfData')

export const MEASURES: Readonly<Record<Measure['kind'], MeasureRules>> = {
  'response time': { family: 'time', ...ofSteps, read: (figures) => over(figures.times('responseTime')) },
  'time to first byte': { family: 'time', ...ofSteps, read: (figures) => over(figures.times('timeToFirstByte')) },
  'connect time': { family: 'time', ...ofSteps, read: (figures) => over(figures.times('connectTime')) },
  'group time': { family: 'time', of: 'groups', byJourney: true, read: (figures) => over(figures.groupTimes()) },
  'journey time': { family: 'time', ...ofJourneys, read: (figures) => over(figures.journeyTimes()) },
  'failed requests': {
    family: 'share or count',
    ...ofSteps,
    read: (figures) => share(figures.requests('failed'), figures.requests('requests')),
  },
  'resent requests': {
    family: 'share or count',
    ...ofSteps,
    read: (figures) => share(figures.requests('resent'), figures.requests('requests')),
  },
  'failed checks': {
    family: 'share or count',
    ...ofSteps,
    read: (figures) => share(figures.checks('failed'), figures.checks('failed') + figures.checks('passed')),
  },
  'failed journeys': {
    family: 'share or count',
    ...ofJourneys,
    read: (figures) => share(figures.journeys('failed'), endedJourneys(figures)),
  },
  'capped arrivals': {
    family: 'share or count',
    ...ofRun,
    read: (figures) => share(figures.arrivals('capped'), dueArrivals(figures)),
  },
  'cut off': {
    family: 'share or count',
    ...ofJourneys,
    read: (figures) => share(figures.journeys('cutOff'), endedJourneys(figures)),
  },
  requests: { family: 'count', ...ofSteps, read: (figures) => count(figures.requests('requests')) },
  arrivals: { family: 'count', ...ofJourneys, read: (figures) => count(figures.journeys('started')) },
  journeys: { family: 'count', ...ofJourneys, read: (figures) => count(figures.journeys('finished')) },
  throughput: { family: 'rate', ...ofSteps, read: (figures) => rate(figures.ended('passed'), figures) },
  'arrival rate': { family: 'rate', ...ofJourneys, read: (figures) => rate(figures.journeys('started'), figures) },
  'bytes received': {
    family: 'byte rate',
    ...ofSteps,
    read: (figures) => rate(figures.ended('bytesReceived'), figures),
  },
  'bytes sent': { family: 'byte rate', ...ofSteps, read: (figures) => rate(figures.ended('bytesSent'), figures) },
  apdex: { family: 'score', ...ofSteps, read: readApdex },
  'start lag': { family: 'time', ...ofRun, read: (figures) => over(figures.startLags()) },
  'generator busy': { family: 'busy share', ...ofRun, read: (figures) => ({ kind: 'list', values: figures.busy() }) },
  'event loop delay': { family: 'time', ...ofRun, read: (figures) => over(figures.eventLoopDelays()) },
  metric: {
    family: 'metric',
    ...ofRun,
    read: (figures, measure) => ({
      kind: 'list',
      values: measure.kind === 'metric' ? figures.metric(measure.name) : [],
    }),
  },
  recovery: { family: 'recovery', ...ofRun, read: () => ({ kind: 'of the run' }) },
  impact: { family: 'grade', ...ofRun, read: () => ({ kind: 'of the run' }) },
  // Judged by a search alone: no run has a gate on it.
  capacity: { family: 'rate', ...ofRun, read: () => ({ kind: 'of the run' }) },
}

/** How a measure is judged. */
export const familyOf = (measure: Measure): MeasureFamily => MEASURES[measure.kind].family

/** Whether a measure is one of the run as a whole, or of a search: of no step, no phase and no second. */
export const isOfRun = (measure: Measure): boolean =>
  measure.kind === 'impact' || measure.kind === 'recovery' || measure.kind === 'capacity'

/**
 * Apdex: satisfied up to the goal, tolerating up to four times it, all else frustrated; failures are frustrated.
 *
 * Source: Apdex Technical Specification, version 1.1.
 */
function readApdex(figures: Figures, measure: Measure): Measured {
  const goalUs = measure.kind === 'apdex' ? 1000 * measure.goalMs : 0
  const [times, waited] = [figures.times('responseTime'), figures.times('waitedTime')]
  const requests = figures.requests('requests')
  // Requests that timed out or were cut off stand among the times, with what they had waited, which may be short.
  const passed = requests - figures.requests('failed')
  const upTo = (us: number) => Math.min(passed, times.countUpTo(us) - waited.countUpTo(us))
  const satisfied = upTo(goalUs)
  const tolerating = upTo(4 * goalUs) - satisfied
  if (requests === 0) return share(0, 0)
  return { kind: 'number', value: (satisfied + tolerating / 2) / requests, samples: requests }
}
