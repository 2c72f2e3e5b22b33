// A sender: starts its part of the arrivals when they are due, and records what comes back.
import {
  Dealer,
  encodeBucket,
  loadSeconds,
  networkOf,
  ScheduleCursor,
  tracesOf,
  type Bucket,
  type Plan,
} from '@jolt-gate/core'
import type { Alarm } from '../clock/alarm.js'
import { monotonicMs } from '../clock/clock.js'
import { compilePlan } from '../walk/compile-plan.js'
import type { Compiled } from '../compile/program.js'
import { WayOut } from '../network/way-out.js'
import { Mask } from '../secrets/mask.js'
import type { Iteration } from '../walk/iteration.js'
import { Walker, type Beginning } from '../walk/walker.js'
import { BucketRecorder, type Recorder } from './bucket-recorder.js'
import { ClosedUsers, type NextIteration } from './closed-users.js'
import { GeneratorHealth } from './generator-health.js'
import { NetworkRecorder } from './network-recorder.js'
import { RowTaker, sharesRows } from './rows.js'
import { SampleRows } from './sample-rows.js'
import type { FromSender, SenderData, ToSender } from './sender-protocol.js'

/** Users in flight beyond this are more than one thread can serve. */
const MOST_USERS = 200_000
/** Arrivals started in one turn, so that answers are read in between. */
const BATCH = 64

export type Post = (message: FromSender, transfer?: ArrayBuffer[]) => void

/**
 * What a sender does: nothing before `begin`; users begin while it is loading, and none while it is draining, until all
 * are home or the drain is over; then it is over, and stays so.
 */
export type SenderState = 'ready' | 'loading' | 'draining' | 'over'

export class Sender {
  state: SenderState = 'ready'
  private readonly compiled: Compiled
  private readonly mask = new Mask()
  private readonly samples: SampleRows | null
  private readonly health = new GeneratorHealth()
  private readonly faults = new Set<string>()
  private readonly recorder: Recorder
  private readonly walker: Walker
  private readonly cursor: ScheduleCursor
  private readonly closed: ClosedUsers
  private readonly rows: RowTaker
  /** Iterations that are due, and begin as soon as their rows are there. */
  private readonly awaitingRows: { beginning: Beginning; turn: number }[] = []
  /** Most users in flight here, by phase: this sender's share of the cap. */
  private readonly caps: number[]
  /** The tracks that end by their iterations may end before their time. */
  private readonly endsByIterations: boolean
  private startMs = Infinity
  private loadEndMs = Infinity
  private drainEndMs = Infinity
  /** Whether the schedule has an arrival of ours to come. */
  private hasMore: boolean
  private nextSecondMs = Infinity

  /**
   * Compiles all that the load needs, so that nothing but sending is left to do once it begins.
   *
   * @param alarm - rings `turn`
   */
  constructor(
    private readonly data: SenderData,
    private readonly post: Post,
    alarm: Alarm,
  ) {
    const { plan, target, shape, run, index, deal, files } = data
    const seeded: Plan = { ...plan, seed: run.seed }
    this.compiled = compilePlan(plan, target, shape, {
      run,
      fileBytes: (path) => files.get(path) ?? new Uint8Array(),
      beat: data.beat,
    })
    for (const secret of [...Object.values(run.secrets), ...data.maskedValues]) this.mask.add(secret)
    this.samples = data.tellsSamples ? new SampleRows(shape, run.id) : null
    const { networks } = plan
    const userNetwork = networkOf(seeded)
    this.recorder = this.newRecorder(networks?.length ?? 0, userNetwork)
    this.walker = new Walker(
      {
        origin: target.origin,
        out: new WayOut(target, new Set([target.origin, ...target.also])),
        connections: plan.connections,
        seed: run.seed,
        mask: this.mask,
        networks: networks === undefined ? null : { all: networks, of: userNetwork },
        traces: tracesOf(run.id, plan.trace),
      },
      this.recorder,
    )
    this.walker.useAlarm(alarm)
    const own = new Set(plan.load.phases.map((phase) => phase.track))
    const trackOf = (journey: number) => {
      const { name = null } = plan.journeys[journey] ?? {}
      return own.has(name) ? name : null
    }
    this.cursor = new ScheduleCursor(seeded, {
      ...{ index, deal },
      isOrdered: sharesRows(plan.data, this.compiled.journeys, trackOf),
    })
    const dealer = new Dealer(deal)
    this.caps = plan.load.phases.map(({ cap = Infinity }) => dealer.partOf(cap, index))
    this.closed = new ClosedUsers(seeded, index, dealer)
    this.rows = new RowTaker({
      ...{ data: plan.data, programs: this.compiled.journeys, seed: run.seed, arrivals: this.cursor.arrivals },
      areLeased: data.leasesRows,
      want: (set) => {
        post({ kind: 'rows wanted', set })
      },
    })
    this.endsByIterations = plan.load.phases.some((phase) => phase.kind === 'iterations')
    this.hasMore = this.cursor.advance()
  }

