// One second of a run, as a sender records it.
import { Distribution } from '../numbers/distribution.js'

/** Why a request failed. */
export type FailureKind =
  | 'refused'
  | 'reset'
  | 'timeout'
  | 'tls'
  | 'dns'
  | 'status'
  | 'check'
  | 'keep'
  | 'decoding'
  | 'redirects'
  | 'too large'
  | 'not permitted'
  | 'cut off'
  | 'script'
  | 'sql'
  | 'socket'
  | 'stream'
  | 'grpc'
  | 'until'
  | 'protocol'
  | 'local'

/** Requests of one step of one journey, by the phase in which they were due and the phase in which they ended. */
export interface StepCell {
  phase: number
  /** −1 when they ended in the drain. */
  endPhase: number
  step: number
  journey: number
  requests: number
  failed: number
  /** Sent once more, since a connection used before was closed without an answer. */
  resent: number
  bytesReceived: number
  bytesSent: number
  /** Of requests that passed, failed a check of the response time alone, timed out or were cut off. */
  responseTime: Distribution
  /** Of those among them that timed out or were cut off: how long they waited, not how long they would have taken. */
  waitedTime: Distribution
  /** Of all other failures. */
  failedTime: Distribution
  connectTime: Distribution
  timeToFirstByte: Distribution
}

/** Groups or journeys of one name, by the phase in which they began. */
export interface ScopeCell {
  phase: number
  scope: number
  /** The journey that was walked; for journeys the scope itself. */
  journey: number
  started: number
  finished: number
  /** Came to their end, failed. */
  endedFailed: number
  /** Cut off with a request open: failed, too, and counted apart. */
  cutOff: number
  /** Of those that failed or were cut off, by requests alone; and by a fault of ours. */
  byRequests: number
  local: number
  /** Cut off while nothing of theirs was open that should have ended. */
  unfinished: number
  /** Of those, in a connection that stays open after all that was to be done. */
  staying: number
  /** Of those that finished. */
  time: Distribution
  /** How long those that did not finish had lasted. */
  unfinishedTime: Distribution
}

export interface ArrivalCell {
  phase: number
  started: number
  /** Due but not started, because the generator was too late or too full. */
  missed: number
  /** Due but not started, because the cap was reached. */
  capped: number
  /** Due but not started, because its data had run out. */
  outOfData: number
  startLag: Distribution
}

export interface CheckCell {
  phase: number
  check: number
  journey: number
  passed: number
  failed: number
}

export interface FailureCell {
  phase: number
  step: number
  kind: string
  detail: string
  count: number
  /** From the start of the load. */
  firstAtMs: number
  /** An excerpt of the first such response, secrets masked. */
  sample: string
  /** Request and answer in full, as the text of a kept request; empty where none was kept. */
  kept: string
  /** How many of them had which row of which data set, of the first few rows. */
  rows: RowCount[]
}

export interface RowCount {
  /** Number of the data set. */
  data: number
  /** From 0. */
  row: number
  count: number
}

/** Rows told apart of one failure; where more of them fail, it is not for their rows. */
export const MAX_FAILED_ROWS = 8

/** The request of a step that took longest of those that ended in a second. */
export interface SlowCell {
  phase: number
  step: number
  /** When it was due, from the start of the load. */
  dueMs: number
  failed: boolean
  /** The id of its trace; empty where it carried none. */
  trace: string
  parts: TimeParts
}

/** One of a few requests drawn from all of a step that ended in a second: each as likely as any other. */
export interface DrawnCell {
  phase: number
  step: number
  totalMs: number
  /** 0 where there was no answer, or one of another protocol. */
  status: number
  bytesReceived: number
  /** Whether it opened a connection. */
  isConnected: boolean
}
/** Requests of a step that were redirected to another path. */
export interface RedirectCell {
  phase: number
  step: number
  /** The path of the final answer. */
  to: string
  count: number
}
/** Paths told apart in one second; where answers come from more of them, it is no one place that all are sent to. */
export const MAX_REDIRECT_CELLS = 20

/** A call into a script that an iteration of a journey came to, told once by each sender. */
export interface CalledCell {
  step: number
  journey: number
}

