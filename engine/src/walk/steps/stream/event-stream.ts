// One connection of a stream of events, read by a library (HTML, the living standard, section 9.2), from its request
// until it ends.
import { createParser } from 'eventsource-parser'
import type { FailureKind } from '@jolt-gate/core'
import { linkTo } from '../../../http/connections.js'
import type { AnswerHead, Carried, Link } from '../../../http/links/link.js'
import { RequestFields } from '../../../http/links/request-head.js'
import { wireFaultOf } from '../../../http/wire-faults.js'
import type { WayOut } from '../../../network/way-out.js'

/** Of one event. */
const MOST_EVENT_LETTERS = 1_000_000

export interface StreamEvents {
  onOpen: () => void
  onEvent: (type: string, data: string, id: string | undefined) => void
  onRetry: (ms: number) => void
  /** It ended as it may, and may be opened again. */
  onLost: (why: string) => void
  /** It never was such a stream, or is none any more. */
  onFault: (kind: FailureKind, detail: string) => void
}

export class EventStream implements Carried {
  readonly method = 'GET'
  readonly body = null
  readonly origin: string
  readonly path: string
  isOpen = true
  bytesSent = 0
  private readonly link: Link
  private readonly decoder = new TextDecoder()
  private readonly parser = createParser({
    maxBufferSize: MOST_EVENT_LETTERS,
    onEvent: ({ event, data, id }) => {
      if (this.isOpen) this.events.onEvent(event === undefined || event === '' ? 'message' : event, data, id)
    },
    onRetry: (ms) => {
      this.events.onRetry(ms)
    },
    onError: ({ type }) => {
      if (type === 'max-buffer-size-exceeded')
        this.fail('too large', `an event of more than ${String(MOST_EVENT_LETTERS)} letters`)
    },
  })
  private isStream = false

  /** @param headers - names and values in turn */
  constructor(
    url: URL,
    out: WayOut,
    headers: readonly string[],
    private readonly events: StreamEvents,
  ) {
    this.origin = url.origin
    this.path = url.pathname + url.search
    this.link = linkTo(url.origin, 1, out)
    try {
      this.bytesSent = this.link.send(this, new RequestFields([...headers]), [])
    } catch (error) {
      this.onFault(error)
    }
  }

  close(): void {
    this.isOpen = false
    this.link.destroy()
  }

  // ---------- what the link tells

  onStarted(): void {
    // It counts from when it was due.
  }
  onReady(): void {
    // Nothing more goes out.
  }

  onHead(head: AnswerHead): void {
    const [type = ''] = head.values('content-type')
    if (head.status !== 200) this.fail('status', String(head.status))
    else if (!/^\s*text\/event-stream\s*(?:;|$)/i.test(type))
      this.fail('stream', `its type is ${type === '' ? 'missing' : type}, not text/event-stream`)
    else if (head.hasCoding) this.fail('decoding', 'a stream with a content coding')
    else {
      this.isStream = true
      this.events.onOpen()
    }
  }

  onPiece(piece: Buffer): void {
    if (this.isOpen && this.isStream) this.parser.feed(this.decoder.decode(piece, { stream: true }))
  }

  onDone(): void {
    this.lose('the server ended it')
  }

  onFault(error: unknown): void {
    const fault = wireFaultOf(error)
    if (this.isStream && fault.kind === 'failure' && fault.failure === 'reset') this.lose(fault.detail)
    else this.fail(fault.kind === 'failure' ? fault.failure : 'local', fault.detail)
  }

  private lose(why: string): void {
    if (!this.isOpen) return
    this.close()
    this.events.onLost(why)
  }

  private fail(kind: FailureKind, detail: string): void {
    if (!this.isOpen) return
    this.close()
    this.events.onFault(kind, detail)
  }
}
