// A small HTTP server of our own that answers after a delay it is told, and knows the delay it kept. Entry of a thread.
import { createServer } from 'node:http'
import { parentPort } from 'node:worker_threads'
import { monotonicMs } from '../clock/clock.js'

const SPIN_MS = 0.6

const server = createServer((request, response) => {
  const arrivedMs = monotonicMs()
  const delayMs = Number(new URL(request.url ?? '/', 'http://echo').searchParams.get('delay') ?? 0)
  const answer = () => {
    // Timers are up to a millisecond late; the last piece is spent waiting, so that the delay is exact.
    while (monotonicMs() - arrivedMs < delayMs);
    response.setHeader('x-kept-ms', (monotonicMs() - arrivedMs).toFixed(4))
    response.end('{"echo":true}')
  }
  if (delayMs <= SPIN_MS) answer()
  else setTimeout(answer, Math.max(0, delayMs - 1.5))
})
server.keepAliveTimeout = 60_000
server.listen(0, '127.0.0.1', () => {
  const address = server.address()
  parentPort?.postMessage(typeof address === 'object' && address !== null ? address.port : 0)
})
