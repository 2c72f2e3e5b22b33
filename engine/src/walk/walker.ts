// Users on their way through a journey: what each does next, and when.
import TinyQueue from 'tinyqueue'
import { Draws, pickIndex, TRACE_HEADER, waitMs, type Frame } from '@jolt-gate/core'
import type { Alarm } from '../clock/alarm.js'
import { Assessor, NOTHING, type Failure } from './assessor.js'
import { monotonicMs } from '../clock/clock.js'
import { Connections } from '../http/connections.js'
import type { WalkerOptions } from './options.js'
import { Cookies } from '../http/cookies.js'
import { Deadlines } from '../http/deadlines.js'
import { Exchange, type ExchangeOwner, type ExchangeOutcome } from '../http/exchange.js'
import type { HowEnded, OpenRequest, WalkerListener } from './listener.js'
import { beginGroups, noteEnd, noteWait, timeOfGroup } from './groups.js'
import { branchOf, Iteration, placeOf, type OpenGroup, type Branch } from './iteration.js'
import type { Condition, Program, SendOperation, TimedOperation } from '../compile/program.js'
import { OtherSteps, type Cancellable, type StepHost } from './other-steps.js'

/** How an iteration begins. */
export interface Beginning {
  program: Program
  user: number
  /** Number of the iteration of a user who comes back; 0 for all others. */
  iteration?: number
  phase: number
  frame: Frame
  dueMs: number
  /** The user of the closed model whose iteration it is. */
  slot?: number
  /** The last iteration of a user who comes back: its cookies, connections and kept values stay. */
  previous?: Iteration | undefined
  /** The operation it begins with; by default the first. */
  from?: number
  /** Cookies that it has already. */
  cookies?: Cookies | null
}

export class Walker implements ExchangeOwner<Branch>, StepHost {
  readonly iterations = new Set<Iteration>()
  private readonly connections: Connections
  /** Of users who share none. */
  private readonly ownConnections = new Set<Connections>()
  readonly open = new Set<Cancellable | Exchange<Branch>>()
  private readonly waiting = new TinyQueue<Branch>([], (a, b) => a.dueMs - b.dueMs)
  private readonly deadlines = new Deadlines()
  private readonly draws: Draws
  readonly assessor: Assessor
  private readonly others: OtherSteps
  /** Requests begun and ended so far: none may be lost between. */
  startedSends = 0
  endedSends = 0
  private alarm: Alarm | undefined
  private armedMs = Infinity
  private loadEndMs = Infinity
  /** Whether a request is being made now. */
  private isStarting = false

  constructor(
    readonly options: WalkerOptions,
    readonly listener: WalkerListener,
  ) {
    this.draws = new Draws(options.seed)
    this.connections = new Connections(options.route)
    this.assessor = new Assessor(this.draws, options.mask)
    this.others = new OtherSteps(this)
  }

  /** The alarm that calls `ring`; given after construction, since each needs the other. */
  useAlarm(alarm: Alarm): void {
    this.alarm = alarm
  }

  /** Begins an iteration that was due at a moment. */
  begin(beginning: Beginning): void {
    const {
      program,
      user,
      iteration: number = 0,
      phase,
      frame,
      dueMs,
      slot = -1,
      previous,
      from = 0,
      cookies = null,
    } = beginning
    program.begin(frame, user, number, this.draws)
    const iteration = new Iteration(program, user, number, phase, frame, dueMs, slot)
    iteration.cookies = previous?.cookies ?? cookies
    iteration.connections = previous?.connections ?? null
    iteration.next = from
    this.iterations.add(iteration)
    this.advance(iteration, dueMs)
  }

  /** Does all that is due now; returns when it wants to be called again. */
  runDue(): number {
    const now = monotonicMs()
    for (let branch = this.waiting.peek(); branch !== undefined && branch.dueMs <= now; branch = this.waiting.peek()) {
      this.waiting.pop()
      if (this.iterations.has(branch.iteration)) this.advance(branch, branch.dueMs)
    }
    this.deadlines.run(now)
    return this.nextMs()
  }

  nextMs(): number {
    return Math.min(this.waiting.peek()?.dueMs ?? Infinity, this.deadlines.nextMs())
  }

