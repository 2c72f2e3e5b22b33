// result.json, format 1, declared once: results are written as it says, and read back by it.
import { KEPT_REQUEST } from '../measure/rehearsed.js'
import { array, boolean, mixed, number, object, string, ValidationError, type InferType } from 'yup'
import { parseJson } from '../language/json-path.js'

const MOST_ROWS = 5000
const MOST_HISTOGRAMS = 20_000

const text = () => string().defined()
const figure = () => number().defined()
const count = () => number().integer().min(0).required()
const figureOrNone = () => number().nullable().defined()
/** Long lists of figures are looked at in one go: a rule for each of a hundred thousand would take seconds. */
const figures = () => mixed({ type: 'figures', check: isFigures }).required('a list of figures is missing')
const figuresOrGaps = () =>
  mixed({ type: 'figures or gaps', check: isFiguresOrGaps }).required('a list of figures is missing')
function isFigures(value: unknown): value is number[] {
  return Array.isArray(value) && value.every((item) => typeof item === 'number')
}
function isFiguresOrGaps(value: unknown): value is (number | null)[] {
  return Array.isArray(value) && value.every((item) => item === null || typeof item === 'number')
}
function isLabels(value: unknown): value is Record<string, string> {
  return typeof value === 'object' && value !== null && Object.values(value).every((item) => typeof item === 'string')
}
function isEvidence(value: unknown): value is Record<string, number | string> {
  const isFigure = (item: unknown) => typeof item === 'number' || typeof item === 'string'
  return typeof value === 'object' && value !== null && Object.values(value).every(isFigure)
}
function isRecovery(value: unknown): value is Record<string, number | null> {
  const isTime = (item: unknown) => item === null || typeof item === 'number'
  return typeof value === 'object' && value !== null && Object.values(value).every(isTime)
}
function isInterval(value: unknown): value is [low: number | null, high: number | null] {
  return isFiguresOrGaps(value) && value.length === 2
}
function isNamedFigures(value: unknown): value is Record<string, (number | null)[]> {
  return typeof value === 'object' && value !== null && Object.values(value).every(isFiguresOrGaps)
}

const percentiles = () =>
  object({ '50': figure(), '75': figure(), '90': figure(), '95': figure(), '99': figure(), '99.9': figure() })
const times = object({
  count: count(),
  min: figure(),
  mean: figure(),
  sd: figure(),
  max: figure(),
  percentiles: percentiles().required(),
  /** Between these lie the percentiles that a generator without delay would have seen. */
  lowerBound: percentiles().optional().default(undefined),
  upperBound: percentiles().optional().default(undefined),
})
const timesOrNone = () => times.clone().nullable().default(null).defined()
const gate = object({
  rule: text(),
  line: figure(),
  status: string().oneOf(['held', 'breached', 'undecided', 'unmeasured', 'no baseline', 'not judged']).required(),
  observed: figureOrNone(),
  /** Results of old have neither bound. */
  lowerBound: number().nullable().optional(),
  upperBound: number().nullable().optional(),
  limit: figureOrNone(),
  unit: string().oneOf(['ms', '/s', 'B/s', '%', 'count', 'score', 'value', 'grade']).required(),
  margin: figureOrNone(),
  samples: count(),
  interval: mixed({ type: 'interval', check: isInterval }).nullable().defined(),
  effectiveSamples: number().optional(),
  borderline: boolean().required(),
  baselineValue: figureOrNone(),
  baselineRuns: number().integer().optional(),
  firstBreachAtMs: figureOrNone(),
  stoppedAtMs: figureOrNone(),
  reason: string().optional(),
  isDefault: boolean().optional(),
  leavesOutRequests: boolean().optional(),
})
const step = object({
  name: text(),
  journeys: array().of(text()).required(),
  group: string().nullable().defined(),
  requests: count(),
  failed: count(),
  failedShare: figure(),
  resent: number().optional(),
  /** No iteration came to it, in any phase. */
  neverReached: boolean().optional(),
  throughput: figure(),
  bytesReceived: count(),
  bytesSent: count(),
  responseTime: timesOrNone(),
  failedTime: timesOrNone(),
  connectTime: timesOrNone(),
  timeToFirstByte: timesOrNone(),
  failures: array()
    .of(
      object({
        kind: text(),
        detail: text(),
        count: count(),
        firstAtMs: figure(),
        sample: text(),
        kept: KEPT_REQUEST.nullable().optional().default(undefined),
      }),
    )
    .required(),
  slowest: array()
    .of(
      object({
        dueMs: figure(),
        failed: boolean().required(),
        trace: string().nullable().defined(),
        dns: figureOrNone(),
        connect: figureOrNone(),
        tls: figureOrNone(),
        firstByte: figureOrNone(),
        receive: figureOrNone(),
        total: figure(),
      }),
    )
    .optional()
    .default(undefined),
  checks: array()
    .of(object({ name: text(), passed: count(), failed: count() }))
    .required(),
})
const phase = object({
  name: text(),
  kind: string().oneOf(['constant', 'ramp', 'batch', 'rest', 'users', 'iterations']).required(),
  track: string().nullable().defined(),
  fromMs: figure(),
  toMs: figure(),
  measured: boolean().required(),
  arrivalsDue: figure(),
  arrivalsStarted: count(),
  capped: count(),
  peakUsers: count(),
  throughput: figure(),
  steps: array()
    .of(object({ name: text(), requests: count(), failed: count(), responseTime: timesOrNone() }))
    .required(),
})
const once = object({
  name: text(),
  passed: boolean().required(),
  reason: string().nullable().defined(),
  responseTimeMs: figureOrNone(),
})
const partOfRun = object({
  name: text(),
  requests: count(),
  failed: count(),
  failedShare: figure(),
  throughput: figure(),
  responseTime: timesOrNone(),
})
/** A generator elsewhere: where it stood, and what its part of the run was worth. */
const fleetGenerator = object({
  id: text(),
  place: text(),
  threads: count(),
  /** How far its clock may have been from ours, at most, in ms; null where it was not met. */
  clockErrorMs: figureOrNone(),
  /** Requests of the measured phases and after them, that it made. */
  requests: count(),
  /** The busiest of its seconds, of one processor. */
  busy: figure(),
  /** Seconds of it that never came. */
  lostSeconds: count(),
})
/** A generator that was lost, where the others went on: what nobody made after that, and what was under way. */
const generatorLoss = object({
  generator: text(),
  why: text(),
  place: number().nullable().defined(),
  atMs: figure(),
  arrivals: figures(),
  left: figures(),
  requests: count(),
  journeys: count(),
})
/** What a machine was found able to do, against an echo server of its own. */
const calibration = object({
  at: text(),
  requestsPerSecond: figure(),
  /** At a thousand arrivals a second. */
  startLag: object({ p50: figure(), p99: figure(), max: figure() }).required(),
  /** Measured less true response time, at delays that the server kept. */
  timing: array()
    .of(object({ delayMs: figure(), errorP50Ms: figure(), errorP99Ms: figure() }))
    .required(),
})

