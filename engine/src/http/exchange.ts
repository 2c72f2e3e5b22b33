// One request with its redirects, from due to the last byte of the final answer.
import { brotliDecompressSync, gunzipSync, inflateSync } from 'node:zlib'
import type { Dispatcher } from 'undici'
import { Received, type FailureKind, type Method, type ReceivedFacts } from '@jolt-gate/core'
import type { Connections, Link } from './connections.js'
import type { Cookies } from './cookies.js'
import type { Limited } from './deadlines.js'
import { monotonicMs } from '../clock/clock.js'
import { wireFaultOf } from './wire-faults.js'
import type { SendOperation } from '../compile/program.js'

/** Response bodies beyond this fail as too large. */
const MOST_BODY_BYTES = 16_000_000

export type Outcome =
  | { kind: 'answered'; received: Received }
  | { kind: 'failed'; failure: FailureKind; detail: string }
  | { kind: 'local'; detail: string }

/** What an exchange tells its owner when it has ended. */
export interface ExchangeOwner<T> {
  connectionsOf(user: T): Connections
  /** The cookies of a user, or null while there are none. */
  cookiesOf(user: T): Cookies | null
  storeCookies(user: T, url: string, fields: string[]): void
  permits: (origin: string) => boolean
  onEnd(exchange: Exchange<T>, outcome: Outcome): void
}

/** Handles the events of one dispatch; its fields are plain, so that the hot path makes one object a request. */
export class Exchange<T> implements Limited, ReceivedFacts {
  limitAtMs = 0
  before: Limited | null = null
  after: Limited | null = null
  dueMs = 0
  startedMs = 0
  firstByteMs = 0
  endedMs = 0
  connectMs = -1
  bytesSent = 0
  bytesReceived = 0
  isOpen = false
  /** Of the answer: bytes of the decoded body, and the time from due to its end. */
  size = 0
  timeMs = 0

  /** What is sent and what comes back, for whoever looks at one exchange in full. */
  origin = ''
  path = ''
  method: Method
  body: string | Uint8Array | null = null
  headers: string[] = []
  status = 0
  rawHeaders: Buffer[] = []
  link: Link | null = null
  /** Of the connection that the last request went over. */
  linkUsed: Link | null = null

