// Connections of ours: over HTTP/1.1 as many as there are requests open at once, the last used first; over HTTP/2
// shared.
import { EventEmitter } from 'node:events'
import { isIP } from 'node:net'
import { type buildConnector, Client, H2CClient, ProxyAgent, type Dispatcher } from 'undici'
import type { Target } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import { NAMES, type Names } from '../network/names.js'
import { guardedConnector } from '../network/reach.js'

/** How a target is reached. */
export type Route = Pick<Target, 'tls' | 'proxy' | 'localAddress'>
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

  constructor(
    readonly origin: string,
    readonly http: HttpVersion,
    route: Route,
    private readonly names: Names,
  ) {
    this.namesVersion = names.version
    const secured = tlsOptions(route.tls)
    const { hostname } = new URL(origin)
    this.name = isIP(hostname.replace(/^\[(.*)\]$/, '$1')) === 0 ? hostname : ''
    const connector = guardedConnector({ timeout: 0, allowH2: http === 2, ...secured }, names)
    const options = {
      headersTimeout: 0,
      bodyTimeout: 0,
      keepAliveTimeout: 60_000,
      connect: this.timed(connector, route.localAddress),
    }
    this.client = route.proxy === undefined ? this.direct(options) : throughProxy(route.proxy, origin, options, secured)
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

  private timed(
    connector: ReturnType<typeof buildConnector>,
    localAddress: string | undefined,
  ): ReturnType<typeof buildConnector> {
    const { moments } = this
    return (options, callback) => {
      moments.beganMs = monotonicMs()
      const from = localAddress === undefined ? options : { ...options, localAddress }
      // The connector returns the socket before it is connected, though its type does not say so.
      const socket: unknown = connector(from, (...outcome) => {
        moments.endedMs = monotonicMs()
        this.address = outcome[1]?.remoteAddress ?? ''
        callback(...outcome)
      })
      if (isEmitter(socket)) {
        socket.prependOnceListener('lookup', () => (moments.resolvedMs = monotonicMs()))
        // Before the connector's own listener, which sends the request: that is no part of connecting.
        socket.prependOnceListener('connect', () => (moments.connectedMs = monotonicMs()))
      }
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

function isEmitter(value: unknown): value is EventEmitter {
  return value instanceof EventEmitter
}

/** Plain HTTP goes to the proxy in absolute form, TLS through a tunnel (RFC 9110, section 9.3.6). */
function throughProxy(proxy: string, origin: string, options: Client.Options, secured: TlsOptions): Dispatcher {
  const isTunnel = origin.startsWith('https:')
  return new ProxyAgent({
    uri: proxy,
    proxyTunnel: isTunnel,
    connections: 1,
    requestTls: secured,
    clientFactory: (url, own) => new Client(url, { ...own, ...options }),
  })
}

export class Connections {
  private readonly idle = new Map<string, Link[]>()
  private readonly shared = new Map<string, Link>()

  constructor(
    private readonly route: Route,
    private readonly names: Names = NAMES,
  ) {}

  take(origin: string, http: HttpVersion): Link {
    if (http === 1) {
      const link = this.idleOf(origin) ?? new Link(origin, http, this.route, this.names)
      link.carries = 1
      return link
    }
    let link = this.shared.get(origin)
    if (link === undefined || link.carries >= STREAMS || link.isStale()) {
      link = new Link(origin, http, this.route, this.names)
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
