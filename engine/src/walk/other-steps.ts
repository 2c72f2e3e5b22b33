// Steps that are no HTTP request: calls into scripts, statements to databases, talks over sockets.
import { isLoopback, Received, waitMs, type Draws, type FailureKind, type Json } from '@jolt-gate/core'
import { noteEnd } from './groups.js'
import type { Assessor, Failure } from './assessor.js'
import { monotonicMs } from '../clock/clock.js'
import { plainSample, type WalkerListener } from './listener.js'
import { refusalOf } from '../network/reach.js'
import { placeOf, type Iteration, type Branch } from './iteration.js'
import type { CallOperation, SocketOperation, SqlOperation, TimedOperation } from '../compile/program.js'
import type { WalkerOptions } from './options.js'
import type { Exchange } from '../http/exchange.js'
import type { ScriptDraws } from './call/script-thread.js'
import { Scripts } from './call/scripts.js'
import { SocketTalker, type SocketEvent } from './socket/socket-talk.js'
import { runSql } from './sql/run-sql.js'

/** Something that lasts and can be cancelled. */
export interface Cancellable {
  readonly iteration: Iteration
  /** Whether nothing is under way in it that should have ended. */
  readonly isResting: boolean
  /** Ends it without a failure. */
  leave(): void
  cancel(failure: FailureKind, detail: string): void
}

/** What these steps ask of the walker that they belong to. */
export interface StepHost {
  readonly options: WalkerOptions
  readonly listener: WalkerListener
  readonly assessor: Assessor
  /** What is open now, to be cut off when the drain ends. */
  readonly open: Set<Cancellable | Exchange<Branch>>
  permits(origin: string): boolean
  drawAt(iteration: Iteration, place: number): Draws
  after(branch: Branch, operation: TimedOperation, failure: Failure | null, continues: boolean, endedMs: number): void
  failStep(branch: Branch, operation: TimedOperation, failure: Failure, continues: boolean): void
}

const NO_CHECKS: boolean[] = []

export class OtherSteps {
  private readonly scripts = new Scripts()

  constructor(private readonly host: StepHost) {}

  close(): void {
    this.scripts.close()
  }

  /** Calls a function in its sandbox; it ends before this returns. */
  call(branch: Branch, operation: CallOperation): void {
    const { iteration } = branch
    const { user, number } = iteration
    this.host.listener.onCalled(iteration, operation)
    const draws: ScriptDraws = [this.host.options.seed, user, number, placeOf(iteration, operation.place)]
    const outcome = this.scripts.call(operation.call, operation.argument(iteration.frame), draws)
    if (outcome.kind === 'returned') {
      const received = Received.ofText(outcome.json)
      const { failure, continues } = this.host.assessor.keepAll(iteration, operation, received)
      if (failure === null) return
      this.host.failStep(branch, operation, failure, continues)
      return
    }
    const continues = this.host.assessor.keepNothing(iteration, operation)
    this.host.failStep(branch, operation, { kind: 'script', detail: outcome.detail, isOnTime: false }, continues)
  }

  runSql(branch: Branch, operation: SqlOperation, dueMs: number): void {
    const { frame } = branch.iteration
    const startedMs = monotonicMs()
    const parameters: (Json | undefined)[] = operation.parameters.map((read) => read(frame))
    const permits = (host: string) => isLoopback(`http://${host}`) || this.hostsOfTarget().has(host)
    const database = operation.database(frame)
    void runSql(database, operation.statement, parameters, operation.timeoutMs, permits).then((outcome) => {
      const failure: Failure | null =
        outcome.kind === 'done' ? null : { kind: 'sql', detail: outcome.detail, isOnTime: false }
      const sample = plainSample(dueMs, startedMs, monotonicMs())
      noteEnd(branch, sample.endedMs, failure !== null)
      this.host.listener.onEnded({
        iteration: branch.iteration,
        operation,
        sample,
        exchange: null,
        received: outcome.kind === 'done' ? Received.ofText(outcome.json) : null,
        failure,
        checks: NO_CHECKS,
      })
      this.host.after(branch, operation, failure, true, sample.endedMs)
    })
  }

