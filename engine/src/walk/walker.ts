// Users on their way through a journey: what each does next, and when.
import TinyQueue from 'tinyqueue'
import { Draws, type Frame } from '@jolt-gate/core'
import type { Alarm } from '../clock/alarm.js'
import { monotonicMs } from '../clock/clock.js'
import type { Program, TimedOperation } from '../compile/program.js'
import type { Cookies } from '../http/cookies.js'
import { sendWaiting } from '../http/links/outbox.js'
import { Releases } from '../network/releases.js'
import { isShaped, UserLink } from '../network/user-link.js'
import type { WayOut } from '../network/way-out.js'
import { Assessor, type Failure } from './assessor.js'
import { noteFailure, noteWait, timeOfGroup } from './groups.js'
import { branchOf, Iteration, placeOf, type Branch, type OpenGroup } from './iteration.js'
import type { HowEnded, WalkerListener } from './listener.js'
import { OpenItems } from './open-items.js'
import type { WalkerOptions } from './options.js'
import { Scripts } from './steps/call/scripts.js'
import type { Cancellable, StepOutcome, Walk } from './steps/kind.js'
import { CallSessions } from './steps/grpc/sessions.js'
import { RUNS } from './steps/kinds.js'
import { Requests } from './steps/send/requests.js'

/** Where the draws of a user's link stand among the places of a plan. */
const LINK_PLACE = -3_000_001

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

export class Walker implements Walk {
  readonly iterations = new OpenItems<Iteration>()
  readonly open = new Set<Cancellable>()
  readonly assessor: Assessor
  readonly requests: Requests
  readonly scripts = new Scripts()
  loadEndMs = Infinity
  private readonly sessions: CallSessions
  private readonly ownSessions = new Set<CallSessions>()
  private readonly waiting = new TinyQueue<Branch>([], (a, b) => a.dueMs - b.dueMs)
  private readonly draws: Draws
  /** What is on its way over the links of users. */
  private readonly releases = new Releases((atMs) => {
    this.ringBy(atMs)
  })
  private alarm: Alarm | undefined
  private armedMs = Infinity
  /** Whether a branch advances now: what ends at once goes on in a turn of its own, or the stack would grow. */
  private isAdvancing = false

  constructor(
    readonly options: WalkerOptions,
    readonly listener: WalkerListener,
  ) {
    this.draws = new Draws(options.seed)
    this.assessor = new Assessor(this.draws, options.mask)
    this.requests = new Requests(this)
    this.sessions = new CallSessions(options.out)
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
    iteration.network = this.options.networks?.of(user) ?? 0
    iteration.out = previous?.out ?? null
    iteration.sessions = previous?.sessions ?? null
    iteration.next = from
    this.iterations.add(iteration)
    this.advance(iteration, dueMs)
  }

  /** Does all that is due now, and sends what came of it; returns when it wants to be called again. */
  runDue(): number {
    const now = monotonicMs()
    this.releases.run(now)
    for (let branch = this.waiting.peek(); branch !== undefined && branch.dueMs <= now; branch = this.waiting.peek()) {
      this.waiting.pop()
      if (this.iterations.has(branch.iteration)) this.advance(branch, branch.dueMs)
    }
    this.requests.deadlines.run(now)
    sendWaiting()
    return this.nextMs()
  }

  nextMs(): number {
    return Math.min(this.waiting.peek()?.dueMs ?? Infinity, this.requests.deadlines.nextMs(), this.releases.nextMs())
  }

  /** Sets the alarm for the earlier of what waits here and a moment of the caller's. */
  arm(otherMs: number): void {
    this.armedMs = Math.min(otherMs, this.nextMs())
    this.alarm?.set(this.armedMs)
  }

  ringBy(atMs: number): void {
    if (atMs < this.armedMs) this.arm(atMs)
  }

