// One request with its redirects, from due to the last byte of the final answer. What is done on the way is done by
// layers; here is what all of them share: the connection, the moments, and the one end.
import { Received, TRACE_HEADER, type FailureKind, type Method, type ReceivedFacts } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import type { SendOperation } from '../compile/program.js'
import type { Connections } from './connections.js'
import type { Cookies } from './cookies.js'
import type { Limited } from './deadlines.js'
import type { Hop, Layer, Message } from './layer.js'
import type { AnswerHead, Carried, Link } from './links/link.js'
import { RequestFields } from './links/request-head.js'
import { COOKIES } from './layers/cookies.js'
import { DECODING } from './layers/decoding.js'
import { LIMITS } from './layers/limits.js'
import { REDIRECTS } from './layers/redirects.js'
import { wireFaultOf } from './wire-faults.js'

export type ExchangeOutcome =
  | { kind: 'answered'; received: Received }
  | { kind: 'failed'; failure: FailureKind; detail: string }
  /** A fault on our side. */
  | { kind: 'local'; detail: string }

/** What an exchange tells its owner when it has ended. */
export interface ExchangeOwner<T> {
  connectionsOf(user: T): Connections
  /** The cookies of a user, or null while there are none. */
  cookiesOf(user: T): Cookies | null
  storeCookies(user: T, url: string, fields: readonly string[]): void
  permits: (origin: string) => boolean
  /** It begins: once, at the moment that is noted. */
  onStarted(exchange: Exchange<T>): void
  onEnd(exchange: Exchange<T>, outcome: ExchangeOutcome): void
}

/** In the order in which an answer passes them: no body is decoded that a redirect leaves behind. */
const LAYERS: readonly Layer[] = [COOKIES, LIMITS, REDIRECTS, DECODING]
/** Those of them that have something to do, by what happens. */
const AT_FIELDS = LAYERS.filter((layer) => 'fields' in layer)
const AT_HEAD = LAYERS.filter((layer) => 'head' in layer)
const AT_PIECE = LAYERS.filter((layer) => 'piece' in layer)
const AT_END = LAYERS.filter((layer) => 'end' in layer)
const NO_BYTES = Buffer.alloc(0)
const NO_VALUES: readonly string[] = []
const NO_CHUNKS: Buffer[] = []
const NO_FIELDS = new RequestFields([])
const NO_HOPS: readonly Hop[] = []
/** Where the id stands in a trace context (W3C Trace Context, section 3.2). */
const [TRACE_FROM, TRACE_TO] = [3, 35]
/** What may be sent twice (RFC 9110, section 9.2.2). */
const IDEMPOTENT: ReadonlySet<Method> = new Set<Method>(['GET', 'HEAD', 'OPTIONS', 'TRACE', 'PUT', 'DELETE'])

/** Its fields are plain, so that the hot path makes one object a request. */
export class Exchange<T> implements Limited, Message, ReceivedFacts, Carried {
  openAt = -1
  limitAtMs = 0
  before: Limited | null = null
  after: Limited | null = null
  dueMs = 0
  startedMs = -1
  firstByteMs = 0
  endedMs = 0
  connectMs = -1
  bytesSent = 0
  bytesReceived = 0
  /** Whether it was sent once more, since a connection that had been used before was closed without an answer. */
  isResent = false
  isOpen = false
  /** Of the answer: bytes of the decoded body, and the time from due to its end. */
  size = 0
  timeMs = 0

  /** The trace context that it carries; empty for none. */
  traceparent = ''

  /** What is sent and what comes back. */
  origin = ''
  path = ''
  method: Method
  body: string | Uint8Array | null = null
  fields = NO_FIELDS
  status = 0
  answerHead: AnswerHead | null = null
  isCoded = false
  chunks = NO_CHUNKS
  bytes: Buffer = NO_BYTES
  redirectsLeft: number
  hops = NO_HOPS
  link: Link | null = null
  /** Of the connection that the last request went over. */
  linkUsed: Link | null = null

  /** Whether anything came back over the present connection. */
  private isAnswering = false
  private abort: (() => void) | null = null

  constructor(
    readonly user: T,
    readonly operation: SendOperation,
    private readonly owner: ExchangeOwner<T>,
  ) {
    this.redirectsLeft = operation.redirects
    this.method = operation.request.method
  }

  /** Hands the request to a connection. `url` is a path on `origin`, or an absolute URL. */
  start(
    dueMs: number,
    origin: string,
    url: string | undefined,
    fields: RequestFields,
    body: string | Uint8Array | null,
  ): void {
    this.dueMs = dueMs
    this.origin = origin
    this.fields = fields
    this.body = body
    this.isOpen = true
    if (url === undefined) this.failUnsent('keep', 'a value of the URL is missing')
    else if (!this.aim(url)) this.failUnsent('not permitted', this.origin)
    else this.dispatch()
  }

  /** The request could not be made: a fault on our side. */
  fail(dueMs: number, error: unknown): void {
    this.dueMs = dueMs
    this.isOpen = true
    this.end({ kind: 'local', detail: error instanceof Error ? error.message : String(error) })
  }

  /** Gives it up, as timed out or cut off. */
  cancel(failure: FailureKind, detail: string): void {
    const { link, abort } = this
    this.link = null
    this.end({ kind: 'failed', failure, detail })
    if (link === null) return
    if (link.http === 2) {
      link.carries--
      abort?.()
    } else link.destroy()
  }