/** Of each step, by each sender in each second. */
export const MAX_DRAWN = 2

/** Parts of the time of a request, in ms; null where a part did not happen, such as connecting again. */
export interface TimeParts {
  dns: number | null
  connect: number | null
  tls: number | null
  firstByte: number | null
  receive: number | null
  total: number
}

/** Requests of one step that were in flight at the end of a second, and had been for long. */
export interface OpenCell {
  phase: number
  step: number
  journey: number
  /** How long each had waited since it was due, in whole ms. */
  waitedMs: number[]
}
/** Requests in flight for less are no sign of anything. */
export const OPEN_FROM_MS = 1000
/** Of one step; more of them say no more. */
export const MAX_OPEN = 2000

/** Everything that ended in one second, and what had not. */
export interface Bucket {
  /** From 0, since the start of the load. */
  second: number
  steps: StepCell[]
  groups: ScopeCell[]
  journeys: ScopeCell[]
  arrivals: ArrivalCell[]
  checks: CheckCell[]
  failures: FailureCell[]
  open: OpenCell[]
  slowest: SlowCell[]
  drawn: DrawnCell[]
  redirects: RedirectCell[]
  called: CalledCell[]
  /** Most users in flight. */
  users: number
  /** Busy share of the busiest sender in this second, and over the five seconds that end with it. */
  busy: number
  busyOfFive: number
  eventLoopDelay: Distribution
  /** The longest time for which a sender's event loop stood still. */
  stallMs: number
  /** How late a sender was, at most: of its starts, and of what it read. */
  latenessMs: number
  /** Requests in flight at its end. */
  inFlight: number
  /** Shares of this second in which the host held the processor, or some program waited for it; 0 where not told. */
  steal: number
  pressure: number
  /** What each metric read; null where it could not. */
  metrics: (number | null)[]
  /** The same second of each place alone, by its number in the shape; none where all is one place. */
  places: { place: number; bucket: Bucket }[]
  /** The same second of the users of each network alone; none where they are all alike. */
  networks: { network: number; bucket: Bucket }[]
}

/**
 * A second in which nothing was recorded.
 *
 * @param second - from 0, the start of the load
 */
export function emptyBucket(second: number): Bucket {
  return {
    second,
    steps: [],
    groups: [],
    journeys: [],
    arrivals: [],
    checks: [],
    failures: [],
    open: [],
    slowest: [],
    drawn: [],
    redirects: [],
    called: [],
    users: 0,
    busy: 0,
    busyOfFive: 0,
    eventLoopDelay: new Distribution(),
    stallMs: 0,
    latenessMs: 0,
    inFlight: 0,
    steal: 0,
    pressure: 0,
    metrics: [],
    places: [],
    networks: [],
  }
}

/**
 * A cell of a step in which nothing was recorded.
 *
 * @param phase - in which its requests were due; all by their numbers in the shape
 */
export const emptyStep = (phase: number, endPhase: number, step: number, journey: number): StepCell => ({
  phase,
  endPhase,
  step,
  journey,
  requests: 0,
  failed: 0,
  resent: 0,
  bytesReceived: 0,
  bytesSent: 0,
  responseTime: new Distribution(),
  waitedTime: new Distribution(),
  failedTime: new Distribution(),
  connectTime: new Distribution(),
  timeToFirstByte: new Distribution(),
})

/**
 * A cell of a group or journey in which nothing was recorded.
 *
 * @param scope - number of the group or journey in the shape
 */
export const emptyScope = (phase: number, scope: number, journey: number): ScopeCell => ({
  phase,
  scope,
  journey,
  started: 0,
  finished: 0,
  endedFailed: 0,
  cutOff: 0,
  byRequests: 0,
  local: 0,
  unfinished: 0,
  staying: 0,
  time: new Distribution(),
  unfinishedTime: new Distribution(),
})

/** Slowest requests of a step that are kept of some seconds. */
export const MAX_SLOWEST = 5

/** Most kinds of failure told apart in one second; what comes beyond is counted under its kind alone. */
export const MAX_FAILURE_CELLS = 200
