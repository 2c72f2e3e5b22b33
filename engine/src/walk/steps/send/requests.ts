// The requests of a walk: each is an exchange over a connection of its user's, assessed when it has ended.
import { TRACE_HEADER, type Frame } from '@jolt-gate/core'
import type { SendOperation } from '../../../compile/program.js'
import { Connections } from '../../../http/connections.js'
import { Cookies } from '../../../http/cookies.js'
import { Deadlines } from '../../../http/deadlines.js'
import { Exchange, type ExchangeOutcome, type ExchangeOwner } from '../../../http/exchange.js'
import { RequestFields } from '../../../http/links/request-head.js'
import { NOTHING } from '../../assessor.js'
import { noteEnd } from '../../groups.js'
import { placeOf, type Branch, type Iteration } from '../../iteration.js'
import type { OpenRequest } from '../../listener.js'
import { OpenItems } from '../../open-items.js'
import type { Walk } from '../kind.js'

/** What requests ask of the walk that they belong to. */
type RequestsWalk = Pick<Walk, 'options' | 'listener' | 'assessor' | 'goOn' | 'outOf'> & {
  /** Something is to be done at a moment. */
  ringBy(atMs: number): void
}

export class Requests implements ExchangeOwner<Branch> {
  /** Those that take too long end by these. */
  readonly deadlines = new Deadlines()
  /** Requests begun and ended so far: none may be lost between. */
  started = 0
  ended = 0
  private readonly open = new OpenItems<Exchange<Branch>>()
  private readonly connections: Connections
  /** Of the last request of each step: of most steps those of the next. */
  private readonly fields = new Map<SendOperation, RequestFields>()
  /** Of users who share none. */
  private readonly ownConnections = new Set<Connections>()

  constructor(private readonly walk: RequestsWalk) {
    this.connections = new Connections(walk.options.out)
  }

  send(branch: Branch, operation: SendOperation, dueMs: number): void {
    const exchange = new Exchange<Branch>(branch, operation, this)
    this.started++
    this.open.add(exchange)
    exchange.limitAtMs = dueMs + operation.timeoutMs
    this.deadlines.add(exchange, operation.timeoutMs)
    this.walk.ringBy(exchange.limitAtMs)
    this.start(exchange, operation, branch.iteration.frame, dueMs)
  }

  private start(exchange: Exchange<Branch>, operation: SendOperation, frame: Frame, dueMs: number): void {
    const { request } = operation
    let url: string | undefined
    let fields: RequestFields
    let body: string | Uint8Array | null
    try {
      fields = this.fieldsOf(operation, request.headers(frame))
      this.trace(exchange, fields)
      url = request.url(frame)
      body = request.body?.(frame) ?? null
    } catch (error) {
      exchange.fail(dueMs, error)
      return
    }
    exchange.start(dueMs, this.walk.options.origin, url, fields, body)
  }

  /** A list that is the same in every request of a step is written out once. */
  private fieldsOf(operation: SendOperation, list: readonly string[]): RequestFields {
    const known = this.fields.get(operation)
    if (known?.list === list) return known
    const fields = new RequestFields(list)
    this.fields.set(operation, fields)
    return fields
  }

  /** Gives it a trace context, unless the plan does. */
  private trace(exchange: Exchange<Branch>, { list }: RequestFields): void {
    const { traces } = this.walk.options
    if (traces === null || list.includes(TRACE_HEADER)) return
    const { iteration } = exchange.user
    exchange.traceparent = traces.of(iteration.user, iteration.number, placeOf(iteration, exchange.operation.place))
  }

  /** Requests in flight now. */
  *inFlight(): Generator<OpenRequest> {
    for (const { user, operation, dueMs } of this.open) yield { iteration: user.iteration, step: operation.step, dueMs }
  }

  /** Cuts all of them off; gives the iterations that were in one. */
  cutOff(): Set<Iteration> {
    const cut = new Set<Iteration>()
    for (const exchange of this.open.takeAll()) {
      cut.add(exchange.user.iteration)
      exchange.cancel('cut off', 'the drain ended')
    }
    return cut
  }

  /** An iteration has ended: its connections are closed, unless its user comes back and needs them again. */
  leave({ connections, program }: Iteration): void {
    if (connections === null || program.returning) return
    connections.close()
    this.ownConnections.delete(connections)
  }

  close(): void {
    this.connections.close()
    for (const own of this.ownConnections) own.close()
  }

  // ---------- what exchanges ask of their owner

  permits(origin: string): boolean {
    return this.walk.options.out.permits(origin)
  }

  connectionsOf({ iteration }: Branch): Connections {
    const { options } = this.walk
    if (options.connections === 'shared') return this.connections
    if (iteration.connections === null) {
      iteration.connections = new Connections(this.walk.outOf(iteration))
      this.ownConnections.add(iteration.connections)
    }
    return iteration.connections
  }

  cookiesOf({ iteration }: Branch): Cookies | null {
    return iteration.cookies
  }

  onStarted(exchange: Exchange<Branch>): void {
    this.walk.listener.onStarted(exchange.user.iteration, exchange)
  }

  storeCookies({ iteration }: Branch, url: string, fields: readonly string[]): void {
    iteration.cookies ??= Cookies.none()
    iteration.cookies.store(url, fields)
  }

  /** Called by an exchange that has ended. */
  onEnd(exchange: Exchange<Branch>, outcome: ExchangeOutcome): void {
    const { user: branch, operation } = exchange
    const { iteration } = branch
    const { listener, assessor } = this.walk
    this.open.delete(exchange)
    this.deadlines.remove(exchange, operation.timeoutMs)
    if (outcome.kind === 'local') {
      iteration.hasLocalFault = true
      listener.onLocalFault(outcome.detail)
    }
    const assessed = assessor.assess(iteration, operation, outcome)
    const received = outcome.kind === 'answered' ? outcome.received : null
    if (iteration.program.needsLast) {
      iteration.last = received ?? NOTHING
      iteration.lastOperation = operation
    }
    this.ended++
    noteEnd(branch, exchange.endedMs, assessed.failure !== null)
    const { failure, checks } = assessed
    listener.onEnded({ iteration, operation, sample: exchange, exchange, received, failure, checks })
    this.walk.goOn(branch, operation, assessed, exchange.endedMs)
  }
}
