// Connections for calls: HTTP/2 on the one way out, one for each origin, shared by the calls of a user or of all.
import { connect, type ClientHttp2Session } from 'node:http2'
import { portOf } from '../../../network/reach.js'
import type { WayOut } from '../../../network/way-out.js'

export class CallSessions {
  private readonly sessions = new Map<string, ClientHttp2Session>()

  constructor(private readonly out: WayOut) {}

  /** The connection to an origin; a new one where there is none that takes calls. */
  of(origin: string): ClientHttp2Session {
    const known = this.sessions.get(origin)
    if (known !== undefined && !known.closed && !known.destroyed) return known
    const url = new URL(origin)
    const session = connect(origin, {
      createConnection: () =>
        this.out.connect({
          ...{ host: url.hostname, port: portOf(url), protocols: ['h2'] },
          to: url.protocol === 'https:' ? 'https:' : 'http:',
        }),
    })
    const forget = () => {
      if (this.sessions.get(origin) === session) this.sessions.delete(origin)
    }
    // Each call listens for its end.
    session.setMaxListeners(0)
    session.on('error', forget)
    session.on('close', forget)
    // Calls that it carries come to their end; new ones go elsewhere.
    session.on('goaway', forget)
    this.sessions.set(origin, session)
    return session
  }

  close(): void {
    for (const session of this.sessions.values()) session.destroy()
    this.sessions.clear()
  }
}