  /** Sets the alarm for the earlier of what waits here and a moment of the caller's. */
  arm(otherMs: number): void {
    this.armedMs = Math.min(otherMs, this.nextMs())
    this.alarm?.set(this.armedMs)
  }

  /** From this moment on nobody begins any more: what goes on until then comes to its end. */
  endLoadAt(atMs: number): void {
    this.loadEndMs = atMs
    const waiting: Branch[] = []
    for (let branch = this.waiting.pop(); branch !== undefined; branch = this.waiting.pop()) waiting.push(branch)
    for (const branch of waiting) {
      const operation = branch.iteration.program.operations[branch.next - 1]
      if (operation?.kind === 'wait' && operation.endsWithLoad) branch.dueMs = Math.min(branch.dueMs, atMs)
      this.waiting.push(branch)
    }
  }

  /**
   * Ends all iterations at once: open requests are cut off, and their iterations with them. Those in a wait, or in a
   * connection that is as it should be, are unfinished.
   */
  cutOff(): void {
    const iterations = [...this.iterations]
    this.iterations.clear()
    const cut = new Set<Iteration>()
    for (const one of [...this.open]) {
      if (one instanceof Exchange) {
        cut.add(one.user.iteration)
        one.cancel('cut off', 'the drain ended')
      } else if (one.isResting) one.leave()
      else {
        cut.add(one.iteration)
        one.cancel('cut off', 'the drain ended')
      }
    }
    this.open.clear()
    for (const iteration of iterations)
      this.endIteration(iteration, cut.has(iteration) ? 'cut off' : iteration.hasFailed ? 'failed' : 'unfinished')
  }

  /** Requests in flight now. */
  *openRequests(): Generator<OpenRequest> {
    for (const one of this.open)
      if (one instanceof Exchange) yield { iteration: one.user.iteration, step: one.operation.step, dueMs: one.dueMs }
  }

  close(): void {
    this.connections.close()
    for (const own of this.ownConnections) own.close()
    this.others.close()
    this.alarm?.close()
  }

  // ---------- what exchanges ask of their owner

  permits(origin: string): boolean {
    return this.options.permitted.has(origin)
  }

  connectionsOf({ iteration }: Branch): Connections {
    if (this.options.connections === 'shared') return this.connections
    if (iteration.connections === null) {
      iteration.connections = new Connections(this.options.route)
      this.ownConnections.add(iteration.connections)
    }
    return iteration.connections
  }

  cookiesOf({ iteration }: Branch): Cookies | null {
    return iteration.cookies
  }

  storeCookies({ iteration }: Branch, url: string, fields: string[]): void {
    iteration.cookies ??= Cookies.none()
    iteration.cookies.store(url, fields)
  }

  // ---------- a branch advances

  private advance(branch: Branch, atMs: number): void {
    const { iteration } = branch
    let at = atMs
    for (;;) {
      if (iteration.isEnding || branch.next >= branch.end) {
        this.endBranch(branch, at)
        return
      }
      const operation = iteration.program.operations[branch.next]
      if (operation === undefined) return
      branch.next++
      switch (operation.kind) {
        case 'send':
          beginGroups(branch, at)
          this.send(branch, operation, at)
          return
        case 'socket':
          beginGroups(branch, at)
          this.others.talk(branch, operation, at)
          return
        case 'sql':
          this.others.runSql(branch, operation, at)
          return
        case 'call':
          this.others.call(branch, operation)
          break
        case 'wait': {
          const drawn = waitMs(operation.wait, this.drawAt(iteration, operation.place))
          const length = operation.endsWithLoad ? Math.min(drawn, Math.max(0, this.loadEndMs - at)) : drawn
          noteWait(branch, length)
          this.waitUntil(branch, at + length)
          return
        }
        case 'group':
          branch.groups.push({ group: operation.group, firstDueMs: -1, lastEndMs: at, waitedMs: 0, hasFailed: false })
          break
        case 'group end': {
          const group = branch.groups.pop()
          if (group !== undefined) this.endGroup(iteration, group)
          break
        }
        case 'when': {
          const holds = this.whetherHolds(branch, operation.condition)
          if (holds !== true) branch.next = holds === false ? operation.otherwise : operation.after
          break
        }
        case 'jump':
          branch.next = operation.to
          break
        case 'repeat begin':
          iteration.frame[operation.counter] = 0
          break
        case 'repeat test':
          if (Number(iteration.frame[operation.counter]) >= operation.times) branch.next = operation.end
          break
        case 'repeat next': {
          iteration.frame[operation.counter] = Number(iteration.frame[operation.counter]) + 1
          iteration.rounds++
          const isDone = this.isDone(branch, operation.until, at)
          branch.next = isDone ? operation.end : operation.begin
          // A round that took no time is followed by the next in a turn of its own.
          if (!isDone && operation.until === 'load ends' && at === iteration.roundEndMs) {
            this.waitUntil(branch, monotonicMs())
            return
          }
          iteration.roundEndMs = at
          break
        }
        case 'until unmet': {
          const detail = `not true after ${String(operation.rounds)} rounds`
          this.failStep(branch, operation, { kind: 'until', detail, isOnTime: false }, true)
          break
        }
        case 'pick':
          branch.next =
            operation.targets[pickIndex(operation.weights, this.drawAt(iteration, operation.place))] ?? branch.next
          break
        case 'parallel':
          this.fork(branch, operation.branches, operation.next, at)
          return
        default:
          at = operation satisfies never
      }
    }
  }