  /** From this moment on no iteration begins: what lasts until the load ends comes to its end. */
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
    const iterations = this.iterations.takeAll()
    const cut = this.requests.cutOff()
    for (const one of [...this.open]) {
      if (one.isResting) one.leave()
      else {
        cut.add(one.iteration)
        one.cancel('cut off', 'the drain ended')
      }
    }
    this.open.clear()
    for (const iteration of iterations)
      this.endIteration(iteration, cut.has(iteration) ? 'cut off' : iteration.hasFailed ? 'failed' : 'unfinished')
  }

  close(): void {
    this.requests.close()
    this.sessions.close()
    for (const own of this.ownSessions) own.close()
    this.scripts.close()
    this.alarm?.close()
  }

  // ---------- a branch advances

  /** Walks a branch until it waits for something, or ends. */
  private advance(branch: Branch, atMs: number): void {
    const { iteration } = branch
    const { operations } = iteration.program
    const wasAdvancing = this.isAdvancing
    this.isAdvancing = true
    for (;;) {
      const operation = iteration.isEnding || branch.next >= branch.end ? undefined : operations[branch.next]
      if (operation === undefined) {
        this.endBranch(branch, atMs)
        break
      }
      branch.next++
      if (!RUNS[operation.kind](this, branch, operation, atMs)) break
    }
    this.isAdvancing = wasAdvancing
  }

  // ---------- what steps ask of their walk

  waitUntil(branch: Branch, dueMs: number): void {
    branch.dueMs = dueMs
    this.waiting.push(branch)
    this.ringBy(dueMs)
  }

  outOf(iteration: Iteration): WayOut {
    const { networks, out } = this.options
    const network = networks?.all[iteration.network]
    if (networks === null || network === undefined || !isShaped(network)) return out
    iteration.out ??= out.over(new UserLink(network, this.releases, this.drawsOfLink(iteration)))
    return iteration.out
  }

  sessionsOf(iteration: Iteration): CallSessions {
    if (this.options.connections === 'shared') return this.sessions
    if (iteration.sessions === null) {
      iteration.sessions = new CallSessions(this.outOf(iteration))
      this.ownSessions.add(iteration.sessions)
    }
    return iteration.sessions
  }

  /** A user who does not come back needs them no more. */
  private leaveSessions({ sessions, program }: Iteration): void {
    if (sessions === null || program.returning) return
    sessions.close()
    this.ownSessions.delete(sessions)
  }

  /** The jitter of a user's link, in the order in which pieces go over it. */
  private drawsOfLink({ user }: Iteration): Draws {
    return new Draws(this.options.seed).at(user, 0, LINK_PLACE)
  }

  goOn(branch: Branch, operation: TimedOperation, { failure, continues }: StepOutcome, endedMs: number): void {
    if (!this.iterations.has(branch.iteration)) return
    if (!continues || (failure !== null && operation.endsIterationOnFailure)) branch.iteration.isEnding = true
    if (this.isAdvancing) this.waitUntil(branch, endedMs)
    else this.advance(branch, endedMs)
  }

  failStep(branch: Branch, operation: TimedOperation, failure: Failure, continues: boolean): void {
    noteFailure(branch, branch.iteration.lastEndMs, failure.kind)
    this.listener.onStepFailed(branch.iteration, operation, failure)
    if (!continues || operation.endsIterationOnFailure) branch.iteration.isEnding = true
  }

  fork(parent: Branch, parts: readonly { from: number; to: number }[], atMs: number): boolean {
    // One more than there are: those that end at once do not have the parent go on from here.
    parent.open = parts.length + 1
    parent.branchesEndMs = atMs
    parent.branchesWaitedMs = 0
    for (const { from, to } of parts) this.advance(branchOf(parent, from, to, atMs), atMs)
    parent.open--
    if (parent.open > 0) return false
    noteWait(parent, parent.branchesWaitedMs)
    return true
  }

  drawAt(iteration: Iteration, place: number): Draws {
    return this.draws.at(iteration.user, iteration.number, placeOf(iteration, place))
  }

  endGroup(iteration: Iteration, group: OpenGroup): void {
    this.listener.onGroup(iteration, group.group, group.firstDueMs, timeOfGroup(group))
  }

  // ---------- ends

  private endBranch(branch: Branch, atMs: number): void {
    // Groups that a branch was in when it was told to end are incomplete.
    for (let group = branch.groups.pop(); group !== undefined; group = branch.groups.pop())
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
    this.requests.leave(iteration)
    this.leaveSessions(iteration)
    this.listener.onIterationEnded(iteration, how)
  }
}