  timeOut(): void {
    this.cancel('timeout', `no answer in ${String(this.operation.timeoutMs)} ms`)
  }

  // ---------- what the link tells

  /** Once: neither a redirect nor another attempt begins it anew. */
  onStarted(atMs: number): void {
    if (this.startedMs >= 0) return
    this.startedMs = atMs
    this.owner.onStarted(this)
  }

  onReady(abort: (() => void) | null): void {
    this.abort = abort
    // Given up while its connection was made: it does not go out.
    if (!this.isOpen) abort?.()
    const moments = this.link?.moments
    if (moments !== undefined && moments.beganMs >= this.dueMs) this.connectMs = moments.endedMs - moments.beganMs
  }

  onHead(head: AnswerHead, atMs: number): void {
    this.firstByteMs = atMs
    this.bytesReceived += head.bytes
    this.isAnswering = true
    this.status = head.status
    this.answerHead = head
    for (const layer of AT_HEAD) layer.head?.(this, head)
  }

  onPiece(piece: Buffer, isLast: boolean): void {
    this.bytesReceived += piece.length
    for (const layer of AT_PIECE) {
      const fault = layer.piece?.(this, piece, isLast) ?? null
      if (fault === null) continue
      this.cancel(fault.failure, fault.detail)
      return
    }
  }

  onDone(atMs: number): void {
    if (!this.isOpen) return
    this.endedMs = atMs
    this.timeMs = this.endedMs - this.dueMs
    if (this.link !== null) this.owner.connectionsOf(this.user).giveBack(this.link)
    this.link = null
    for (const layer of AT_END) {
      const next = layer.end?.(this) ?? null
      if (next === null) continue
      if (next === 'again') this.dispatch()
      else this.end({ kind: 'failed', ...next })
      return
    }
    const { bytes } = this
    this.size = bytes.length
    // They are good for this moment alone.
    this.bytes = NO_BYTES
    this.chunks = NO_CHUNKS
    const text = bytes.length === 0 ? '' : bytes.toString('utf8')
    this.end({ kind: 'answered', received: new Received(this.status, text, this) })
  }

  onFault(error: unknown): void {
    if (!this.isOpen) return
    const { link } = this
    if (link !== null) this.owner.connectionsOf(this.user).drop(link)
    this.link = null
    const fault = wireFaultOf(error)
    if (fault.kind === 'failure' && fault.failure === 'reset' && this.maySendAgain(link)) {
      this.isResent = true
      this.dispatch()
      return
    }
    this.end(fault.kind === 'local' ? fault : { kind: 'failed', failure: fault.failure, detail: fault.detail })
  }

  // ---------- what layers see and do

  get isHead(): boolean {
    return this.method === 'HEAD'
  }

  header(name: string): string | undefined {
    const values = this.valuesOf(name)
    return values.length === 0 ? undefined : values.join(', ')
  }

  /** The id of the trace that it carries; empty for none. */
  get trace(): string {
    return this.traceparent.slice(TRACE_FROM, TRACE_TO)
  }

  setCookies(): readonly string[] {
    return this.valuesOf('set-cookie')
  }

  cookies(): Cookies | null {
    return this.owner.cookiesOf(this.user)
  }

  storeCookies(fields: readonly string[]): void {
    this.owner.storeCookies(this.user, this.origin + this.path, fields)
  }

  aim(url: string): boolean {
    if (url.startsWith('/') && !url.startsWith('//')) {
      this.path = url
      return true
    }
    if (!URL.canParse(url, this.origin)) {
      this.origin = url
      return false
    }
    const parsed = new URL(url, this.origin)
    this.origin = parsed.origin
    this.path = parsed.pathname + parsed.search
    return (parsed.protocol === 'http:' || parsed.protocol === 'https:') && this.owner.permits(parsed.origin)
  }

  // ---------- what they stand on

  private dispatch(): void {
    const link = this.owner.connectionsOf(this.user).take(this.origin, this.operation.http)
    this.link = this.linkUsed = link
    this.isAnswering = false
    let more = this.traceparent === '' ? NO_VALUES : [TRACE_HEADER, this.traceparent]
    for (const layer of AT_FIELDS) {
      const fields = layer.fields?.(this) ?? NO_VALUES
      if (fields.length > 0) more = [...more, ...fields]
    }
    try {
      this.bytesSent += link.send(this, this.fields, more)
    } catch (error) {
      this.onFault(error)
    }
  }

  /**
   * A server may close a connection just as it is used again; what does no harm twice is then sent once more, as every
   * client does (RFC 9112, section 9.3.1).
   */
  private maySendAgain(link: Link | null): boolean {
    return link !== null && link.answered > 0 && !this.isAnswering && !this.isResent && IDEMPOTENT.has(this.method)
  }

  private failUnsent(failure: FailureKind, detail: string): void {
    this.end({ kind: 'failed', failure, detail })
  }

  /** The one end: whatever comes later counts no more. Only an answer has noted its moment already. */
  private end(outcome: ExchangeOutcome): void {
    if (!this.isOpen) return
    this.isOpen = false
    if (outcome.kind !== 'answered') this.endedMs = monotonicMs()
    if (this.startedMs < 0) this.onStarted(this.endedMs)
    this.owner.onEnd(this, outcome)
  }

  private valuesOf(name: string): readonly string[] {
    return this.answerHead?.values(name) ?? NO_VALUES
  }
}
