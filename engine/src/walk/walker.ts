// Users on their way through a journey: what each does next, and when.
import TinyQueue from 'tinyqueue'
import { Draws, pickIndex, waitMs, type Frame } from '@jolt-gate/core'
import type { Alarm } from './alarm.js'
import { Assessor, NOTHING, type Failure } from './assessor.js'
import { monotonicMs } from './clock.js'
import { Connections, type Network } from './connections.js'
import { Cookies } from './cookies.js'
import { Deadlines } from './deadlines.js'
import { Exchange, type ExchangeOwner, type Outcome } from './exchange.js'
import type { WalkerListener } from './listener.js'
import type { Mask } from './mask.js'
import { beginGroups, noteEnd, noteWait, timeOfGroup } from './groups.js'
import { branchOf, Pass, type OpenGroup, type Strand } from './pass.js'
import type { Program, SendOperation, TimedOperation } from './program.js'
import { OtherSteps, type Cancellable, type StepHost } from './steps/other-steps.js'

export interface WalkerOptions {
  origin: string
  /** Origins that may be reached. */
  permitted: ReadonlySet<string>
  network: Network
  connections: 'shared' | 'per user'
  seed: number
  mask: Mask
}

/** How a pass begins. */
export interface Beginning {
  program: Program
  user: number
  /** Number of the pass of a user who comes back; 0 for all others. */
  pass?: number
  phase: number
  frame: Frame
  dueMs: number
  /** The user of the closed model whose pass it is. */
  slot?: number
  /** The last pass of a user who comes back: its cookies, connections and kept values go on. */
  previous?: Pass | undefined
  /** The operation it begins with; by default the first. */
  from?: number
  /** Cookies that it has already. */
  cookies?: Cookies | null
}

const EXCERPT_LENGTH = 300

export class Walker implements ExchangeOwner<Strand>, StepHost {
  readonly passes = new Set<Pass>()
  private readonly connections: Connections
  /** Of users who share none. */
  private readonly ownConnections = new Set<Connections>()
  readonly open = new Set<Cancellable>()
  private readonly waiting = new TinyQueue<Strand>([], (a, b) => a.dueMs - b.dueMs)
  private readonly deadlines = new Deadlines()
  private readonly draws: Draws
  readonly assessor: Assessor
  private readonly others: OtherSteps
  private alarm: Alarm | undefined
  private armedMs = Infinity

  constructor(
    readonly options: WalkerOptions,
    readonly listener: WalkerListener,
  ) {
    this.draws = new Draws(options.seed)
    this.connections = new Connections(options.network)
    this.assessor = new Assessor(this.draws, options.mask)
    this.others = new OtherSteps(this)
  }

  /** The alarm that calls `ring`; given after construction, since each needs the other. */
  useAlarm(alarm: Alarm): void {
    this.alarm = alarm
  }

  /** Begins a pass that was due at a moment. */
  begin(beginning: Beginning): void {
    const {
      program,
      user,
      pass: number = 0,
      phase,
      frame,
      dueMs,
      slot = -1,
      previous,
      from = 0,
      cookies = null,
    } = beginning
    program.begin(frame, user, number, this.draws)
    const pass = new Pass(program, user, number, phase, frame, dueMs, slot)
    pass.cookies = previous?.cookies ?? cookies
    pass.connections = previous?.connections ?? null
    pass.next = from
    this.passes.add(pass)
    this.goOn(pass, dueMs)
  }

