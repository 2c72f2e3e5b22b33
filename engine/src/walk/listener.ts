// What a walker tells of the users on their way, and to whom.
import type { Received } from '@jolt-gate/core'
import type { Failure } from './assessor.js'
import type { Exchange } from './exchange.js'
import type { Pass, Strand } from './pass.js'
import type { TimedOperation } from './program.js'

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
}

/** How a request ended, for whoever records it. */
export interface Ended {
  pass: Pass
  operation: TimedOperation
  sample: Sample
  /** The exchange in full, where it was one. */
  exchange: Exchange<Strand> | null
  received: Received | null
  failure: Failure | null
  /** Index in the operation's checks, with whether it held. */
  checks: boolean[]
  /** Text of the answer, for a sample of a failure; empty when there was none. */
  excerpt: () => string
}

export interface WalkerListener {
  onStarted(pass: Pass, sample: Sample): void
  onEnded(ended: Ended): void
  /** A step that is no request failed, such as a call into a script. */
  onStepFailed(pass: Pass, operation: TimedOperation, failure: Failure): void
  onGroup(pass: Pass, group: number, beganMs: number, timeMs: number | null): void
  onPassEnded(pass: Pass, how: 'finished' | 'failed' | 'cut off'): void
  onLocalFault(detail: string): void
}

/** The times of something that is no exchange. */
export function plainSample(dueMs: number, startedMs: number, endedMs: number): Sample {
  return { dueMs, startedMs, endedMs, firstByteMs: 0, connectMs: -1, bytesSent: 0, bytesReceived: 0 }
}
