// A connection that is opened and talked over: what is awaited, said and waited for on it, each timed.
import { Received, type FailureKind } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import type { CompiledAct, TimedOperation } from '../../../compile/program.js'

/** What came, kept for an await that comes after it; beyond, the oldest is given up. */
const MOST_WAITING = 1000
const MOST_WAITING_BYTES = 16_000_000

export type AwaitOf = Extract<CompiledAct, { kind: 'await' }>
type SayOf = Extract<CompiledAct, { kind: 'say' }>

/** One thing that was timed: the opening, a say, an await, or the opening once more. */
export interface TalkEvent {
  /** What it counts as; undefined for the opening. */
  timed: TimedOperation | undefined
  /** Whether the talk goes on, however it failed. */
  goesOn: boolean
  dueMs: number
  endedMs: number
  bytesSent: number
  bytesReceived: number
  failure: TalkFailure | null
  received: Received | undefined
}
export interface TalkFailure {
  kind: FailureKind
  detail: string
}

/** Who is told what becomes of it. */
export interface TalkListener {
  /** Whether what came is what is awaited; the reason, where that cannot be told. */
  holds: (act: AwaitOf, received: Received) => true | string
  /** Length of a wait between acts. */
  waitMs: (act: Extract<CompiledAct, { kind: 'wait' }>) => number
  /** How long ago it was sent, by its own words; in words, where that cannot be told. */
  sentAgoMs: (act: AwaitOf, received: Received, arrivedAtMs: number) => number | string | undefined
  /** Records an event; says whether the talk continues. */
  onEvent: (event: TalkEvent) => boolean
  /** The connection is closed; called once. */
  onEnd: (endedMs: number) => void
}

/** Something that came, and when: on the monotonic clock, and by the calendar. */
interface Came {
  received: Received
  bytes: number
  atMs: number
  dateMs: number
}

/** Goes through its acts once it is open, and closes. `cancel` cuts it off. */
export abstract class Talker {
  protected isOver = false
  protected isOpen = false
  private readonly waiting: Came[] = []
  private waitingBytes = 0
  private timer: NodeJS.Timeout | undefined
  private next = 0

  /** @param what - a word for what comes: message, event */
  constructor(
    private readonly acts: readonly CompiledAct[],
    protected readonly listener: TalkListener,
    private readonly what: string,
    protected dueMs: number,
  ) {}

  cancel(failure: FailureKind, detail: string): void {
    this.fail(failure, detail)
  }

  /** Whether nothing is under way that should have ended. */
  get isResting(): boolean {
    return this.isOpen && !this.isOver
  }

  /** Whether all is done but to stay open. */
  get hasOnlyWaitsLeft(): boolean {
    return this.acts.slice(this.next).every(({ kind }) => kind === 'wait')
  }

  /** Closes it; what was waited for is no failure. */
  leave(): void {
    this.end()
  }

  // ---------- of the connection

  protected abstract say(act: SayOf): void
  protected abstract close(): void
  /** Whether it is to stay open though all is done. */
  protected staysOn(): boolean {
    return false
  }

  /** It must be open by then. */
  protected limitOpening(withinMs: number, what: string): void {
    this.timer = setTimeout(() => {
      this.fail('timeout', `no ${what} in ${String(withinMs)} ms`)
    }, withinMs)
  }

  protected opened(): void {
    this.isOpen = true
    this.record(undefined, null, undefined)
    this.advance()
  }

  protected came(received: Received, bytes: number): void {
    this.waiting.push({ received, bytes, atMs: monotonicMs(), dateMs: Date.now() })
    this.waitingBytes += bytes
    while (this.waiting.length > MOST_WAITING || this.waitingBytes > MOST_WAITING_BYTES)
      if (this.nextWaiting() === undefined) break
    this.settleAwait()
  }

  // ---------- acts

  protected advance(): void {
    if (this.isOver) return
    const act = this.acts[this.next]
    if (act === undefined) {
      if (!this.staysOn()) this.end()
      return
    }
    switch (act.kind) {
      case 'wait':
        this.next++
        this.dueMs += this.listener.waitMs(act)
        this.timer = setTimeout(
          () => {
            this.advance()
          },
          Math.max(0, this.dueMs - monotonicMs()),
        )
        return
      case 'say':
        this.next++
        this.say(act)
        return
      case 'await':
        this.timer = setTimeout(() => {
          this.next++
          this.record(
            act,
            { kind: 'timeout', detail: `no matching ${this.what} in ${String(act.withinMs)} ms` },
            undefined,
          )
          this.advance()
        }, act.withinMs)
        this.settleAwait()
        return
      default:
        act satisfies never
    }
  }

  private nextWaiting(): Came | undefined {
    const came = this.waiting.shift()
    this.waitingBytes -= came?.bytes ?? 0
    return came
  }

  /** Looks for what the present await is waiting for. */
  private settleAwait(): void {
    const act = this.acts[this.next]
    if (act?.kind !== 'await' || this.isOver || !this.isOpen) return
    for (let came = this.nextWaiting(); came !== undefined; came = this.nextWaiting()) {
      const holds = this.listener.holds(act, came.received)
      if (holds === '') continue
      clearTimeout(this.timer)
      this.next++
      const agoMs = this.listener.sentAgoMs(act, came.received, came.dateMs)
      const fault = holds !== true ? holds : typeof agoMs === 'string' ? agoMs : undefined
      const failure = fault === undefined ? null : { kind: 'check' as const, detail: fault }
      // By its own words it was due when it was sent; it may have come before it was awaited.
      if (typeof agoMs === 'number') this.record(act, failure, came.received, came, came.atMs - agoMs, came.atMs)
      else this.record(act, failure, came.received, came)
      this.advance()
      return
    }
  }

  protected record(
    act: { timed: TimedOperation } | undefined,
    failure: TalkFailure | null,
    received: Received | undefined,
    { sent = 0, bytes = 0 } = {},
    dueMs = this.dueMs,
    endedMs = monotonicMs(),
  ): void {
    clearTimeout(this.timer)
    const continues = this.listener.onEvent({
      ...{ timed: act?.timed, goesOn: false, dueMs, endedMs, failure, received },
      ...{ bytesSent: sent, bytesReceived: bytes },
    })
    this.dueMs = monotonicMs()
    if (!continues) this.end()
  }

  /** Records something beside what goes on. */
  protected note(timed: TimedOperation, failure: TalkFailure | null, dueMs: number): void {
    const nothing = { bytesSent: 0, bytesReceived: 0, received: undefined }
    const event = { timed, goesOn: true, dueMs, endedMs: monotonicMs(), failure, ...nothing }
    if (!this.listener.onEvent(event)) this.end()
  }

  /** Ends the talk with a failure of what was going on. */
  protected fail(kind: FailureKind, detail: string): void {
    if (this.isOver) return
    const act = this.acts[this.next]
    const current = !this.isOpen || act === undefined || act.kind === 'wait' ? undefined : act
    this.isOver = true
    this.record(current, { kind, detail }, undefined)
    this.isOver = false
    this.end()
  }

  protected end(): void {
    if (this.isOver) return
    this.isOver = true
    clearTimeout(this.timer)
    this.close()
    this.listener.onEnd(monotonicMs())
  }
}