  private waitUntil(branch: Branch, dueMs: number): void {
    branch.dueMs = dueMs
    this.waiting.push(branch)
    if (dueMs < this.armedMs) this.arm(dueMs)
  }

  /**
   * Whether a condition holds. One that cannot be evaluated neither holds nor does not: the step whose answer it looks
   * at has failed, unless there was no answer, which has failed it already.
   */
  private whetherHolds(branch: Branch, { verify, name }: Condition): boolean | undefined {
    const { iteration } = branch
    const { last, lastOperation } = iteration
    const holds = this.assessor.holds(verify, last ?? NOTHING, iteration.frame)
    const { fault } = this.assessor
    if (fault === '') return holds
    if (lastOperation === null) {
      this.noteFailure(branch, iteration.lastEndMs, 'local')
      this.listener.onLocalFault(`${name}: ${fault}`)
    } else if (last !== NOTHING) {
      const failure: Failure = { kind: 'check', detail: `${name}: ${fault}`, isOnTime: false }
      this.failStep(branch, lastOperation, failure, true)
    }
    return undefined
  }

  /** Whether a repeat is over after a round; an answer that cannot be read has not come true yet. */
  private isDone(branch: Branch, until: Condition | 'load ends' | undefined, atMs: number): boolean {
    if (until === undefined) return false
    if (until === 'load ends') return atMs >= this.loadEndMs
    const { last, frame } = branch.iteration
    const holds = this.assessor.holds(until.verify, last ?? NOTHING, frame)
    if (this.assessor.fault === '' || this.assessor.isUnreadable) return holds
    return this.whetherHolds(branch, until) === true
  }

  /** A step that is no request failed, or what was made of its answer. */
  failStep(branch: Branch, operation: TimedOperation, failure: Failure, continues: boolean): void {
    this.noteFailure(branch, branch.iteration.lastEndMs, failure.kind)
    this.listener.onStepFailed(branch.iteration, operation, failure)
    if (!continues || operation.endsIterationOnFailure) branch.iteration.isEnding = true
  }

  private noteFailure(branch: Branch, endedMs: number, kind: Failure['kind']): void {
    branch.iteration.hasOtherFailure = true
    if (kind === 'local') branch.iteration.hasLocalFault = true
    noteEnd(branch, endedMs, true)
  }

  private fork(parent: Branch, branches: { from: number; to: number }[], next: number, atMs: number): void {
    parent.next = next
    parent.open = branches.length
    parent.branchesEndMs = atMs
    parent.branchesWaitedMs = 0
    for (const { from, to } of branches) {
      const branch = branchOf(parent, from, to, atMs)
      this.advance(branch, atMs)
    }
  }

  private endBranch(branch: Branch, atMs: number): void {
    // Groups that a branch was in when it was told to end are incomplete.
    for (const group of branch.groups.splice(0).reverse())
      this.endGroup(branch.iteration, { ...group, hasFailed: true })
    const { parent, iteration } = branch
    if (parent !== null) {
      if (atMs >= parent.branchesEndMs) {
        parent.branchesEndMs = atMs
        parent.branchesWaitedMs = branch.waitedMs
      }
      parent.open--
      if (parent.open > 0) return
      noteWait(parent, parent.branchesWaitedMs)
      this.advance(parent, parent.branchesEndMs)
      return
    }
    iteration.lastEndMs = Math.max(iteration.lastEndMs, atMs)
    if (this.iterations.delete(iteration)) this.endIteration(iteration, iteration.hasFailed ? 'failed' : 'finished')
  }

