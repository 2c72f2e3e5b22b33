// The seam between the coordinator of a run and what makes its load: what the one asks of the other, and what it hears.
// Generators are threads of this process (thread-generators.ts), and may be elsewhere; a run does not know which.
import type { Bucket, FleetGenerator, Frame, GeneratorFaults, Loss } from '@jolt-gate/core'
import type { Compiled } from '../compile/program.js'
import type { OnceOutcome } from '../walk/once.js'
import type { SenderCounts, ThreadData, ToSender } from '../generate/sender-protocol.js'

/** Setup, teardown, or a step of setup that is made once more. */
export interface WalkAsked {
  part: 'setup' | 'teardown'
  /** One operation of it alone, by its place. */
  only?: number
  frame: Frame
  /** Setup ends at its first failure; teardown continues. */
  endsOnFailure: boolean
  withinMs: number
}

/** What a load needs besides its plan. */
export interface LoadOrder {
  /** What setup kept, by slot, and which of it is secret. */
  setupValues: Frame
  maskedValues: string[]
  /** An arrival that is later than this is not started. */
  mostLateMs: number
  /** Whether generators warm up before they are ready. */
  warmsUp: boolean
  /** Whether the target's metrics are read; by default they are. */
  readsMetrics?: boolean
  /** Whether every request is told of. */
  tellsSamples: boolean
}

/** What is heard of a load while it lasts. */
export interface LoadEvents {
  /** A second of all generators, with what the host and the metrics of the target said in it. */
  onBucket: (bucket: Bucket) => void
  /** Rows of CSV, of the requests that ended in a second. */
  onSamples: (text: string, count: number) => void
  /** The rows of a data set have run out. */
  onDataSpent: (name: string, then: 'void' | 'stop', isClosed: boolean) => void
  /** All users of a generator have made their iterations, in ms from the start of the load. */
  onIterationsMade: (atMs: number) => void
  /** A generator is gone before its time. */
  onDeath: () => void
  /** A generator is gone, and the others go on, as the plan says. */
  onLoss: (loss: Loss) => void
}

/** Words to all generators of a load. */
export type LoadWord = Extract<ToSender, { kind: 'stop' | 'end load' | 'renewed' }>

/** The load of a run, from its preparation to its end. */
export interface Load {
  /** Resolves when every generator can begin. */
  readonly ready: Promise<unknown>
  /** Resolves when every generator has ended, however it did. */
  readonly ended: Promise<unknown>
  /** Requests that came to their end. */
  readonly counts: Readonly<SenderCounts>
  /** Generators that were ended by force: what they had not told is gone. */
  readonly killed: number
  /** The load begins at this moment of the monotonic clock. */
  begin(startMs: number): void
  send(word: LoadWord): void
  /**
   * Ends by force what has not ended by then.
   *
   * @param why - what it means for the run
   */
  endWithin(ms: number, why: string): void
}

export interface Generators {
  /** Resolves when they can be asked for more, with the reason where they cannot. */
  readonly joined: Promise<string | undefined>
  /** Between the word to begin and the first moment of the load, in ms. */
  readonly leadMs: number
  /** Walks setup or teardown; what cannot be evaluated in time has failed. */
  walk(asked: WalkAsked): Promise<OnceOutcome>
  /** Setup is wanted no more. */
  giveUp(): void
  /** Has every generator prepare its part of the load. */
  prepare(order: LoadOrder, faults: GeneratorFaults, events: LoadEvents): Load
  /** Those that are not threads of this process. */
  fleet(): FleetGenerator[]
  close(): void
}

/** What generators are made for. */
export interface GeneratorsFor {
  data: ThreadData
  compiled: Compiled
  /** More threads than this would have no part of a cap. */
  mostSenders: number
}

/** Makes the generators of a run. */
export type GeneratorsMaker = (run: GeneratorsFor) => Generators
