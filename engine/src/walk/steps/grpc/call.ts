// One call, from its first message to its status.
import { constants, type ClientHttp2Session, type ClientHttp2Stream, type IncomingHttpHeaders } from 'node:http2'
import type { FailureKind } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import { wireFaultOf } from '../../../http/wire-faults.js'
import { frameOf, FrameReader } from './frames.js'

export interface CallRequest {
  session: ClientHttp2Session
  /** /package.Service/Method */
  path: string
  /** Names and values in turn. */
  metadata: readonly string[]
  messages: readonly Uint8Array[]
  timeoutMs: number
}

export type CallOutcome =
  | {
      kind: 'answered'
      status: number
      /** What the service says of its status. */
      words: string
      messages: readonly Buffer[]
      /** Of its head and its end, by their names. */
      metadata: IncomingHttpHeaders
    }
  | { kind: 'failed'; failure: FailureKind; detail: string }
  | { kind: 'local'; detail: string }

export class Call {
  bytesSent = 0
  bytesReceived = 0
  firstByteMs = 0
  private readonly reader = new FrameReader()
  private stream: ClientHttp2Stream | undefined
  private readonly limit: NodeJS.Timeout
  private head: IncomingHttpHeaders | undefined
  private end: IncomingHttpHeaders | undefined
  private isOver = false

  constructor(
    { session, path, metadata, messages, timeoutMs }: CallRequest,
    private readonly onEnd: (outcome: CallOutcome) => void,
  ) {
    this.limit = setTimeout(() => {
      this.cancel('timeout', `no answer in ${String(timeoutMs)} ms`)
    }, timeoutMs)
    const onSessionError = (error: Error) => {
      this.fault(error)
    }
    // Of a connection that is never made the stream is told nothing but that it is cancelled.
    session.once('error', onSessionError)
    try {
      this.stream = session.request(headersOf(path, metadata, timeoutMs), { endStream: false })
    } catch (error) {
      this.fault(error)
      return
    }
    this.stream.on('close', () => {
      session.off('error', onSessionError)
    })
    this.listen(this.stream)
    for (const message of messages) {
      const frame = frameOf(message)
      this.bytesSent += frame.length
      this.stream.write(frame)
    }
    this.stream.end()
  }

  cancel(failure: FailureKind, detail: string): void {
    this.finish({ kind: 'failed', failure, detail })
  }

  private listen(stream: ClientHttp2Stream): void {
    stream.on('response', (headers) => {
      this.firstByteMs = monotonicMs()
      this.head = headers
      const type = headers['content-type'] ?? ''
      if (headers[':status'] !== 200) this.cancel('status', String(headers[':status']))
      else if (!/^application\/grpc(?:\+proto)?(?:;|$)/.test(type))
        this.cancel('protocol', `its type is ${type === '' ? 'missing' : type}, not application/grpc`)
    })
    stream.on('data', (piece: Buffer) => {
      this.bytesReceived += piece.length
      const fault = this.reader.take(piece)
      if (fault === 'compressed') this.cancel('decoding', 'a compressed message, which was not asked for')
      else if (fault === 'too large') this.cancel('too large', 'more than 16 MB, or 10 000 messages')
    })
    stream.on('trailers', (headers: IncomingHttpHeaders) => {
      this.end = headers
    })
    stream.on('error', (error: Error) => {
      this.fault(error)
    })
    stream.on('close', () => {
      this.conclude()
    })
  }

  private conclude(): void {
    // A call without messages may have its end as its head.
    const metadata: IncomingHttpHeaders = { ...this.head, ...this.end }
    const written = metadata['grpc-status']
    const status = typeof written === 'string' && /^\d{1,3}$/.test(written) ? Number(written) : undefined
    if (status === undefined) this.cancel('reset', 'the call ended without a status')
    else if (!this.reader.isWhole) this.cancel('protocol', 'a message has no end')
    else
      this.finish({
        ...{ kind: 'answered', status, words: wordsIn(metadata['grpc-message']), metadata },
        messages: this.reader.messages,
      })
  }

  private fault(error: unknown): void {
    // Of a connection that could not be made a stream says no more than that it is over, and why.
    const fault = wireFaultOf(error instanceof Error && error.cause !== undefined ? error.cause : error)
    this.finish(fault.kind === 'local' ? fault : { ...fault, kind: 'failed' })
  }

  /** The one end. */
  private finish(outcome: CallOutcome): void {
    if (this.isOver) return
    this.isOver = true
    clearTimeout(this.limit)
    if (outcome.kind !== 'answered') this.stream?.close(constants.NGHTTP2_CANCEL)
    this.onEnd(outcome)
  }
}

/** The deadline in milliseconds, of eight digits at most. */
const MOST_TIMEOUT = 99_999_999

function headersOf(path: string, metadata: readonly string[], timeoutMs: number) {
  const own: Record<string, string> = {}
  for (let index = 0; index + 1 < metadata.length; index += 2) own[metadata[index] ?? ''] = metadata[index + 1] ?? ''
  return {
    ...own,
    ...{ ':method': 'POST', ':path': path, 'content-type': 'application/grpc', te: 'trailers' },
    'grpc-timeout': `${String(Math.min(MOST_TIMEOUT, Math.ceil(timeoutMs)))}m`,
  }
}

/** Percent-encoded; what is not rightly so stands as it is. */
function wordsIn(message: string | string[] | undefined): string {
  const text = typeof message === 'string' ? message.slice(0, 500) : ''
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}