  private endIteration(iteration: Iteration, how: HowEnded): void {
    // Those of a user who comes back are kept for its next iteration.
    if (iteration.connections !== null && !iteration.program.returning) {
      iteration.connections.close()
      this.ownConnections.delete(iteration.connections)
    }
    this.listener.onIterationEnded(iteration, how)
  }

  /** Draws at a place of an iteration. */
  drawAt(iteration: Iteration, place: number): Draws {
    return this.draws.at(iteration.user, iteration.number, placeOf(iteration, place))
  }

  private endGroup(iteration: Iteration, group: OpenGroup): void {
    this.listener.onGroup(iteration, group.group, group.firstDueMs, timeOfGroup(group))
  }

  // ---------- requests

  private send(branch: Branch, operation: SendOperation, dueMs: number): void {
    const { frame } = branch.iteration
    const exchange = new Exchange<Branch>(branch, operation, this)
    this.startedSends++
    this.open.add(exchange)
    exchange.limitAtMs = dueMs + operation.timeoutMs
    this.deadlines.add(exchange, operation.timeoutMs)
    if (exchange.limitAtMs < this.armedMs) this.arm(exchange.limitAtMs)
    // What ends at once must not make the stack grow: the user goes on in a turn of its own.
    this.isStarting = true
    this.start(exchange, operation, frame, dueMs)
    this.isStarting = false
    this.listener.onStarted(branch.iteration, exchange)
  }

  private start(exchange: Exchange<Branch>, { request }: SendOperation, frame: Frame, dueMs: number): void {
    let url: string | undefined
    let headers: string[]
    let body: string | Uint8Array | null
    try {
      headers = this.traced(exchange, exchange.user.iteration, request.headers(frame))
      url = request.url(frame)
      body = request.body?.(frame) ?? null
    } catch (error) {
      exchange.fail(dueMs, error)
      return
    }
    exchange.start(dueMs, this.options.origin, url, headers, body)
  }

  /** Headers with the trace context; one that the plan gives stays. */
  private traced(exchange: Exchange<Branch>, iteration: Iteration, headers: string[]): string[] {
    const { traces } = this.options
    if (traces === null || headers.includes(TRACE_HEADER)) return headers
    const place = placeOf(iteration, exchange.operation.place)
    const { trace, header } = traces.of(iteration.user, iteration.number, place)
    exchange.trace = trace
    return [...headers, TRACE_HEADER, header]
  }

  /** Called by an exchange that has ended. */
  onEnd(exchange: Exchange<Branch>, outcome: ExchangeOutcome): void {
    const { user: branch, operation } = exchange
    const { iteration } = branch
    this.open.delete(exchange)
    this.deadlines.remove(exchange, operation.timeoutMs)
    if (outcome.kind === 'local') {
      iteration.hasLocalFault = true
      this.listener.onLocalFault(outcome.detail)
    }
    const assessed = this.assessor.assess(iteration, operation, outcome)
    if (iteration.program.needsLast) {
      iteration.last = outcome.kind === 'answered' ? outcome.received : NOTHING
      iteration.lastOperation = operation
    }
    this.endedSends++
    noteEnd(branch, exchange.endedMs, assessed.failure !== null)
    this.listener.onEnded({
      iteration,
      operation,
      sample: exchange,
      exchange,
      received: outcome.kind === 'answered' ? outcome.received : null,
      failure: assessed.failure,
      checks: assessed.checks,
    })
    this.after(branch, operation, assessed.failure, assessed.continues, exchange.endedMs)
  }

  after(branch: Branch, operation: TimedOperation, failure: Failure | null, continues: boolean, endedMs: number): void {
    if (!this.iterations.has(branch.iteration)) return
    if (!continues || (failure !== null && operation.endsIterationOnFailure)) branch.iteration.isEnding = true
    if (this.isStarting) this.waitUntil(branch, endedMs)
    else this.advance(branch, endedMs)
  }
}