const finding = object({
  kind: text(),
  severity: string().oneOf(['problem', 'warning', 'info']).required(),
  confidence: figure(),
  phases: array().of(text()).required(),
  steps: array().of(text()).required(),
  fromMs: figure(),
  toMs: figure(),
  evidence: mixed({ type: 'evidence', check: isEvidence }).required(),
  text: text(),
  tryNext: array().of(text()).required(),
})

export const RESULT = object({
  jolt: number().oneOf([1], 'this is not a result of format 1').required('this is not a result of format 1'),
  tool: text(),
  id: text(),
  verdict: string().oneOf(['open', 'shut', 'void', 'stopped']).required(),
  reasons: array().of(text()).required(),
  /** What is to be known beside the verdict, such as gates that were not judged. */
  notes: array().of(text()).optional().default(undefined),
  plan: object({
    name: text(),
    file: text(),
    commit: string().nullable().defined(),
    branch: string().nullable().defined(),
    dirty: boolean().required(),
    seed: figure(),
    scale: figure(),
    /** Tells one load from another: a baseline of another load is no baseline. */
    load: text(),
  }).required(),
  target: object({
    name: text(),
    origin: text(),
    /** Where a person opens a trace; a result may come from anywhere, and this becomes a link. */
    traces: string()
      .matches(/^https?:\/\//)
      .optional(),
  }).required(),
  /** What is under test, where it is not the plan's own commit: a service in a repository of its own. */
  change: object({ commit: string().nullable().defined(), branch: string().nullable().defined() })
    .optional()
    .default(undefined),
  labels: mixed({ type: 'labels', check: isLabels }).optional(),
  startedAt: text(),
  endedAt: text(),
  measuredMs: figure(),
  /** When a gate or a person stopped the run, from the start of the load: what ended later is judged nowhere. */
  stoppedAtMs: number().nullable().optional(),
  baseline: object({
    id: text(),
    commit: string().nullable().defined(),
    startedAt: text(),
    /** All that it is made of, the latest first, then the one that is pinned. */
    runs: array().of(text()).optional(),
    pinned: string().optional(),
  })
    .nullable()
    .default(null)
    .defined(),
  gates: array().of(gate).max(1000).required(),
  /** What each run came to, where a run was made several times: the gates are then the medians. */
  repeats: array()
    .of(
      object({
        id: text(),
        verdict: string().oneOf(['open', 'shut', 'void', 'stopped']).required(),
        observed: array().of(figureOrNone()).required(),
      }),
    )
    .optional()
    .default(undefined),
  totals: object({
    arrivalsDue: figure(),
    arrivals: count(),
    capped: count(),
    cutOff: count(),
    outOfData: count(),
    journeys: count(),
    failedJourneys: count(),
    requests: count(),
    failedRequests: count(),
    resent: number().optional(),
    /** Cut off while nothing of theirs was open that should have ended. */
    unfinishedJourneys: number().optional(),
    failedShare: figure(),
    checks: object({ passed: count(), failed: count() }).required(),
    throughput: figure(),
    peakUsers: count(),
    bytesReceived: count(),
    bytesSent: count(),
  }).required(),
  steps: array().of(step).max(MOST_ROWS).required(),
  /** All requests by the place from which they were made, where the plan names places. */
  places: array().of(partOfRun).max(100).optional().default(undefined),
  /** The same by the network that users came over, where the plan names networks. */
  networks: array().of(partOfRun).max(20).optional().default(undefined),
  groups: array()
    .of(object({ name: text(), count: count(), failed: count(), time: timesOrNone() }))
    .required(),
  journeys: array()
    .of(
      object({
        name: text(),
        started: count(),
        finished: count(),
        failed: count(),
        cutOff: count(),
        unfinished: number().optional(),
        time: timesOrNone(),
      }),
    )
    .required(),
  phases: array().of(phase).required(),
  setup: array().of(once).required(),
  teardown: array().of(once).required(),
  /** Steps of setup that were made anew while the load lasted. */
  renewals: array()
    .of(object({ name: text(), made: count(), failed: count(), reason: string().nullable().defined() }))
    .optional()
    .default(undefined),
  generator: object({
    processes: count(),
    /** Where it was made by generators elsewhere; of each what is its own. */
    fleet: array().of(fleetGenerator).max(10_000).optional().default(undefined),
    losses: array().of(generatorLoss).max(10_000).optional().default(undefined),
    reasons: array().of(text()).required(),
    calibration: calibration.nullable().default(null).defined(),
    /** By how much it may have changed times, over the measured seconds. */
    error: object({ p50: figure(), p99: figure(), max: figure() }).optional().default(undefined),
    startLag: object({ p50: figureOrNone(), p99: figureOrNone(), max: figureOrNone() }).required(),
    busy: object({ mean: figure(), max: figure() }).required(),
    eventLoopDelay: object({ p99: figureOrNone(), max: figureOrNone() }).required(),
  }).required(),
  /** What stands out; results of old have neither. */
  findings: array().of(finding).max(200).optional().default(undefined),
  impact: object({
    grade: string().oneOf(['steady', 'strained', 'failing', 'lost']).nullable().defined(),
    satisfiedMs: figureOrNone(),
    lowestApdex: figureOrNone(),
    failedIterationShare: figure(),
    /** From the end of a phase until the service was as before; null where it was not. */
    recoveryMs: mixed({ type: 'recovery', check: isRecovery }).required(),
  })
    .optional()
    .default(undefined),
  /** By second, over the whole run; all else holds measured phases alone. */
  series: object({
    stepMs: number().oneOf([1000]).required(),
    atMs: figures(),
    arrivalsDue: figures(),
    arrivals: figures(),
    users: figures(),
    requests: figures(),
    failed: figures(),
    p50: figuresOrGaps(),
    p95: figuresOrGaps(),
    p99: figuresOrGaps(),
    startLag: figuresOrGaps(),
    stall: figures().optional(),
    error: figures().optional(),
    busy: figures(),
    steal: figures().optional(),
    metrics: mixed({ type: 'metrics', check: isNamedFigures }).required(),
    /** Failures by kind. */
    failures: mixed({ type: 'failures', check: isNamedFigures }).optional(),
  }).required(),
  /** Steps in blocks of so many seconds each: what two runs are compared by. */
  blocks: object({
    seconds: count(),
    steps: array()
      .of(
        object({
          name: text(),
          /** Which blocks these are, counted from the start of the load. */
          at: figures().optional(),
          requests: figures(),
          failed: figures(),
          data: array().of(text()).required(),
        }),
      )
      .max(MOST_ROWS)
      .required(),
  })
    .optional()
    .default(undefined),
  histograms: array()
    .of(object({ step: text(), phase: text(), data: text() }))
    .max(MOST_HISTOGRAMS)
    .required(),
})

export type RunResult = InferType<typeof RESULT>
/** One request of setup or teardown. */
export type OnceResult = InferType<typeof once>
export type RenewalResult = NonNullable<RunResult['renewals']>[number]
export type Calibration = InferType<typeof calibration>
export type FleetGenerator = InferType<typeof fleetGenerator>

/** Reads a result.json; a fault in words when it is none. */
export function readResult(json: string): { ok: true; result: RunResult } | { ok: false; fault: string } {
  const value = parseJson(json)
  if (value === undefined) return { ok: false, fault: 'this is not JSON' }
  try {
    return { ok: true, result: RESULT.validateSync(value, { strict: true }) }
  } catch (error) {
    if (error instanceof ValidationError) return { ok: false, fault: error.message }
    throw error
  }
}
