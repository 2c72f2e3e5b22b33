// What a kind of step must say of itself to be walked. Each kind is one object of this shape, in a folder of its name;
// kinds.ts lists them.
import type { Draws, FailureKind, Step } from '@jolt-gate/core'
import type { ProgramCompiler } from '../../compile/program-compiler.js'
import type { Operation, TimedOperation } from '../../compile/program.js'
import type { Assessor, Failure } from '../assessor.js'
import type { Branch, Iteration, OpenGroup } from '../iteration.js'
import type { WayOut } from '../../network/way-out.js'
import type { WalkerListener } from '../listener.js'
import type { WalkerOptions } from '../options.js'
import type { Scripts } from './call/scripts.js'
import type { CallSessions } from './grpc/sessions.js'

/**
 * What a step becomes in a program.
 *
 * The members are methods, so that a kind's object may stand in a table for any step: it is only asked of its own.
 */
export interface StepCompiler<S extends Step> {
  /** Adds the operations of the step to the program. */
  compile(step: S, program: ProgramCompiler): void
}

/** A step as it runs: what it becomes, and what is done there. A kind may become several operations. */
export interface StepRunner<S extends Step, Kinds extends Operation['kind']> extends StepCompiler<S> {
  readonly run: { readonly [Kind in Kinds]: Run<OperationOf<Kind>> }
}

export type OperationOf<Kind extends Operation['kind']> = Extract<Operation, { kind: Kind }>

interface OperationRunner<One extends Operation> {
  /**
   * Does an operation that is due.
   *
   * @returns whether the branch goes on at once; else it waits, and goes on by `waitUntil` or `goOn` of the walk
   */
  run(walk: Walk, branch: Branch, operation: One, atMs: number): boolean
}
export type Run<One extends Operation> = OperationRunner<One>['run']

/** What steps ask of the walk that they are in. */
export interface Walk {
  readonly options: WalkerOptions
  readonly listener: WalkerListener
  readonly assessor: Assessor
  readonly requests: { send(branch: Branch, operation: OperationOf<'send'>, dueMs: number): void }
  readonly scripts: Scripts
  /** The connections of a user for calls. */
  sessionsOf(iteration: Iteration): CallSessions
  /** The way out of a user. */
  outOf(iteration: Iteration): WayOut
  /** What lasts, requests aside: it is cut off when the drain ends. */
  readonly open: Set<Cancellable>
  /** From then on no iteration begins. */
  readonly loadEndMs: number
  /** Draws at a place of an iteration. */
  drawAt(iteration: Iteration, place: number): Draws
  /** A branch goes on at a moment, in a turn of its own. */
  waitUntil(branch: Branch, dueMs: number): void
  /** What a branch waited for has ended: it goes on, or its iteration ends. */
  goOn(branch: Branch, operation: TimedOperation, outcome: StepOutcome, endedMs: number): void
  /** Walks parts of a branch at once; whether all of them have ended already. */
  fork(parent: Branch, parts: readonly { from: number; to: number }[], atMs: number): boolean
  endGroup(iteration: Iteration, group: OpenGroup): void
  /** A step that is no request failed, or what was made of its answer. */
  failStep(branch: Branch, operation: TimedOperation, failure: Failure, continues: boolean): void
}

/** How something that is timed ended, for its iteration. */
export interface StepOutcome {
  failure: Failure | null
  /** Whether all is there that the iteration needs to go on. */
  continues: boolean
}

/** Something that lasts and can be cancelled. */
export interface Cancellable {
  readonly iteration: Iteration
  /** Whether nothing is under way in it that should have ended. */
  readonly isResting: boolean
  /** Ends it without a failure. */
  leave(): void
  cancel(failure: FailureKind, detail: string): void
}
