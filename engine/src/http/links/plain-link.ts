// A connection of our own: HTTP/1.1, one request at a time, with nothing in between.
import type { Socket } from 'node:net'
import { monotonicMs } from '../../clock/clock.js'
import { portOf } from '../../network/reach.js'
import type { WayOut } from '../../network/way-out.js'
import { AnswerReader } from './answer-reader.js'
import { FollowedName } from './followed-name.js'
import { noMoments, type AnswerHead, type AnswerTaker, type Carried, type Link } from './link.js'
import { sendSoon } from './outbox.js'
import { requestHead, type RequestFields } from './request-head.js'

/** All connections of a thread read into one buffer: what comes is dealt with before anything else is read. */
const BUFFER = Buffer.allocUnsafeSlow(65_536)
/** So much goes out at once, whatever else does: a connection takes more before it makes anybody wait. */
const SMALL_BYTES = 16_384
/** Where the server does not say how long it keeps a connection, as common clients have it. */
const KEPT_MS = 60_000

export class PlainLink implements Link, AnswerTaker {
  readonly http = 1
  readonly moments = noMoments()
  carries = 0
  answered = 0
  private readonly url: URL
  private readonly host: string
  private readonly name: FollowedName
  private readonly reader = new AnswerReader()
  private socket: Socket | null = null
  private isReady = false
  private isClosed = false
  /** Whether what it sends may take more than one turn. */
  private isLarge = false
  /** An answer came, perhaps before all of its request was out: its rest would still be on the way. */
  private mayHaveRest = false
  /** Idle for longer, it may be closed just as it is used. */
  private idleUntilMs = Infinity
  private carried: Carried | null = null
  /** What goes out by the end of the turn, or when the connection is there. */
  private head = ''
  private closes = false

  constructor(
    readonly origin: string,
    private readonly out: WayOut,
  ) {
    this.url = new URL(origin)
    this.host = this.url.host
    this.name = new FollowedName(origin, out.names)
  }

  send(carried: Carried, fields: RequestFields, more: readonly string[]): number {
    const { method, path, body } = carried
    const bodyBytes = body === null ? 0 : typeof body === 'string' ? Buffer.byteLength(body) : body.length
    const head = requestHead(method, path, this.host, fields, more, bodyBytes)
    this.carried = carried
    this.head = head
    this.closes = fields.written().closes
    this.isLarge = head.length + bodyBytes > SMALL_BYTES
    if (this.socket === null) {
      this.connect()
      carried.onStarted(this.moments.beganMs)
    } else if (this.isReady && this.isLarge) this.sendNow()
    else if (this.isReady) sendSoon(this)
    return head.length + bodyBytes
  }

  /** What is to go out goes, unless it was given up since. */
  sendNow(): void {
    if (this.carried === null || this.head === '') return
    this.carried.onStarted(monotonicMs())
    this.write(this.carried)
  }

  isOver(): boolean {
    return (
      this.isClosed ||
      (this.mayHaveRest && (this.socket?.writableLength ?? 0) > 0) ||
      (this.idleUntilMs < Infinity && monotonicMs() > this.idleUntilMs) ||
      this.name.leadsElsewhere()
    )
  }

  destroy(): void {
    this.isClosed = true
    this.carried = null
    this.head = ''
    this.reader.stop()
    this.socket?.destroy()
  }

  // ---------- the connection

  private connect(): void {
    const { url, moments } = this
    const isSecured = url.protocol === 'https:'
    moments.beganMs = monotonicMs()
    const socket = this.out.connect({
      host: url.hostname,
      port: portOf(url),
      to: isSecured ? 'https:' : 'http:',
      protocols: ['http/1.1'],
      onread: {
        buffer: BUFFER,
        callback: (bytes) => {
          this.read(bytes)
          return true
        },
      },
    })
    this.socket = socket
    socket.once('lookup', () => (moments.resolvedMs = monotonicMs()))
    socket.once('connect', () => (moments.connectedMs = monotonicMs()))
    socket.once(isSecured ? 'secureConnect' : 'connect', () => {
      this.ready(socket)
    })
    socket.on('error', (error) => {
      this.fail(error)
    })
    socket.on('end', () => {
      if (!this.reader.close(monotonicMs())) this.failClosed()
    })
    socket.on('close', () => {
      this.failClosed()
    })
  }

  private ready(socket: Socket): void {
    this.moments.endedMs = monotonicMs()
    this.name.address = socket.remoteAddress ?? ''
    this.isReady = true
    if (this.carried !== null) this.write(this.carried)
  }

  private write(carried: Carried): void {
    const { socket, head, reader } = this
    if (socket === null) return
    this.head = ''
    reader.begin(this, carried.method === 'HEAD')
    if (this.closes) reader.isKept = false
    const { body } = carried
    if (body === null || body.length === 0) socket.write(head, 'latin1')
    else {
      const bytes = Buffer.from(body)
      const message = Buffer.allocUnsafe(head.length + bytes.length)
      message.write(head, 0, 'latin1')
      message.set(bytes, head.length)
      socket.write(message)
    }
    carried.onReady(null)
  }

  private read(bytes: number): void {
    if (this.isClosed) return
    try {
      this.reader.take(BUFFER, bytes, monotonicMs())
    } catch (error) {
      this.fail(error)
      return
    }
    // Bytes that nobody asked for, between two answers.
    if (this.reader.isKept) return
    if (this.carried === null) this.destroy()
    else if (this.head !== '') this.failClosed()
  }

  private failClosed(): void {
    this.fail(Object.assign(new Error('the connection was closed'), { code: 'ECONNRESET' }))
  }

  private fail(error: unknown): void {
    const { carried } = this
    this.destroy()
    carried?.onFault(error)
  }

  // ---------- the answer, on its way to who is told

  onHead(head: AnswerHead, atMs: number): void {
    this.carried?.onHead(head, atMs)
  }

  onPiece(piece: Buffer, isLast: boolean): void {
    this.carried?.onPiece(piece, isLast)
  }

  onDone(atMs: number): void {
    const { carried, reader } = this
    this.carried = null
    // Over TLS a write that is through is told of a turn later: whether there is a rest shows when it is used again.
    this.mayHaveRest = this.isLarge
    if (!reader.isKept) this.destroy()
    else this.idleUntilMs = atMs + (reader.keptMs ?? KEPT_MS)
    carried?.onDone(atMs)
  }
}
