// A talk over server-sent events: it listens, and opens the stream again where that is lost, as the standard has it.
import { Received, type FailureKind, type Frame } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import type { StreamOperation } from '../../../compile/program.js'
import type { WayOut } from '../../../network/way-out.js'
import { Talker, type TalkListener } from '../talk/talker.js'
import { EventStream } from './event-stream.js'

/** Until the server names another; the standard leaves it to the client: some seconds. */
const RETRY_MS = 3000
/** A server that asks for less would be flooded by its own word. */
const [LEAST_RETRY_MS, MOST_RETRY_MS] = [50, 60_000]

export interface StreamTalk {
  operation: StreamOperation
  url: URL
  frame: Frame
  /** Of its user; empty for none. */
  cookie: string
  out: WayOut
}

export class StreamTalker extends Talker {
  private stream: EventStream | undefined
  private retryMs = RETRY_MS
  private lastId = ''
  /** Since when it is lost; undefined while it is there, or was never opened. */
  private lostAtMs: number | undefined
  private again: NodeJS.Timeout | undefined
  private stays: NodeJS.Timeout | undefined
  private staysUntilMs = 0

  constructor(
    private readonly talk: StreamTalk,
    listener: TalkListener,
    dueMs: number,
  ) {
    super(talk.operation.acts, listener, 'event', dueMs)
    this.limitOpening(talk.operation.timeoutMs, 'stream')
    // One turn later: what fails at once ends the talk, which is not known to its walk yet.
    setImmediate(() => {
      if (!this.isOver) this.connect()
    })
  }

  override get isResting(): boolean {
    return super.isResting && this.lostAtMs === undefined
  }

  protected say(): never {
    throw new Error('nothing is said on a stream')
  }

  protected close(): void {
    clearTimeout(this.again)
    clearTimeout(this.stays)
    this.stream?.close()
  }

  protected override staysOn(): boolean {
    const leftMs = this.staysUntilMs - monotonicMs()
    if (leftMs <= 0) return false
    this.stays ??= setTimeout(() => {
      if (this.lostAtMs === undefined) this.end()
      else this.fail('stream', 'it was lost, and not there again when its time was over')
    }, leftMs)
    return true
  }

  // ---------- its connections

  private connect(): void {
    const { operation, url, frame, cookie, out } = this.talk
    const headers = [...operation.headers(frame)]
    const has = (name: string) => headers.some((field, index) => index % 2 === 0 && field.toLowerCase() === name)
    if (!has('accept')) headers.push('accept', 'text/event-stream')
    if (!has('cache-control')) headers.push('cache-control', 'no-store')
    if (cookie !== '' && !has('cookie')) headers.push('cookie', cookie)
    if (this.lastId !== '') headers.push('last-event-id', this.lastId)
    this.stream = new EventStream(url, out, headers, {
      onOpen: () => {
        this.isThere()
      },
      onEvent: (type, data, id) => {
        if (id !== undefined) this.lastId = id
        this.came(Received.ofEvent(type, data, 0), Buffer.byteLength(data))
      },
      onRetry: (ms) => {
        this.retryMs = Math.min(Math.max(ms, LEAST_RETRY_MS), MOST_RETRY_MS)
      },
      onLost: () => {
        this.lose()
      },
      onFault: (kind, detail) => {
        if (this.lostAtMs === undefined) this.fail(kind, detail)
        else this.failToReconnect(kind, detail)
      },
    })
  }

  private isThere(): void {
    const { lostAtMs } = this
    if (lostAtMs === undefined) {
      const { staysMs } = this.talk.operation
      if (staysMs > 0) this.staysUntilMs = monotonicMs() + staysMs
      this.opened()
      return
    }
    this.lostAtMs = undefined
    this.note(this.talk.operation.reconnect, null, lostAtMs)
  }

  private lose(): void {
    if (this.isOver) return
    this.lostAtMs = monotonicMs()
    this.again = setTimeout(() => {
      this.connect()
    }, this.retryMs)
  }

  /** A connection that cannot be made is tried again; a server that says no is believed. */
  private failToReconnect(kind: FailureKind, detail: string): void {
    const lostAtMs = this.lostAtMs ?? monotonicMs()
    this.note(this.talk.operation.reconnect, { kind, detail }, lostAtMs)
    if (this.isOver) return
    if (kind === 'refused' || kind === 'reset' || kind === 'dns') this.lose()
    else this.fail('stream', `it could not be opened again: ${detail}`)
  }
}
