// The one way out: every connection to a target, a database of it, its metrics and whatever else is asked for is made
// here. A connection leads to an origin that is permitted, and to an address that may be reached.
import { connect as connectPlain, isIP, Socket } from 'node:net'
import { connect as connectSecured } from 'node:tls'
import { Agent, type buildConnector } from 'undici'
import { isLoopback, type Target } from '@jolt-gate/core'
import { NAMES, type Names } from './names.js'
import { lookupFor, NOT_PERMITTED, plainHost, portOf, refusal, refused } from './reach.js'
import { ShapedSocket } from './shaped-socket.js'
import type { UserLink } from './user-link.js'

/** How a target is reached. */
export type Route = Pick<Target, 'tls' | 'proxy' | 'localAddress'>
const STRAIGHT: Route = { tls: undefined, proxy: undefined, localAddress: undefined }
const KEEP_ALIVE_MS = 60_000

/** Where a connection leads, and for what. */
export interface Destination {
  /** A name or an address. */
  host: string
  port: number
  /** What is spoken there: an origin is permitted by itself, a database by its host. */
  to: 'http:' | 'https:' | 'database'
  /** What TLS offers to speak (RFC 7301), the first before the others. */
  protocols?: string[]
  /** A session of TLS to go on with. */
  session?: Buffer | undefined
  /** Receives bytes as they come, into a buffer of the caller's, instead of events. */
  onread?: { buffer: Buffer; callback: (bytes: number) => boolean }
}

interface ConnectorOptions {
  protocols?: string[]
  withinMs?: number
  onSocket?: (socket: Socket) => void
}

export class WayOut {
  /**
   * @param origins - that may be reached; undefined where the caller alone says so
   * @param names - where names of hosts are looked up
   */
  constructor(
    readonly route: Route,
    private readonly origins: ReadonlySet<string> | undefined,
    readonly names: Names = NAMES,
    private readonly link?: UserLink,
  ) {}

  /** The same way over the link of a user. */
  over(link: UserLink): WayOut {
    return new WayOut(this.route, this.origins, this.names, link)
  }

  /** Whether requests may go to an origin. */
  permits(origin: string): boolean {
    return this.origins === undefined || this.origins.has(origin)
  }

  /** Whether a database may be there: on loopback, or on a host of the target. */
  permitsHost(host: string): boolean {
    if (this.origins === undefined || isLoopback(`http://${host}`)) return true
    return [...this.origins].some((origin) => new URL(origin).hostname === host)
  }

  /**
   * Begins a connection; it is a socket of TCP, or of TLS over one.
   *
   * Where it may not lead there it is destroyed, with an error that says why, and its `code` NOT_PERMITTED.
   */
  connect(destination: Destination): Socket {
    const { port, to, protocols, session, onread } = destination
    const host = plainHost(destination.host)
    const fault = this.faultOf(destination)
    if (fault !== undefined) return new Socket().destroy(fault)
    const { tls, localAddress } = this.route
    const options = {
      host,
      port,
      lookup: lookupFor(port, this.names),
      ...(localAddress === undefined ? {} : { localAddress }),
    }
    // Large answers come in fewer pieces.
    const plain = { ...options, highWaterMark: 65_536 }
    const reading = onread === undefined ? {} : { onread }
    const shaped = this.link === undefined ? undefined : new ShapedSocket(kept(connectPlain(plain)), this.link)
    if (to !== 'https:')
      return shaped === undefined ? kept(connectPlain({ ...plain, ...reading })) : readBy(shaped, onread)
    const secured = connectSecured({
      ...(shaped === undefined ? { ...options, ...reading } : { socket: shaped, host }),
      // An address is no server name (RFC 6066, section 3).
      ...(isIP(host) === 0 ? { servername: host } : {}),
      ...(protocols === undefined ? {} : { ALPNProtocols: protocols }),
      ...(session === undefined ? {} : { session }),
      ...(tls?.ca === undefined ? {} : { ca: tls.ca }),
      ...(tls?.cert === undefined ? {} : { cert: tls.cert }),
      ...(tls?.key === undefined ? {} : { key: tls.key }),
      rejectUnauthorized: tls?.verify ?? true,
    })
    return shaped === undefined ? kept(secured) : readBy(above(secured, shaped), onread)
  }

  /**
   * The same for a client that connects by itself; it keeps its last session of TLS.
   *
   * @param withinMs - a connection that is not made by then is given up
   * @param onSocket - is given each socket before anything has happened to it
   */
  connector({ protocols = ['http/1.1'], withinMs, onSocket }: ConnectorOptions = {}): buildConnector.connector {
    let session: Buffer | undefined
    return (asked, callback) => {
      const isSecured = asked.protocol === 'https:'
      const socket = this.connect({
        host: asked.hostname,
        port: portOf(asked),
        to: isSecured ? 'https:' : 'http:',
        protocols,
        session,
      })
      const limit =
        withinMs === undefined
          ? undefined
          : setTimeout(() => {
              const error = new Error(`no connection in ${String(withinMs)} ms`)
              socket.destroy(Object.assign(error, { code: 'ETIMEDOUT' }))
            }, withinMs)
      onSocket?.(socket)
      if (isSecured) socket.on('session', (next: Buffer) => (session = next))
      const fail = (error: Error) => {
        clearTimeout(limit)
        callback(error, null)
      }
      socket.once('error', fail)
      socket.once(isSecured ? 'secureConnect' : 'connect', () => {
        clearTimeout(limit)
        socket.off('error', fail)
        callback(null, socket)
      })
    }
  }

  private faultOf({ host: given, port, to }: Destination): Error | undefined {
    const host = plainHost(given)
    if (isIP(host) !== 0 && refusal(host, host, port) !== undefined) return refused(host, host, port)
    // As the target names it: a name with the dot of the root is another origin.
    const named = isIP(host) === 6 ? `[${host}]` : given
    if (to === 'database' ? this.permitsHost(given) : this.leadsTo(`${to}//${named}:${String(port)}`)) return undefined
    return Object.assign(new Error(`${named}:${String(port)} is no origin of the target`), { code: NOT_PERMITTED })
  }

  /** To an origin that is permitted, or to the proxy on the way there; no request may ask for the proxy itself. */
  private leadsTo(url: string): boolean {
    const { origin } = new URL(url)
    const { proxy } = this.route
    return this.permits(origin) || (proxy !== undefined && origin === new URL(proxy).origin)
  }
}

/** TLS over a connection of ours tells nothing of how that is made. */
function above(secured: Socket, shaped: ShapedSocket): Socket {
  shaped.once('lookup', (...found) => secured.emit('lookup', ...found))
  shaped.once('connect', () => secured.emit('connect'))
  shaped.once('error', (error) => secured.destroy(error))
  Object.defineProperty(secured, 'remoteAddress', { get: () => shaped.remoteAddress })
  return secured
}

/** Hands what comes to whoever wants it in a buffer of their own. */
function readBy(socket: Socket, onread: Destination['onread']): Socket {
  if (onread === undefined) return socket
  const { buffer, callback } = onread
  return socket.on('data', (bytes: Buffer) => {
    for (let from = 0; from < bytes.length; from += buffer.length)
      callback(bytes.copy(buffer, 0, from, from + buffer.length))
  })
}

const kept = (socket: Socket): Socket => socket.setNoDelay(true).setKeepAlive(true, KEEP_ALIVE_MS)

/** For single requests beside the load: metrics, proofs of control. Redirects are not followed. */
export const GUARDED = new Agent({
  connect: new WayOut(STRAIGHT, undefined).connector({ withinMs: 10_000 }),
})