  private newRecorder(networks: number, userNetwork: (user: number) => number): Recorder {
    const send = (bucket: Bucket) => {
      const bytes = encodeBucket(bucket)
      this.post({ kind: 'bucket', bytes }, [bytes.buffer])
      const rows = this.samples?.take()
      if (rows !== undefined && rows.count > 0) this.post({ kind: 'samples', ...rows })
    }
    const make = (take: (bucket: Bucket) => void) =>
      new BucketRecorder(
        this.data.shape,
        this.mask,
        take,
        (detail) => {
          this.noteLocalFault(detail)
        },
        (iteration) => {
          this.onIterationEnded(iteration)
        },
        this.samples,
      )
    return networks === 0 ? make(send) : new NetworkRecorder(networks, userNetwork, make, send)
  }

  /** The load begins at this moment of the monotonic clock. */
  begin(startMs: number): void {
    if (this.state !== 'ready') return
    const { load } = this.data.plan
    this.state = 'loading'
    this.startMs = startMs
    this.recorder.begin(startMs)
    this.loadEndMs = startMs + loadSeconds({ load }) * 1000
    this.drainEndMs = this.loadEndMs + load.drainMs
    this.walker.endLoadAt(this.loadEndMs)
    this.nextSecondMs = startMs + 1000
    this.turn()
  }

  receive(message: Exclude<ToSender, { kind: 'start' }>): void {
    if (message.kind === 'stop') this.stop()
    else if (message.kind === 'end load') this.endLoad(monotonicMs())
    else if (message.kind === 'rows') this.addRows(message)
    else if (message.kind === 'rows back') this.giveRowsBack(message.set)
    else this.renew(message)
  }

  /** One turn: everything that is due now, then the alarm for what is next. */
  turn(): void {
    if (this.state === 'ready' || this.state === 'over') return
    const now = monotonicMs()
    if (now >= this.nextSecondMs) this.closeSeconds(now)
    const isBehind = this.startArrivals(now) || this.startUsers(now)
    this.walker.runDue()
    if (this.endsByIterations && now < this.loadEndMs && this.isSpent() && this.isAfterTimedPhases(now))
      this.endLoad(now)
    if (now >= this.loadEndMs) {
      this.state = 'draining'
      this.leaveAwaiting()
    }
    if (now >= this.drainEndMs || (this.isSpent() && now >= this.loadEndMs && this.walker.iterations.size === 0)) {
      this.finish()
      return
    }
    if (isBehind) this.turnAgain()
    else this.walker.arm(this.nextMs(now))
  }

  // ---------- what is due

  private nextMs(now: number): number {
    return Math.min(
      this.hasMore ? this.startMs + this.cursor.dueMs : Infinity,
      this.startMs + this.closed.nextMs(),
      this.nextSecondMs,
      now < this.loadEndMs ? this.loadEndMs : this.drainEndMs,
    )
  }

