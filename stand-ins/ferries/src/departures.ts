// The board of departures, as a stream of events: what leaves next, said anew each half second.
import { Router } from 'express'
import type { Worker } from './worker.js'

const EACH_MS = 500
/** So long a client waits before it opens a lost stream again. */
const RETRY_MS = 200
const FERRIES = ['Ostrey', 'Skarn', 'Little Holm', 'Vessa']

export function departureRoutes(worker: Worker): Router {
  const routes = Router()
  routes.get('/departures', (request, response) => {
    if (worker.isFaulty()) {
      response.status(500).json({ error: 'the board is dark' })
      return
    }
    response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store' })
    response.write(`retry: ${String(RETRY_MS)}\n\n`)
    const last = Number(request.headers['last-event-id'] ?? 0)
    let number = Number.isSafeInteger(last) && last >= 0 ? last : 0
    const say = () => {
      // With the flaw of errors a stream ends now and then.
      if (worker.isFaulty()) {
        response.end()
        return
      }
      number++
      const board = { at: new Date().toISOString(), ferry: FERRIES[number % FERRIES.length], berth: 1 + (number % 3) }
      response.write(`event: departs\nid: ${String(number)}\ndata: ${JSON.stringify(board)}\n\n`)
    }
    say()
    const timer = setInterval(say, EACH_MS)
    response.on('close', () => {
      clearInterval(timer)
    })
  })
  return routes
}