  /** Does all that is due now; returns when it wants to be called again. */
  runDue(): number {
    const now = monotonicMs()
    for (let strand = this.waiting.peek(); strand !== undefined && strand.dueMs <= now; strand = this.waiting.peek()) {
      this.waiting.pop()
      if (this.passes.has(strand.pass)) this.goOn(strand, strand.dueMs)
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

  /** Ends all passes at once: open requests are cut off. */
  cutOff(): void {
    const passes = [...this.passes]
    this.passes.clear()
    for (const request of [...this.open]) request.cancel('cut off', 'the drain ended')
    this.open.clear()
    for (const pass of passes) this.endPass(pass, 'cut off')
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

  connectionsOf({ pass }: Strand): Connections {
    if (this.options.connections === 'shared') return this.connections
    if (pass.connections === null) {
      pass.connections = new Connections(this.options.network)
      this.ownConnections.add(pass.connections)
    }
    return pass.connections
  }

  cookiesOf({ pass }: Strand): Cookies | null {
    return pass.cookies
  }

  storeCookies({ pass }: Strand, url: string, fields: string[]): void {
    pass.cookies ??= new Cookies()
    pass.cookies.store(url, fields)
  }

  // ---------- a strand goes on

  private goOn(strand: Strand, atMs: number): void {
    const { pass } = strand
    let at = atMs
    for (;;) {
      if (pass.isEnding || strand.next >= strand.end) {
        this.endStrand(strand, at)
        return
      }
      const operation = pass.program.operations[strand.next]
      if (operation === undefined) return
      strand.next++
      switch (operation.kind) {
        case 'send':
          beginGroups(strand, at)
          this.send(strand, operation, at)
          return
        case 'socket':
          beginGroups(strand, at)
          this.others.talk(strand, operation, at)
          return
        case 'sql':
          this.others.runSql(strand, operation, at)
          return
        case 'call':
          this.others.call(strand, operation)
          break
        case 'wait': {
          const length = waitMs(operation.wait, this.drawAt(pass, operation.place))
          noteWait(strand, length)
          strand.dueMs = at + length
          this.waiting.push(strand)
          if (strand.dueMs < this.armedMs) this.arm(strand.dueMs)
          return
        }
        case 'group':
          strand.groups.push({ group: operation.group, firstDueMs: -1, lastEndMs: at, waitedMs: 0, hasFailed: false })
          break
        case 'group end': {
          const group = strand.groups.pop()
          if (group !== undefined) this.endGroup(pass, group)
          break
        }
        case 'when':
          if (!operation.verify(pass.last ?? NOTHING, pass.frame)) strand.next = operation.otherwise
          break
        case 'jump':
          strand.next = operation.to
          break
        case 'repeat begin':
          pass.frame[operation.counter] = 0
          break
        case 'repeat test':
          if (Number(pass.frame[operation.counter]) >= operation.times) strand.next = operation.end
          break
        case 'repeat next': {
          pass.frame[operation.counter] = Number(pass.frame[operation.counter]) + 1
          pass.rounds++
          const isDone = operation.until?.(pass.last ?? NOTHING, pass.frame) === true
          strand.next = isDone ? operation.end : operation.begin
          break
        }
        case 'pick':
          strand.next =
            operation.targets[pickIndex(operation.shares, this.drawAt(pass, operation.place))] ?? strand.next
          break
        case 'together':
          this.part(strand, operation.branches, operation.next, at)
          return
        default:
          at = operation satisfies never
      }
    }
  }

  private part(strand: Strand, branches: { from: number; to: number }[], next: number, atMs: number): void {
    strand.next = next
    strand.open = branches.length
    strand.branchesEndMs = atMs
    strand.branchesWaitedMs = 0
    for (const { from, to } of branches) {
      const branch = branchOf(strand, from, to, atMs)
      this.goOn(branch, atMs)
    }
  }

  private endStrand(strand: Strand, atMs: number): void {
    // Groups that a strand was in when it was told to end are incomplete.
    for (const group of strand.groups.splice(0).reverse()) this.endGroup(strand.pass, { ...group, hasFailed: true })
    const { parent, pass } = strand
    if (parent !== null) {
      if (atMs >= parent.branchesEndMs) {
        parent.branchesEndMs = atMs
        parent.branchesWaitedMs = strand.waitedMs
      }
      parent.open--
      if (parent.open > 0) return
      noteWait(parent, parent.branchesWaitedMs)
      this.goOn(parent, parent.branchesEndMs)
      return
    }
    pass.lastEndMs = Math.max(pass.lastEndMs, atMs)
    if (this.passes.delete(pass)) this.endPass(pass, pass.hasFailed ? 'failed' : 'finished')
  }

  private endPass(pass: Pass, how: 'finished' | 'failed' | 'cut off'): void {
    // Those of a user who comes back are kept for its next pass.
    if (pass.connections !== null && !pass.program.returning) {
      pass.connections.close()
      this.ownConnections.delete(pass.connections)
    }
    this.listener.onPassEnded(pass, how)
  }

  /** Draws at a place of a pass; each round of a repeat has draws of its own. */
  drawAt(pass: Pass, place: number): Draws {
    return this.draws.at(pass.user, pass.number, place + pass.rounds * 1_000_003)
  }

  private endGroup(pass: Pass, group: OpenGroup): void {
    this.listener.onGroup(pass, group.group, group.firstDueMs, timeOfGroup(group))
  }

  // ---------- requests

  private send(strand: Strand, operation: SendOperation, dueMs: number): void {
    const { frame } = strand.pass
    const exchange = new Exchange<Strand>(strand, operation, this)
    const url = operation.request.url(frame)
    this.open.add(exchange)
    exchange.limitAtMs = dueMs + operation.timeoutMs
    this.deadlines.add(exchange, operation.timeoutMs)
    if (exchange.limitAtMs < this.armedMs) this.arm(exchange.limitAtMs)
    const body = operation.request.body?.(frame) ?? null
    exchange.start(dueMs, this.options.origin, url, operation.request.headers(frame), body)
    this.listener.onStarted(strand.pass, exchange)
  }

  /** Called by an exchange that has ended. */
  onEnd(exchange: Exchange<Strand>, outcome: Outcome): void {
    const { user: strand, operation } = exchange
    const { pass } = strand
    this.open.delete(exchange)
    this.deadlines.remove(exchange, operation.timeoutMs)
    if (outcome.kind === 'local') this.listener.onLocalFault(outcome.detail)
    const assessed = this.assessor.assess(pass, operation, outcome)
    if (pass.program.needsLast) pass.last = outcome.kind === 'answered' ? outcome.received : NOTHING
    noteEnd(strand, exchange.endedMs, assessed.failure !== null)
    this.listener.onEnded({
      pass,
      operation,
      sample: exchange,
      exchange,
      received: outcome.kind === 'answered' ? outcome.received : null,
      failure: assessed.failure,
      checks: assessed.checks,
      excerpt: () => (outcome.kind === 'answered' ? this.excerptOf(outcome.received.body) : ''),
    })
    this.after(strand, operation, assessed.failure, assessed.goesOn, exchange.endedMs)
  }

  excerptOf(body: string): string {
    return this.options.mask.apply(body.slice(0, 20 * EXCERPT_LENGTH)).slice(0, EXCERPT_LENGTH)
  }

  after(strand: Strand, operation: TimedOperation, failure: Failure | null, goesOn: boolean, endedMs: number): void {
    if (!this.passes.has(strand.pass)) return
    if (!goesOn || (failure !== null && operation.endsPassOnFailure)) strand.pass.isEnding = true
    this.goOn(strand, endedMs)
  }
}
