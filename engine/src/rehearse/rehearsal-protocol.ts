// What is said between the one who asks for a rehearsal and the process that makes it.
import type { FromRehearsal } from './rehearse-thread.js'
import type { Rehearsed } from './rehearsing.js'

/** A rehearsal to make. */
export interface RehearsalOrder {
  kind: 'rehearse'
  rehearsed: Rehearsed
  /** A file that is there for as long as it is made, with a note of what it is. */
  journal: { path: string; note: Readonly<Record<string, unknown>> }
}

export type ToRehearsalProcess =
  | RehearsalOrder
  | { kind: 'stop' }
  /** All that it told has come: it may end. */
  | { kind: 'heard' }

export type FromRehearsalProcess = FromRehearsal