  private abort: (() => void) | null = null
  private chunks: Buffer[] = []
  private redirectsLeft: number

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
    headers: string[],
    body: string | Uint8Array | null,
  ): void {
    this.dueMs = dueMs
    this.headers = headers
    this.body = body
    this.isOpen = true
    if (url === undefined) {
      this.startedMs = monotonicMs()
      this.end({ kind: 'failed', failure: 'keep', detail: 'a value of the URL is missing' })
      return
    }
    if (!this.aim(origin, url)) {
      this.startedMs = monotonicMs()
      this.end({ kind: 'failed', failure: 'not permitted', detail: this.origin })
      return
    }
    this.dispatch()
    this.startedMs = monotonicMs()
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

  // ---------- events of the dispatch

  onConnect(abort: () => void): void {
    this.abort = abort
    const moments = this.link?.moments
    if (moments !== undefined && moments.beganMs >= this.dueMs) this.connectMs = moments.endedMs - moments.beganMs
  }

  onHeaders(status: number, rawHeaders: Buffer[]): boolean {
    if (status < 200) return true
    this.firstByteMs = monotonicMs()
    this.status = status
    this.rawHeaders = rawHeaders
    for (let index = 0; index < rawHeaders.length; index += 2) {
      if (rawHeaders[index]?.length !== SET_COOKIE.length || nameAt(rawHeaders, index) !== SET_COOKIE) continue
      this.owner.storeCookies(this.user, this.origin + this.path, this.setCookies())
      break
    }
    return true
  }

  onData(chunk: Buffer): boolean {
    this.bytesReceived += chunk.length
    if (this.bytesReceived > MOST_BODY_BYTES) {
      this.cancel('too large', TOO_LARGE)
      return true
    }
    // A failure shows the beginning of its answer, also where nothing else reads the body.
    if (this.operation.needsBody || (this.status >= 300 && this.chunks.length === 0)) this.chunks.push(chunk)
    return true
  }

  onComplete(): void {
    if (!this.isOpen) return
    if (this.link !== null) this.owner.connectionsOf(this.user).giveBack(this.link)
    this.link = null
    const location =
      this.operation.redirects > 0 && this.status >= 300 && this.status < 400 ? this.header('location') : undefined
    if (location !== undefined && this.status !== 304) this.redirect(location)
    else this.answer()
  }

  onError(error: unknown): void {
    if (!this.isOpen) return
    if (this.link !== null) this.owner.connectionsOf(this.user).drop(this.link)
    this.link = null
    const fault = wireFaultOf(error)
    this.end(fault.kind === 'local' ? fault : { kind: 'failed', failure: fault.failure, detail: fault.detail })
  }

  // ---------- what they stand on

  private answer(): void {
    const bytes = this.decoded()
    if (typeof bytes === 'string') {
      const failure = bytes === TOO_LARGE ? 'too large' : 'reset'
      this.end({ kind: 'failed', failure, detail: bytes })
      return
    }
    this.endedMs = monotonicMs()
    this.size = bytes.length
    this.timeMs = this.endedMs - this.dueMs
    this.end({ kind: 'answered', received: new Received(this.status, bytes.toString('utf8'), this) })
  }

  private dispatch(): void {
    const link = this.owner.connectionsOf(this.user).take(this.origin, this.operation.http)
    this.link = this.linkUsed = link
    const cookies = this.owner.cookiesOf(this.user)?.fieldFor(this.origin + this.path) ?? ''
    this.bytesSent += this.body === null ? 0 : Buffer.byteLength(this.body)
    const options: Dispatcher.DispatchOptions = {
      origin: this.origin,
      path: this.path,
      method: this.method,
      headers: cookies === '' ? this.headers : [...this.headers, 'cookie', cookies],
      body: this.body,
    }
    try {
      link.client.dispatch(options, this)
    } catch (error) {
      this.onError(error)
    }
  }

  /** Points the exchange at a URL; false when its origin is not permitted. */
  private aim(origin: string, url: string): boolean {
    if (url.startsWith('/') && !url.startsWith('//')) {
      this.origin = origin
      this.path = url
      return true
    }
    if (!URL.canParse(url, origin)) {
      this.origin = url
      return false
    }
    const parsed = new URL(url, origin)
    this.origin = parsed.origin
    this.path = parsed.pathname + parsed.search
    return (parsed.protocol === 'http:' || parsed.protocol === 'https:') && this.owner.permits(parsed.origin)
  }

  /** RFC 9110, section 15.4: 303 always, and 301 and 302 after a POST, go on with GET and no body. */
  private redirect(location: string): void {
    if (this.redirectsLeft === 0) {
      this.end({ kind: 'failed', failure: 'redirects', detail: `more than ${String(this.operation.redirects)}` })
      return
    }
    this.redirectsLeft--
    const from = this.origin
    const target = URL.canParse(location, from + this.path) ? new URL(location, from + this.path).href : location
    if (!this.aim(from, target)) {
      this.end({ kind: 'failed', failure: 'not permitted', detail: this.origin })
      return
    }
    if (this.status === 303 || ((this.status === 301 || this.status === 302) && this.method === 'POST')) {
      this.method = this.method === 'HEAD' ? 'HEAD' : 'GET'
      this.body = null
      this.headers = withoutHeader(this.headers, 'content-type')
    }
    if (this.origin !== from) this.headers = withoutHeader(this.headers, 'authorization')
    this.chunks = []
    this.dispatch()
  }

  private end(outcome: Outcome): void {
    if (!this.isOpen) return
    this.isOpen = false
    if (outcome.kind !== 'answered') this.endedMs = monotonicMs()
    this.owner.onEnd(this, outcome)
  }

  /** The body with its content coding taken off (RFC 9110, section 8.4); text when that cannot be done. */
  private decoded(): Buffer | string {
    const [only] = this.chunks
    if (only === undefined) return NO_BYTES
    const bytes = this.chunks.length === 1 ? only : Buffer.concat(this.chunks)
    const coding = this.header('content-encoding')
    if (coding === undefined || coding === 'identity' || !this.operation.needsBody) return bytes
    try {
      const bounded = { maxOutputLength: MOST_BODY_BYTES }
      if (coding === 'gzip' || coding === 'x-gzip') return gunzipSync(bytes, bounded)
      if (coding === 'br') return brotliDecompressSync(bytes, bounded)
      if (coding === 'deflate') return inflateSync(bytes, bounded)
      return bytes
    } catch (error) {
      const isTooLarge = error instanceof RangeError
      return isTooLarge ? TOO_LARGE : `the body is not ${coding}`
    }
  }

  setCookies(): string[] {
    return this.valuesOf(SET_COOKIE)
  }

  header(name: string): string | undefined {
    const values = this.valuesOf(name)
    return values.length === 0 ? undefined : values.join(', ')
  }

  private valuesOf(name: string): string[] {
    const found: string[] = []
    const { rawHeaders } = this
    for (let index = 0; index + 1 < rawHeaders.length; index += 2) {
      if (rawHeaders[index]?.length === name.length && nameAt(rawHeaders, index) === name)
        found.push(rawHeaders[index + 1]?.toString('latin1') ?? '')
    }
    return found
  }
}

const SET_COOKIE = 'set-cookie'
const NO_BYTES = Buffer.alloc(0)
const TOO_LARGE = `more than ${String(MOST_BODY_BYTES / 1e6)} MB`

function nameAt(rawHeaders: Buffer[], index: number): string {
  return rawHeaders[index]?.toString('latin1').toLowerCase() ?? ''
}

function withoutHeader(headers: string[], name: string): string[] {
  const kept: string[] = []
  for (let index = 0; index + 1 < headers.length; index += 2) {
    const [key = '', value = ''] = [headers[index], headers[index + 1]]
    if (key !== name) kept.push(key, value)
  }
  return kept
}
