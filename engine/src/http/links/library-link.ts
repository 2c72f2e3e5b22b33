// A connection that a library keeps: HTTP/2, and whatever leads through a proxy.
import { type buildConnector, Client, H2CClient, ProxyAgent, type Dispatcher } from 'undici'
import type { Target } from '@jolt-gate/core'
import { monotonicMs } from '../../clock/clock.js'
import type { WayOut } from '../../network/way-out.js'
import { headBytes, requestBytes } from '../sizes.js'
import { AnswerFields } from './answer-fields.js'
import { FollowedName } from './followed-name.js'
import { noMoments, type Carried, type HttpVersion, type Link } from './link.js'
import { sendSoon } from './outbox.js'
import type { RequestFields } from './request-head.js'

/** Streams that one HTTP/2 connection carries at once; servers allow at least a hundred (RFC 9113, section 6.5.2). */
export const STREAMS = 100

export class LibraryLink implements Link {
  readonly moments = noMoments()
  carries = 0
  answered = 0
  private readonly client: Dispatcher
  private readonly name: FollowedName

  constructor(
    readonly origin: string,
    readonly http: HttpVersion,
    out: WayOut,
  ) {
    this.name = new FollowedName(origin, out.names)
    const options = {
      headersTimeout: 0,
      bodyTimeout: 0,
      keepAliveTimeout: 60_000,
      connect: this.timed(out),
    }
    const { proxy, tls } = out.route
    this.client = proxy === undefined ? this.direct(options) : throughProxy(proxy, origin, options, tlsOptions(tls))
  }

  send(carried: Carried, fields: RequestFields, more: readonly string[]): number {
    const { origin, path, method, body } = carried
    const headers = [...fields.list, ...more]
    sendSoon({
      sendNow: () => {
        if (!carried.isOpen) return
        carried.onStarted(monotonicMs())
        try {
          this.client.dispatch({ origin, path, method, headers, body }, new Handler(carried))
        } catch (error) {
          carried.onFault(error)
        }
      },
    })
    return requestBytes(method, origin, path, headers, body)
  }

  isOver(): boolean {
    return this.name.leadsElsewhere()
  }

  destroy(): void {
    void this.client.destroy().catch(() => undefined)
  }

  private direct(options: Client.Options): Dispatcher {
    if (this.http === 1) return new Client(this.origin, { ...options, pipelining: 1 })
    if (this.origin.startsWith('https:'))
      return new Client(this.origin, { ...options, allowH2: true, pipelining: STREAMS, maxConcurrentStreams: STREAMS })
    // Without TLS there is no negotiation: HTTP/2 is spoken with prior knowledge (RFC 9113, section 3.3).
    return new H2CClient(this.origin, { ...options, pipelining: STREAMS, maxConcurrentStreams: STREAMS })
  }

  private timed(out: WayOut): buildConnector.connector {
    const { moments } = this
    const connect = out.connector({
      protocols: this.http === 2 ? ['http/1.1', 'h2'] : ['http/1.1'],
      // Before any listener that sends the request: that is no part of connecting.
      onSocket: (socket) => {
        socket.once('lookup', () => (moments.resolvedMs = monotonicMs()))
        socket.once('connect', () => (moments.connectedMs = monotonicMs()))
      },
    })
    return (asked, callback) => {
      moments.beganMs = monotonicMs()
      connect(asked, (...outcome) => {
        moments.endedMs = monotonicMs()
        const [, socket] = outcome
        this.name.address = socket?.remoteAddress ?? ''
        // Without TLS nothing is negotiated, and the library goes by what was.
        if (this.http === 2 && asked.protocol === 'http:' && socket !== null)
          Object.assign(socket, { alpnProtocol: 'h2' })
        callback(...outcome)
      })
    }
  }
}

/** What the library tells of a request, in our words. */
class Handler implements Dispatcher.DispatchHandler {
  constructor(private readonly carried: Carried) {}

  onConnect(abort: () => void): void {
    this.carried.onReady(abort)
  }

  onHeaders(status: number, raw: Buffer[], _resume: () => void, reason = ''): boolean {
    if (status < 200) return true
    const fields = raw.map((field) => field.toString('latin1'))
    this.carried.onHead(new AnswerFields(status, fields, headBytes(reason, raw)), monotonicMs())
    return true
  }

  onData(piece: Buffer): boolean {
    this.carried.onPiece(piece, false)
    return true
  }

  onComplete(): void {
    this.carried.onDone(monotonicMs())
  }

  onError(error: unknown): void {
    this.carried.onFault(error)
  }
}

interface TlsOptions {
  ca?: string
  cert?: string
  key?: string
  rejectUnauthorized: boolean
}

function tlsOptions(tls: Target['tls']): TlsOptions {
  return {
    ...(tls?.ca === undefined ? {} : { ca: tls.ca }),
    ...(tls?.cert === undefined ? {} : { cert: tls.cert }),
    ...(tls?.key === undefined ? {} : { key: tls.key }),
    rejectUnauthorized: tls?.verify ?? true,
  }
}

/** Plain HTTP goes to the proxy in absolute form, TLS through a tunnel (RFC 9110, section 9.3.6). */
function throughProxy(proxy: string, origin: string, options: Client.Options, secured: TlsOptions): Dispatcher {
  const isTunnel = origin.startsWith('https:')
  const atProxy = new URL(proxy).origin
  return new ProxyAgent({
    uri: proxy,
    proxyTunnel: isTunnel,
    connections: 1,
    requestTls: secured,
    // Asked for a tunnel to the origin, and for absolute forms: either way the proxy is reached by the way out.
    clientFactory: (url, own) => new Client(url, { ...own, ...options }),
    factory: (url, own) => new Client(url, new URL(url).origin === atProxy && !isTunnel ? options : own),
  })
}