  private readonly turnLater = (): void => {
    this.turn()
  }
  private turnAgain(): void {
    setImmediate(this.turnLater)
  }

  /** Whether no iteration begins any more. */
  private isSpent(): boolean {
    return !this.hasMore && this.closed.isDone && this.awaitingRows.length === 0
  }

  /** Whether every phase that is bounded by time alone is over. */
  private isAfterTimedPhases(now: number): boolean {
    const { load } = this.data.plan
    const timed = load.phases.filter((phase) => phase.kind !== 'iterations')
    return now >= this.startMs + 1000 * loadSeconds({ load: { ...load, phases: timed } })
  }

  /** Starts the arrivals that are due; true when some are left for the next turn. */
  private startArrivals(now: number): boolean {
    const { cursor } = this
    for (let started = 0; this.hasMore; this.hasMore = this.cursor.advance()) {
      const dueMs = this.startMs + cursor.dueMs
      if (dueMs > now) return false
      if (now - dueMs > this.data.mostLateMs) {
        this.recorder.onMissed(cursor.phase, cursor.user)
        continue
      }
      if (started++ >= BATCH) return true
      const program = this.compiled.journeys[cursor.journey]
      if (program === undefined) continue
      const { user, phase, inTrack } = cursor
      this.beginIteration({ program, user, phase, frame: this.newFrame(), dueMs }, inTrack)
    }
    return false
  }

  /** Starts the users of the closed model whose time has come; true when some are left for the next turn. */
  private startUsers(now: number): boolean {
    for (let started = 0; started < BATCH; started++) {
      const next = this.closed.take(now - this.startMs)
      if (next === undefined) return false
      this.beginUser(next)
    }
    return true
  }

  private beginUser(next: NextIteration): void {
    const program = this.compiled.journeys[next.journey]
    if (program === undefined) return
    const { user, iteration, phase, previous, index: slot } = next
    const frame = previous?.frame ?? this.newFrame()
    const dueMs = this.startMs + next.dueMs
    const beginning = { program, user, iteration, phase, frame, dueMs, slot, previous }
    this.beginIteration(beginning, next.turn)
  }

  /** Begins an iteration, unless the cap is reached or its data has run out; it may wait for its rows. */
  private beginIteration(beginning: Beginning, turn: number): void {
    const { slot = -1, dueMs } = beginning
    const outcome = this.tryToBegin(beginning, turn)
    if (outcome === 'awaits rows') this.awaitingRows.push({ beginning, turn })
    if (slot < 0) return
    if (outcome === 'capped') this.closed.capped(slot, dueMs - this.startMs)
    if (outcome === 'out of data') this.closed.ended(slot, undefined, Infinity)
  }

  private tryToBegin(beginning: Beginning, turn: number): 'begun' | 'capped' | 'out of data' | 'awaits rows' {
    const { program, phase, user } = beginning
    if (this.walker.iterations.size >= MOST_USERS) {
      this.noteLocalFault(`more than ${String(MOST_USERS)} users in flight in one sender`)
      this.recorder.onMissed(phase, user)
      return 'capped'
    }
    if (this.walker.iterations.size + this.awaitingRows.length >= (this.caps[phase] ?? Infinity)) {
      this.recorder.onCapped(phase, user)
      return 'capped'
    }
    const taken = this.rows.take(program, beginning.frame, turn, user, beginning.iteration ?? 0)
    if (taken.kind === 'awaited') return 'awaits rows'
    if (taken.kind === 'spent') {
      const { name, then } = taken.data
      const isClosed = (beginning.slot ?? -1) >= 0
      if (then !== 'stop') this.recorder.onOutOfData(phase, user)
      this.post({ kind: 'data spent', name, then: then === 'stop' ? 'stop' : 'void', isClosed })
      return 'out of data'
    }
    this.recorder.onArrival(phase, program.journey, user)
    this.walker.begin(beginning)
    return 'begun'
  }

