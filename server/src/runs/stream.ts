// The live stream of a run as server-sent events. Buckets have their second as id, so that a reader that lost its
// connection goes on where it was; a run that has ended is told the same way, and then closed.
import type { Request, Response } from 'express'
import type { LiveEvent, RunQueue } from './queue.js'
import { bucketsAfter } from './store.js'

const BEAT_MS = 15_000

export async function streamRun(request: Request, response: Response, runId: string, queue: RunQueue): Promise<void> {
  const lastId = request.headers['last-event-id'] ?? request.query['after']
  let told = typeof lastId === 'string' && /^\d{1,9}$/.test(lastId) ? Number(lastId) : -1
  response
    .status(200)
    .set({ 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' })
  response.flushHeaders()
  const early: LiveEvent[] = []
  let isReplaying = true
  const send = (event: LiveEvent) => {
    if (event.kind === 'bucket') {
      if (event.second <= told) return
      told = event.second
      response.write(`id: ${String(event.second)}\nevent: bucket\ndata: ${event.data}\n\n`)
      return
    }
    response.write(`event: ${event.kind}\ndata: ${event.kind === 'state' ? event.state : ''}\n\n`)
    if (event.kind === 'end') finish()
  }
  const listener = (event: LiveEvent) => {
    if (isReplaying) early.push(event)
    else send(event)
  }
  const beat = setInterval(() => response.write(': still here\n\n'), BEAT_MS)
  const finish = () => {
    clearInterval(beat)
    queue.events.off(runId, listener)
    response.end()
  }
  queue.events.on(runId, listener)
  request.on('close', finish)
  const wasLive = queue.isLive(runId)
  for (const { second, data } of await bucketsAfter(runId, told))
    send({ kind: 'bucket', second, data: data.toString('base64') })
  isReplaying = false
  for (const event of early) send(event)
  if (!wasLive && !early.some((event) => event.kind === 'end')) send({ kind: 'end' })
}
