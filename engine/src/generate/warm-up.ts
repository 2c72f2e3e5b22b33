// The sending path is walked a few hundred times before the load, against a server of our own in the same thread: the
// first requests of a process load the HTTP parser and run uncompiled code, and would start tens of milliseconds late.
import { createServer, type Server } from 'node:net'
import { requestsInTurn } from '../compile/in-turn.js'
import { Mask } from '../secrets/mask.js'
import { straightTo, walkAlone } from '../walk/alone.js'

const REQUESTS = 300
const WITHIN_MS = 1000
const BODY = JSON.stringify({ warm: ['up'] })
const ANSWER = `HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: ${String(BODY.length)}\r\n\r\n${BODY}`

/** Warms the sending path of this thread; takes at most a second, and failing at it is no failure. */
export async function warmUp(): Promise<void> {
  const server = createServer((socket) => {
    socket.on('data', () => socket.write(ANSWER))
    socket.on('error', () => undefined)
  })
  const target = straightTo(await listen(server))
  await walkAlone(requestsInTurn('/', REQUESTS), {
    target,
    seed: 1,
    mask: new Mask(),
    frame: [],
    withinMs: WITHIN_MS,
    onEnded: ({ received }) => received?.json(),
  })
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