  private onIterationEnded(iteration: Iteration): void {
    if (iteration.slot < 0) return
    const now = monotonicMs()
    const endedMs = Math.min(now, iteration.lastEndMs) - this.startMs
    const next = this.closed.ended(iteration.slot, iteration, endedMs)
    // One turn later: a target that answers at once must not make the stack grow.
    if (next !== undefined)
      setImmediate(() => {
        if (this.state !== 'over') this.beginUser(next)
      })
    else if (this.closed.isDone && this.endsByIterations) {
      this.post({ kind: 'iterations made', atMs: now - this.startMs })
      this.turnAgain()
    } else this.walker.arm(this.nextMs(now))
  }

  private newFrame(): SenderData['setupValues'] {
    const frame = this.data.setupValues.slice()
    frame.length = this.compiled.slotCount
    return frame
  }

  // ---------- what is heard and told

  /** The load is over: those that still wait for their rows do not begin. */
  private leaveAwaiting(): void {
    for (const { beginning } of this.awaitingRows.splice(0)) {
      const { slot = -1, phase, user } = beginning
      if (slot < 0) this.recorder.onMissed(phase, user)
      else this.closed.ended(slot, undefined, Infinity)
    }
  }

  private addRows({ set, lease }: Extract<ToSender, { kind: 'rows' }>): void {
    this.rows.add(set, lease)
    if (this.state === 'over') this.giveRowsBack(set)
    if (this.state !== 'loading') return
    for (const { beginning, turn } of this.awaitingRows.splice(0)) this.beginIteration(beginning, turn)
    this.turnAgain()
  }

  private giveRowsBack(set: number): void {
    this.post({ kind: 'rows back', set, leases: this.rows.giveBack(set) })
  }

  private renew({ values, masked }: Extract<ToSender, { kind: 'renewed' }>): void {
    for (const secret of masked) this.mask.add(secret)
    for (const [slot, value] of values) {
      this.data.setupValues[slot] = value
      for (const iteration of this.walker.iterations) iteration.frame[slot] = value
    }
  }

  private closeSeconds(now: number): void {
    this.recorder.close(now, this.health.read(), this.inFlight, this.walker.requests.inFlight())
    this.nextSecondMs = this.startMs + 1000 * (Math.floor((now - this.startMs) / 1000) + 1)
  }

  private get inFlight(): number {
    return this.walker.requests.started - this.walker.requests.ended
  }

  private noteLocalFault(detail: string): void {
    if (this.faults.has(detail)) return
    this.faults.add(detail)
    this.post({ kind: 'local fault', detail })
  }

  /** No iteration begins any more; those under way have the drain to finish. */
  private endLoad(now: number): void {
    if (this.state === 'over') return
    this.state = 'draining'
    this.hasMore = false
    this.closed.end()
    this.leaveAwaiting()
    this.loadEndMs = Math.min(this.loadEndMs, now)
    this.drainEndMs = this.loadEndMs + this.data.plan.load.drainMs
    this.walker.endLoadAt(this.loadEndMs)
    this.turnAgain()
  }

  /** Ends at once. What had ended until now is told apart from what is cut off: only the former is judged. */
  private stop(): void {
    const now = monotonicMs()
    // A second that a late turn has left open is closed first: what is cut off belongs to none that is judged.
    if (now >= this.nextSecondMs) this.closeSeconds(now)
    if (this.state === 'loading' || this.state === 'draining')
      this.recorder.close(now, this.health.read(), this.inFlight)
    this.finish()
  }

  private finish(): void {
    if (this.state === 'over') return
    this.state = 'over'
    this.walker.cutOff()
    this.recorder.close(monotonicMs(), this.health.read(), 0)
    this.health.close()
    this.walker.close()
    if (this.data.leasesRows) for (const set of this.data.plan.data.keys()) this.giveRowsBack(set)
    const { started, ended } = this.walker.requests
    const counts = { started, ended, recorded: this.recorder.recorded }
    this.post({ kind: 'done', counts })
  }
}
