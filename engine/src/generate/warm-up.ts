// The sending path is walked a few hundred times before the load, against a server of our own in the same thread: the
// first requests of a process load the HTTP parser and run uncompiled code, and would start tens of milliseconds late.
import { createServer, type Server } from 'node:net'
import { Connections } from '../http/connections.js'
import { Exchange, type ExchangeOwner } from '../http/exchange.js'
import { monotonicMs } from '../clock/clock.js'
import type { SendOperation } from '../compile/program.js'

const REQUESTS = 300
const WITHIN_MS = 1000
const BODY = JSON.stringify({ warm: ['up'] })
const ANSWER = `HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: ${String(BODY.length)}\r\n\r\n${BODY}`

const OPERATION: SendOperation = {
  kind: 'send',
  step: 0,
  place: 0,
  name: 'warm up',
  request: { method: 'GET', url: () => '/', headers: () => [], body: undefined },
  checks: [],
  keeps: [],
  hasStatusCheck: false,
  needsBody: true,
  timeoutMs: WITHIN_MS,
  redirects: 0,
  http: 1,
  refreshMs: undefined,
  endsIterationOnFailure: false,
}

/** Warms the sending path of this thread; takes at most a second, and failing at it is no failure. */
export async function warmUp(): Promise<void> {
  const server = createServer((socket) => {
    socket.on('data', () => socket.write(ANSWER))
    socket.on('error', () => undefined)
  })
  const origin = await listen(server)
  const connections = new Connections({ tls: undefined, proxy: undefined, localAddress: undefined })
  const untilMs = monotonicMs() + WITHIN_MS
  for (let sent = 0; sent < REQUESTS && monotonicMs() < untilMs; sent++) {
    await new Promise<void>((resolve) => {
      const owner: ExchangeOwner<null> = {
        connectionsOf: () => connections,
        cookiesOf: () => null,
        storeCookies: () => undefined,
        permits: () => true,
        onEnd: (_, outcome) => {
          if (outcome.kind === 'answered') outcome.received.json()
          resolve()
        },
      }
      new Exchange(null, OPERATION, owner).start(monotonicMs(), origin, '/', [], null)
    })
  }
  connections.close()
  server.close()
}

function listen(server: Server): Promise<string> {
  return new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(0, '127.0.0.1', () => {
      const address = server.address()
      resolve(`http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`)
    })
  })
}