  private hostsOfTarget(): Set<string> {
    return new Set([...this.host.options.permitted].map((origin) => new URL(origin).hostname))
  }

  talk(branch: Branch, operation: SocketOperation, dueMs: number): void {
    const { iteration } = branch
    const url = operation.url(iteration.frame)
    const target =
      url === undefined || !URL.canParse(url, this.host.options.origin)
        ? undefined
        : new URL(url, this.host.options.origin)
    const refused = target === undefined ? undefined : refusalOf(target)
    if (target === undefined || refused !== undefined || !this.host.permits(target.origin)) {
      const failure: Failure = {
        kind: 'not permitted',
        detail: refused ?? target?.origin ?? url ?? 'a value of the URL is missing',
        isOnTime: false,
      }
      this.onSocketEvent(branch, operation, plainEvent(dueMs, failure))
      this.host.after(branch, operation, failure, true, monotonicMs())
      return
    }
    target.protocol = target.protocol.replace('http', 'ws')
    let lastFailure: Failure | null = null
    let continues = true
    const talker: SocketTalker = new SocketTalker(
      {
        operation,
        url: target.href,
        frame: iteration.frame,
        route: this.host.options.route,
        holds: ({ verify }, received) => {
          const { assessor } = this.host
          // A message that cannot be read is not the one that is awaited.
          return assessor.holds(verify, received, iteration.frame) || (assessor.isUnreadable ? '' : assessor.fault)
        },
        waitMs: (act) => waitMs(act.wait, this.host.drawAt(iteration, act.place)),
        onEvent: (event) => {
          const assessed = this.onSocketEvent(branch, operation, event)
          lastFailure ??= assessed.failure
          continues &&= assessed.continues
          return continues && event.failure?.kind !== 'reset' && event.failure?.kind !== 'socket'
        },
        onEnd: (endedMs) => {
          this.host.open.delete(talk)
          this.host.after(branch, operation, lastFailure, continues, endedMs)
        },
      },
      dueMs,
    )
    const talk: Cancellable = {
      iteration,
      get isResting() {
        return talker.isResting
      },
      leave: () => {
        iteration.isStaying = talker.hasOnlyWaitsLeft && isLast(branch)
        talker.leave()
      },
      cancel: (failure, detail) => {
        talker.cancel(failure, detail)
      },
    }
    this.host.open.add(talk)
  }

  private onSocketEvent(
    branch: Branch,
    operation: SocketOperation,
    event: SocketEvent,
  ): { failure: Failure | null; continues: boolean } {
    const { iteration } = branch
    const timed = event.act === undefined ? operation : event.act.timed
    const kept =
      event.received === undefined
        ? { failure: null, continues: event.failure === null || this.host.assessor.keepNothing(iteration, timed) }
        : this.host.assessor.keepAll(iteration, timed, event.received)
    const failure: Failure | null = event.failure === null ? kept.failure : { ...event.failure, isOnTime: false }
    if (iteration.program.needsLast && event.received !== undefined) {
      iteration.last = event.received
      iteration.lastOperation = timed
    }
    noteEnd(branch, event.endedMs, failure !== null)
    const sample = {
      ...plainSample(event.dueMs, event.dueMs, event.endedMs),
      bytesSent: event.bytesSent,
      bytesReceived: event.bytesReceived,
    }
    this.host.listener.onEnded({
      iteration,
      operation: timed,
      sample,
      exchange: null,
      received: event.received ?? null,
      failure,
      checks: NO_CHECKS,
    })
    return { failure, continues: kept.continues }
  }
}

/** Whether nothing comes after the present step of an iteration. */
function isLast({ iteration, parent, next, end }: Branch): boolean {
  return parent === null && iteration.program.operations.slice(next, end).every(({ kind }) => kind === 'group end')
}

function plainEvent(dueMs: number, failure: Failure): SocketEvent {
  return {
    act: undefined,
    dueMs,
    endedMs: monotonicMs(),
    bytesSent: 0,
    bytesReceived: 0,
    failure,
    received: undefined,
  }
}
