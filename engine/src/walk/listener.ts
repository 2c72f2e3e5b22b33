// What a walker tells of the users on their way, and to whom.
import type { Received } from '@jolt-gate/core'
import type { Failure } from './assessor.js'
import type { Exchange } from '../http/exchange.js'
import type { Iteration, Branch } from './iteration.js'
import type { TimedOperation } from '../compile/program.js'

/** Times and sizes of one timed thing: an exchange, or an event of another protocol. */
export interface Sample {
  dueMs: number
  startedMs: number
  endedMs: number
  /** 0 where nothing came. */
  firstByteMs: number
  /** −1 where no connection was made. */
  connectMs: number
  bytesSent: number
  bytesReceived: number
  /** Whether it was sent once more, since its connection was closed without an answer. */
  isResent: boolean
}

/** How a request ended, for the one who records it. */
export interface Ended {
  iteration: Iteration
  operation: TimedOperation
  sample: Sample
  /** The exchange in full, where it was one. */
  exchange: Exchange<Branch> | null
  received: Received | null
  failure: Failure | null
  /** Index in the operation's checks, with whether it held. */
  checks: boolean[]
}

/** A request in flight. */
export interface OpenRequest {
  iteration: Iteration
  /** Number of the step in the shape of the run. */
  step: number
  dueMs: number
}

/** How an iteration ended; unfinished: cut off while nothing of it was open that should have ended. */
export type HowEnded = 'finished' | 'failed' | 'cut off' | 'unfinished'

export interface WalkerListener {
  onStarted(iteration: Iteration, sample: Sample): void
  onEnded(ended: Ended): void
  /** A step that is no request failed, such as a call into a script. */
  onStepFailed(iteration: Iteration, operation: TimedOperation, failure: Failure): void
  onGroup(iteration: Iteration, group: number, beganMs: number, timeMs: number | null): void
  /** An iteration comes to a call into a script. */
  onCalled(iteration: Iteration, operation: TimedOperation): void
  onIterationEnded(iteration: Iteration, how: HowEnded): void
  onLocalFault(detail: string): void
}

/** The times of something that is no exchange. */
export function plainSample(dueMs: number, startedMs: number, endedMs: number): Sample {
  return { dueMs, startedMs, endedMs, firstByteMs: 0, connectMs: -1, bytesSent: 0, bytesReceived: 0, isResent: false }
}
