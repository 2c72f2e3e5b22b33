// Steps that are no HTTP request: calls into scripts, statements to databases, talks over sockets.
import { Received, waitMs, type Draws, type FailureKind, type Json } from '@jolt-gate/core'
import { noteEnd } from '../groups.js'
import type { Assessor, Failure } from '../assessor.js'
import { monotonicMs } from '../clock.js'
import { plainSample, type WalkerListener } from '../listener.js'
import type { Pass, Strand } from '../pass.js'
import type { CallOperation, SocketOperation, SqlOperation, TimedOperation } from '../program.js'
import type { WalkerOptions } from '../walker.js'
import { Scripts } from './script.js'
import { SocketTalker, type SocketEvent } from './socket.js'
import { runSql } from './sql.js'

/** Something that goes on and can be given up. */
export interface Cancellable {
  cancel(failure: FailureKind, detail: string): void
}

/** What these steps ask of the walker that they belong to. */
export interface StepHost {
  readonly options: WalkerOptions
  readonly listener: WalkerListener
  readonly assessor: Assessor
  /** What is open now, to be cut off when the drain ends. */
  readonly open: Set<Cancellable>
  permits(origin: string): boolean
  drawAt(pass: Pass, place: number): Draws
  after(strand: Strand, operation: TimedOperation, failure: Failure | null, goesOn: boolean, endedMs: number): void
  excerptOf(body: string): string
}

const NO_CHECKS: boolean[] = []

export class OtherSteps {
  private readonly scripts = new Scripts()

  constructor(private readonly host: StepHost) {}

  close(): void {
    this.scripts.close()
  }

  /** Calls a function in its sandbox; it ends before this returns. */
  call(strand: Strand, operation: CallOperation): void {
    const { pass } = strand
    const draws = this.host.drawAt(pass, operation.place)
    const outcome = this.scripts.call(operation.call, operation.argument(pass.frame), () => draws.next())
    if (outcome.kind === 'returned') {
      const received = Received.ofText(outcome.json)
      const { failure, goesOn } = this.host.assessor.keepAll(pass, operation, received)
      if (failure === null) return
      this.failStep(strand, operation, failure, goesOn)
      return
    }
    const goesOn = this.host.assessor.keepNothing(pass, operation)
    this.failStep(strand, operation, { kind: 'check', detail: outcome.detail, isOnTime: false }, goesOn)
  }

  private failStep(strand: Strand, operation: TimedOperation, failure: Failure, goesOn: boolean): void {
    noteEnd(strand, strand.pass.lastEndMs, true)
    this.host.listener.onStepFailed(strand.pass, operation, failure)
    if (!goesOn || operation.endsPassOnFailure) strand.pass.isEnding = true
  }

  runSql(strand: Strand, operation: SqlOperation, dueMs: number): void {
    const { frame } = strand.pass
    const startedMs = monotonicMs()
    const parameters: (Json | undefined)[] = operation.parameters.map((read) => read(frame))
    void runSql(operation.database(frame), operation.statement, parameters, operation.timeoutMs).then((outcome) => {
      const failure: Failure | null =
        outcome.kind === 'done' ? null : { kind: 'check', detail: outcome.detail, isOnTime: false }
      const sample = plainSample(dueMs, startedMs, monotonicMs())
      noteEnd(strand, sample.endedMs, failure !== null)
      this.host.listener.onEnded({
        pass: strand.pass,
        operation,
        sample,
        exchange: null,
        received: outcome.kind === 'done' ? Received.ofText(outcome.json) : null,
        failure,
        checks: NO_CHECKS,
        excerpt: () => '',
      })
      this.host.after(strand, operation, failure, true, sample.endedMs)
    })
  }

  talk(strand: Strand, operation: SocketOperation, dueMs: number): void {
    const { pass } = strand
    const url = operation.url(pass.frame)
    const target =
      url === undefined || !URL.canParse(url, this.host.options.origin)
        ? undefined
        : new URL(url, this.host.options.origin)
    if (target === undefined || !this.host.permits(target.origin)) {
      const failure: Failure = {
        kind: 'not permitted',
        detail: target?.origin ?? url ?? 'a value of the URL is missing',
        isOnTime: false,
      }
      this.onSocketEvent(strand, operation, plainEvent(dueMs, failure))
      this.host.after(strand, operation, failure, true, monotonicMs())
      return
    }
    target.protocol = target.protocol.replace('http', 'ws')
    let lastFailure: Failure | null = null
    let goesOn = true
    const talker: SocketTalker = new SocketTalker(
      {
        operation,
        url: target.href,
        frame: pass.frame,
        network: this.host.options.network,
        waitMs: (act) => waitMs(act.wait, this.host.drawAt(pass, act.place)),
        onEvent: (event) => {
          const assessed = this.onSocketEvent(strand, operation, event)
          lastFailure ??= assessed.failure
          goesOn &&= assessed.goesOn
          return goesOn && event.failure?.kind !== 'reset'
        },
        onEnd: (endedMs) => {
          this.host.open.delete(talker)
          this.host.after(strand, operation, lastFailure, goesOn, endedMs)
        },
      },
      dueMs,
    )
    this.host.open.add(talker)
  }

  private onSocketEvent(
    strand: Strand,
    operation: SocketOperation,
    event: SocketEvent,
  ): { failure: Failure | null; goesOn: boolean } {
    const { pass } = strand
    const timed = event.act === undefined ? operation : event.act.timed
    const kept =
      event.received === undefined
        ? { failure: null, goesOn: event.failure === null || this.host.assessor.keepNothing(pass, timed) }
        : this.host.assessor.keepAll(pass, timed, event.received)
    const failure: Failure | null = event.failure === null ? kept.failure : { ...event.failure, isOnTime: false }
    if (pass.program.needsLast && event.received !== undefined) pass.last = event.received
    noteEnd(strand, event.endedMs, failure !== null)
    const sample = {
      ...plainSample(event.dueMs, event.dueMs, event.endedMs),
      bytesSent: event.bytesSent,
      bytesReceived: event.bytesReceived,
    }
    this.host.listener.onEnded({
      pass,
      operation: timed,
      sample,
      exchange: null,
      received: event.received ?? null,
      failure,
      checks: NO_CHECKS,
      excerpt: () => this.host.excerptOf(event.received?.body ?? ''),
    })
    return { failure, goesOn: kept.goesOn }
  }
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
