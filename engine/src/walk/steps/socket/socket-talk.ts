// A WebSocket (RFC 6455, by a library) with what is said and awaited on it, each timed.
import { WebSocket } from 'ws'
import { Received, type FailureKind, type Frame } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import { wireFaultOf } from '../../../http/wire-faults.js'
import { portOf } from '../../../network/reach.js'
import type { WayOut } from '../../../network/way-out.js'
import type { CompiledAct, SocketOperation } from '../../../compile/program.js'

/** Messages kept for an await that comes after them; beyond, the oldest are given up. */
const MOST_WAITING = 1000
const MOST_MESSAGE_BYTES = 16_000_000

/** One thing on a socket that was timed: its opening, a say or an await. */
export interface SocketEvent {
  act: Exclude<CompiledAct, { kind: 'wait' }> | undefined
  dueMs: number
  endedMs: number
  bytesSent: number
  bytesReceived: number
  failure: { kind: FailureKind; detail: string } | null
  received: Received | undefined
}

export interface SocketTalk {
  operation: SocketOperation
  url: string
  frame: Frame
  out: WayOut
  /** Whether a message is the one awaited; the reason, where that cannot be told. */
  holds: (act: Extract<CompiledAct, { kind: 'await' }>, received: Received) => true | string
  /** Length of a wait between acts. */
  waitMs: (act: Extract<CompiledAct, { kind: 'wait' }>) => number
  /** Records an event; says whether the talk continues. */
  onEvent: (event: SocketEvent) => boolean
  /** The socket is closed; called once. */
  onEnd: (endedMs: number) => void
}

/** Opens a socket, goes through its acts and closes it. `cancel` cuts it off. */
export class SocketTalker {
  private readonly socket: WebSocket
  private readonly waiting: string[] = []
  private timer: NodeJS.Timeout | undefined
  private next = 0
  private dueMs: number
  private isOver = false
  private isOpen = false

  constructor(
    private readonly talk: SocketTalk,
    dueMs: number,
  ) {
    this.dueMs = dueMs
    const url = new URL(talk.url)
    this.socket = new WebSocket(talk.url, {
      createConnection: () =>
        talk.out.connect({ host: url.hostname, port: portOf(url), to: url.protocol === 'wss:' ? 'https:' : 'http:' }),
      headers: headersOf(talk.operation.headers(talk.frame)),
      maxPayload: MOST_MESSAGE_BYTES,
      followRedirects: false,
    })
    this.timer = setTimeout(() => {
      this.fail('timeout', `no socket in ${String(talk.operation.timeoutMs)} ms`)
    }, talk.operation.timeoutMs)
    this.socket.on('open', () => {
      this.isOpen = true
      this.record(undefined, null, undefined)
      this.advance()
    })
    this.socket.on('unexpected-response', (_, response) => {
      this.fail('status', String(response.statusCode ?? 0))
    })
    this.socket.on('message', (data, isBinary) => {
      const text = isBinary ? '' : textOf(data)
      if (this.waiting.length >= MOST_WAITING) this.waiting.shift()
      this.waiting.push(text)
      this.settleAwait()
    })
    this.socket.on('error', (error) => {
      const fault = wireFaultOf(error)
      this.fail(fault.kind === 'failure' ? fault.failure : 'local', fault.detail)
    })
    this.socket.on('close', () => {
      this.fail('socket', 'the socket was closed')
    })
  }

  cancel(failure: FailureKind, detail: string): void {
    this.fail(failure, detail)
  }

  /** Whether it is open, and waits for what may come, or for its time. */
  get isResting(): boolean {
    return this.isOpen && !this.isOver
  }

  /** Whether all is done but to stay open. */
  get hasOnlyWaitsLeft(): boolean {
    return this.talk.operation.acts.slice(this.next).every(({ kind }) => kind === 'wait')
  }

  /** Closes it; what was waited for is no failure. */
  leave(): void {
    this.end()
  }

  private advance(): void {
    for (;;) {
      if (this.isOver) return
      const act = this.talk.operation.acts[this.next]
      if (act === undefined) {
        this.end()
        return
      }
      switch (act.kind) {
        case 'wait': {
          const ms = this.talk.waitMs(act)
          this.next++
          this.dueMs += ms
          this.timer = setTimeout(
            () => {
              this.advance()
            },
            Math.max(0, this.dueMs - monotonicMs()),
          )
          return
        }
        case 'say': {
          const text = act.text(this.talk.frame)
          this.next++
          this.socket.send(text, (error) => {
            if (this.isOver) return
            this.record(
              act,
              error ? { kind: 'socket', detail: 'the message could not be sent' } : null,
              undefined,
              Buffer.byteLength(text),
            )
            this.advance()
          })
          return
        }
        case 'await':
          this.timer = setTimeout(() => {
            this.next++
            this.record(
              act,
              { kind: 'timeout', detail: `no matching message in ${String(act.withinMs)} ms` },
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
  }

  /** Looks for a message that the present await is waiting for. */
  private settleAwait(): void {
    const act = this.talk.operation.acts[this.next]
    if (act?.kind !== 'await' || this.isOver || !this.isOpen) return
    while (this.waiting.length > 0) {
      const text = this.waiting.shift() ?? ''
      const received = Received.ofText(text, 0, monotonicMs() - this.dueMs)
      const holds = this.talk.holds(act, received)
      if (holds === '') continue
      clearTimeout(this.timer)
      this.next++
      const failure = holds === true ? null : { kind: 'check' as const, detail: holds }
      this.record(act, failure, received, 0, Buffer.byteLength(text))
      this.advance()
      return
    }
  }

  private record(
    act: SocketEvent['act'],
    failure: SocketEvent['failure'],
    received: Received | undefined,
    bytesSent = 0,
    bytesReceived = 0,
  ): void {
    clearTimeout(this.timer)
    const endedMs = monotonicMs()
    const continues = this.talk.onEvent({
      act,
      dueMs: this.dueMs,
      endedMs,
      bytesSent,
      bytesReceived,
      failure,
      received,
    })
    this.dueMs = endedMs
    if (!continues) this.end()
  }

  /** Ends the talk with a failure of what was going on. */
  private fail(failure: FailureKind, detail: string): void {
    if (this.isOver) return
    const act = this.talk.operation.acts[this.next]
    const current = !this.isOpen || act === undefined || act.kind === 'wait' ? undefined : act
    this.isOver = true
    this.record(current, { kind: failure, detail }, undefined)
    this.isOver = false
    this.end()
  }

  private end(): void {
    if (this.isOver) return
    this.isOver = true
    clearTimeout(this.timer)
    if (this.isOpen) this.socket.close()
    // A peer that does not answer the closing handshake is not waited for.
    setTimeout(() => {
      this.socket.terminate()
    }, 1000).unref()
    this.talk.onEnd(monotonicMs())
  }
}

function textOf(data: unknown): string {
  if (Array.isArray(data)) return Buffer.concat(data.filter((piece) => Buffer.isBuffer(piece))).toString('utf8')
  if (Buffer.isBuffer(data)) return data.toString('utf8')
  return data instanceof ArrayBuffer ? Buffer.from(data).toString('utf8') : ''
}

function headersOf(pairs: readonly string[]): Record<string, string> {
  const headers: Record<string, string> = {}
  for (let index = 0; index + 1 < pairs.length; index += 2) headers[pairs[index] ?? ''] = pairs[index + 1] ?? ''
  return headers
}
