// What the parent and its senders say to one another.
import type { Deal, Frame, Json, Plan, RunShape, Target } from '@jolt-gate/core'
import type { RunValues } from '../compile/program.js'
import type { RowLease } from './rows.js'
import type { Beat } from '../threads/beat.js'

/** What every thread of a run is given. */
export interface ThreadData {
  plan: Plan
  target: Target
  shape: RunShape
  run: RunValues
  /** Bytes of the files that requests carry. */
  files: Map<string, Uint8Array>
}

export interface SenderData extends ThreadData {
  /** This sender's number among those that share the load, and how it is dealt to them. */
  index: number
  deal: Deal
  /** What setup kept, by slot, and which of it is secret. */
  setupValues: Frame
  maskedValues: string[]
  /** An arrival that is later than this is not started. */
  mostLateMs: number
  /** Whether it tells of every request. */
  tellsSamples: boolean
  /** Shows that the thread is alive, and what it evaluates; undefined where it is not watched. */
  beat?: Beat
  /** Whether it warms up before it is ready. */
  warmsUp: boolean
  /** Whether rows that go once each are leased; else each sender counts them by the arrivals. */
  leasesRows: boolean
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
  /** The next lease of the rows of a data set is asked for. */
  | { kind: 'rows wanted'; set: number }
  /** What is left of the leases of a data set, given back unused. */
  | { kind: 'rows back'; set: number; leases: RowLease[] }
  /** All users of this sender have made their iterations, in ms from the start of the load. */
  | { kind: 'iterations made'; atMs: number }
  | { kind: 'done'; counts: SenderCounts }

export type ToSender =
  /** The load begins at this moment of the monotonic clock. */
  | { kind: 'start'; startMs: number }
  | { kind: 'stop' }
  /** No iteration begins any more; those under way may finish. */
  | { kind: 'end load' }
  /** Rows of a data set that are this sender's alone. */
  | { kind: 'rows'; set: number; lease: RowLease }
  /** Another sender lacks rows of a data set: those that are not used are given back. */
  | { kind: 'rows back'; set: number }
  /** Setup was renewed: what it kept, every user sees from now on. */
  | { kind: 'renewed'; values: [slot: number, value: Json][]; masked: string[] }
