// What the parent and its senders say to one another.
import type { Frame, Json, Plan, RunShape, Target } from '@jolt-gate/core'
import type { RunValues } from '../compile/program.js'

export interface SenderData {
  plan: Plan
  target: Target
  shape: RunShape
  run: RunValues
  /** This sender starts the arrivals whose number leaves this remainder. */
  index: number
  senders: number
  /** What setup kept, by slot, and which of it is secret. */
  setupValues: Frame
  maskedValues: string[]
  /** An arrival that is later than this is not started. */
  mostLateMs: number
  /** Whether it tells of every request. */
  tellsSamples: boolean
  /** Whether it warms up before it is ready. */
  warmsUp: boolean
  /** Users in flight over all senders, then rows taken of each data set. */
  shared: Int32Array<SharedArrayBuffer>
  /** Bytes of the files that requests carry. */
  files: Map<string, Uint8Array>
}

/** Requests that a sender began, that ended, and all that it recorded, messages of sockets included. */
export interface SenderCounts {
  started: number
  ended: number
  recorded: number
}

export type FromSender =
  | { kind: 'ready' }
  | { kind: 'bucket'; bytes: Uint8Array<ArrayBuffer> }
  /** Rows of CSV, of the requests that ended in a second. */
  | { kind: 'samples'; text: string; count: number }
  | { kind: 'local fault'; detail: string }
  /** The rows of a data set have run out. */
  | { kind: 'data spent'; name: string; then: 'void' | 'stop'; isClosed: boolean }
  /** All users of this sender have made their iterations, in ms from the start of the load. */
  | { kind: 'iterations made'; atMs: number }
  | { kind: 'done'; counts: SenderCounts }

export type ToSender =
  /** The load begins at this moment of the monotonic clock. */
  | { kind: 'start'; startMs: number }
  | { kind: 'stop' }
  /** Nobody begins any more; those under way may finish. */
  | { kind: 'end load' }
  /** Setup was renewed: what it kept, every user sees from now on. */
  | { kind: 'renewed'; values: [slot: number, value: Json][]; masked: string[] }
