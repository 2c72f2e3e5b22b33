// Connections of ours: over HTTP/1.1 as many as there are requests open at once, the last used first; over HTTP/2
// shared.
import { isIP } from 'node:net'
import { type buildConnector, Client, H2CClient, ProxyAgent, type Dispatcher } from 'undici'
import type { Target } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import type { Names } from '../network/names.js'
import type { WayOut } from '../network/way-out.js'

export type HttpVersion = 1 | 2

/** Moments of a connection being made, on the monotonic clock; 0 where a part did not happen. */
export interface ConnectMoments {
  beganMs: number
  resolvedMs: number
  connectedMs: number
  endedMs: number
}

/** Streams that one HTTP/2 connection carries at once; servers allow at least a hundred (RFC 9113, section 6.5.2). */
const STREAMS = 100

/** One connection of ours to one origin. Over HTTP/1.1 it carries one request at a time. */
export class Link {
  readonly moments: ConnectMoments = { beganMs: 0, resolvedMs: 0, connectedMs: 0, endedMs: 0 }
  readonly client: Dispatcher
  /** Requests that it carries now, and those that were answered over it. */
  carries = 0
  answered = 0
  /** What it was connected to by name, and the state of all names when that was last looked at. */
  private readonly name: string
  private address = ''
  private namesVersion: number
  private readonly names: Names

  constructor(
    readonly origin: string,
    readonly http: HttpVersion,
    out: WayOut,
  ) {
    this.names = out.names
    this.namesVersion = this.names.version
    const { hostname } = new URL(origin)
    this.name = isIP(hostname.replace(/^\[(.*)\]$/, '$1')) === 0 ? hostname : ''
    const options = {
      headersTimeout: 0,
      bodyTimeout: 0,
      keepAliveTimeout: 60_000,
      connect: this.timed(out),
    }
    const { proxy, tls } = out.route
    this.client = proxy === undefined ? this.direct(options) : throughProxy(proxy, origin, options, tlsOptions(tls))
  }

  /** Whether its name leads elsewhere by now: what it carries may end, and nothing new goes over it. */
  isStale(): boolean {
    if (this.name === '' || this.address === '') return false
    const { names } = this
    names.refresh(this.name)
    if (this.namesVersion === names.version) return false
    if (!names.leadsTo(this.name, this.address)) return true
    this.namesVersion = names.version
    return false
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
        this.address = outcome[1]?.remoteAddress ?? ''
        callback(...outcome)
      })
    }
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

export class Connections {
  private readonly idle = new Map<string, Link[]>()
  private readonly shared = new Map<string, Link>()

  constructor(private readonly out: WayOut) {}

  take(origin: string, http: HttpVersion): Link {
    if (http === 1) {
      const link = this.idleOf(origin) ?? new Link(origin, http, this.out)
      link.carries = 1
      return link
    }
    let link = this.shared.get(origin)
    if (link === undefined || link.carries >= STREAMS || link.isStale()) {
      link = new Link(origin, http, this.out)
      this.shared.set(origin, link)
    }
    link.carries++
    return link
  }

  private idleOf(origin: string): Link | undefined {
    const links = this.idle.get(origin)
    for (let link = links?.pop(); link !== undefined; link = links?.pop()) {
      if (!link.isStale()) return link
      link.destroy()
    }
    return undefined
  }

  giveBack(link: Link): void {
    link.carries--
    link.answered++
    if (link.http === 2) {
      // Its place may have been taken since.
      if (link.carries === 0 && this.shared.get(link.origin) !== link) link.destroy()
      return
    }
    const links = this.idle.get(link.origin)
    if (links === undefined) this.idle.set(link.origin, [link])
    else links.push(link)
  }

  /** Takes a link out of use after a fault: over HTTP/1.1 nothing more can be read on it. */
  drop(link: Link): void {
    link.carries--
    if (link.http === 1) link.destroy()
    else if (this.shared.get(link.origin) === link) {
      this.shared.delete(link.origin)
      if (link.carries === 0) link.destroy()
    }
  }

  close(): void {
    for (const links of this.idle.values()) for (const link of links) link.destroy()
    for (const link of this.shared.values()) link.destroy()
    this.idle.clear()
    this.shared.clear()
  }
}
