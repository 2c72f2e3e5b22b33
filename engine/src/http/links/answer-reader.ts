// Reads answers of HTTP/1.1 from a connection, byte by byte as they come: a state machine, strict to RFC 9112.
import { endOfLines, readFields, readHead, type Framing } from './head-text.js'
import type { AnswerTaker } from './link.js'
import { notHttp } from './not-http.js'

type State = 'nothing' | 'head' | 'sized' | 'chunk size' | 'chunk data' | 'chunk end' | 'trailers' | 'until close'

/** Heads of 1xx before the answer; more of them are no answer. */
const MOST_INTERIM = 16
const MOST_SIZE_LINE = 4096
/** With extensions, which nobody reads (RFC 9112, section 7.1.1). */
// eslint-disable-next-line no-control-regex -- controls are what an extension may not hold
const CHUNK_SIZE = /^([0-9A-Fa-f]{1,8})(?:[ \t]*;[^\0-\x08\x0a-\x1f\x7f]*)?$/
const [CR, LF] = [13, 10]

export class AnswerReader {
  /** Whether the connection may carry another request once the answer is over, and for how long it may wait. */
  isKept = true
  keptMs: number | null = null
  private state: State = 'nothing'
  private taker: AnswerTaker | null = null
  private isHead = false
  private interim = 0
  private left = 0
  /** When the present piece came. */
  private atMs = 0
  /** Lines that have not come to their end. */
  private kept: Buffer | null = null

  /** The next answer is that of a request that was just sent. */
  begin(taker: AnswerTaker, isHead: boolean): void {
    this.taker = taker
    this.isHead = isHead
    this.interim = 0
    this.state = 'head'
  }

  /** Nothing more is told. */
  stop(): void {
    this.taker = null
    this.state = 'nothing'
    this.kept = null
  }

  /**
   * Takes what came.
   *
   * @param piece - of which the bytes up to `length` are new; they may be overwritten once this returns
   * @param atMs - when they came
   * @throws an error with the code NOT_HTTP, after which the connection is worth nothing
   */
  take(piece: Buffer, length: number, atMs: number): void {
    this.atMs = atMs
    let [bytes, to] = [piece, length]
    if (this.kept !== null) {
      bytes = Buffer.concat([this.kept, piece.subarray(0, length)])
      to = bytes.length
      this.kept = null
    }
    for (let at = 0; at < to;) {
      const next = this.step(bytes, at, to)
      if (next === ENDED) return
      if (next === MORE) {
        this.kept = Buffer.from(bytes.subarray(at, to))
        return
      }
      at = next
    }
  }

  /**
   * The other side has ended the connection.
   *
   * @returns whether that is the end of an answer
   */
  close(atMs: number): boolean {
    if (this.state !== 'until close') return false
    this.atMs = atMs
    this.finish(false)
    return true
  }

  /** Takes what it can from a place on; gives the next place, or that more is needed, or that it is over. */
  private step(bytes: Buffer, at: number, to: number): number {
    switch (this.state) {
      case 'nothing':
        // Nobody asked for it: what else comes cannot be told apart from an answer.
        this.isKept = false
        return ENDED
      case 'head':
        return this.takeHead(bytes, at, to)
      case 'sized':
      case 'chunk data':
      case 'until close':
        return this.takeBody(bytes, at, to)
      case 'chunk size':
        return this.takeChunkSize(bytes, at, to)
      case 'chunk end':
        if (to - at < 2) return MORE
        if (bytes[at] !== CR || bytes[at + 1] !== LF) throw notHttp('a chunk longer than it says')
        this.state = 'chunk size'
        return at + 2
      case 'trailers':
        return this.takeTrailers(bytes, at, to)
      default:
        return this.state satisfies never
    }
  }

  private takeHead(bytes: Buffer, at: number, to: number): number {
    const end = endOfLines(bytes, at, to)
    if (end < 0) return MORE
    const { head, framing, isKept, keptMs } = readHead(bytes.toString('latin1', at, end), this.isHead)
    if (head.status < 200) {
      if (head.status === 101 || ++this.interim > MOST_INTERIM) throw notHttp(`status ${String(head.status)} unasked`)
      return end
    }
    this.isKept &&= isKept
    this.keptMs = keptMs
    this.taker?.onHead(head, this.atMs)
    return this.begun(framing, end, to)
  }

  private begun(framing: Framing, at: number, length: number): number {
    if (this.taker === null) return ENDED
    switch (framing.kind) {
      case 'none':
        return this.finish(at < length)
      case 'sized':
        if (framing.bytes === 0) return this.finish(at < length)
        this.left = framing.bytes
        this.state = 'sized'
        return at
      case 'chunked':
        this.state = 'chunk size'
        return at
      case 'until close':
        this.left = Infinity
        this.state = 'until close'
        return at
    }
  }

  private takeBody(bytes: Buffer, at: number, to: number): number {
    const end = Math.min(to, at + this.left)
    this.left -= end - at
    this.taker?.onPiece(bytes.subarray(at, end), this.state === 'sized' && this.left === 0)
    if (this.taker === null) return ENDED
    if (this.left > 0) return end
    if (this.state === 'sized') return this.finish(end < to)
    this.state = 'chunk end'
    return end
  }

  private takeChunkSize(bytes: Buffer, at: number, to: number): number {
    const end = bytes.subarray(0, to).indexOf(LF, at)
    if ((end < 0 ? to : end) - at > MOST_SIZE_LINE) throw notHttp('the size of a chunk is too long')
    if (end < 0) return MORE
    const size =
      bytes[end - 1] === CR && end > at ? CHUNK_SIZE.exec(bytes.toString('latin1', at, end - 1))?.[1] : undefined
    if (size === undefined) throw notHttp('the size of a chunk is no number')
    this.left = Number.parseInt(size, 16)
    this.state = this.left === 0 ? 'trailers' : 'chunk data'
    return end + 1
  }

  /** They are read, so that what is wrong with them is seen, and left aside. */
  private takeTrailers(bytes: Buffer, at: number, to: number): number {
    const end = endOfLines(bytes, at, to)
    if (end < 0) return MORE
    readFields(bytes.toString('latin1', at, end), 0)
    return this.finish(end < to)
  }

  /** The answer is over; nothing is touched after it is told, since the next request may begin in that moment. */
  private finish(hasMore: boolean): typeof ENDED {
    const { taker } = this
    this.taker = null
    this.state = 'nothing'
    if (hasMore) this.isKept = false
    taker?.onDone(this.atMs)
    return ENDED
  }
}

const MORE = -1
const ENDED = -2
