// A small server that knows the true times and counts: what the engine says is held against it.
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'

export interface TrueServer {
  origin: string
  /** Moment of each request on the monotonic clock, in ms, by path. */
  arrivals: Map<string, number[]>
  bodies: string[]
  /** Nothing is answered before this moment. */
  silentUntilMs: number
  stop(): Promise<void>
}

type Answer = (request: IncomingMessage, response: ServerResponse, body: string) => void

export async function startTrueServer(
  answer: Answer = (_, response) => response.end('{"ok":true}'),
): Promise<TrueServer> {
  const arrivals = new Map<string, number[]>()
  const state: Pick<TrueServer, 'silentUntilMs' | 'bodies'> = { silentUntilMs: 0, bodies: [] }
  const server = createServer((request, response) => {
    const path = (request.url ?? '').split('?')[0] ?? ''
    arrivals.set(path, [...(arrivals.get(path) ?? []), performance.now()])
    let body = ''
    request.on('data', (chunk: Buffer) => (body += chunk.toString()))
    request.on('end', () => {
      state.bodies.push(body)
      const waitMs = state.silentUntilMs - performance.now()
      if (waitMs > 0) setTimeout(() => answer(request, response, body), waitMs)
      else answer(request, response, body)
    })
  })
  server.keepAliveTimeout = 60_000
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const address = server.address()
  const port = typeof address === 'object' && address !== null ? address.port : 0
  return Object.assign(state, {
    origin: `http://127.0.0.1:${port}`,
    arrivals,
    stop: () =>
      new Promise<void>((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  })
}
