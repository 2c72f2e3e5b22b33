// The live stream of a run as server-sent events. Seconds have their number as id, so that a reader that lost its
// connection continues where it was; a run that has ended is sent the same way, and then closed.
import { createSession, type Session } from 'better-sse'
import type { LiveEvent } from '@jolt-gate/core/api'
import type { Request, Response } from 'express'
import type { RunQueue } from './queue.js'
import { closeWhenBehind, untilRead } from '../http/backlog.js'
import { bucketsAfter } from './store.js'

const BEAT_MS = 15_000
/** Of a long run, what one reader has in memory. */
const SECONDS_AT_ONCE = 100

/** Runs that are made elsewhere, and told here. */
export interface RunsElsewhere {
  /** What happened in a live one beside its seconds; undefined when it is none. */
  eventsOf(id: string): Promise<readonly LiveEvent[] | undefined>
}

export interface Streamed {
  runId: string
  queue: RunQueue
  reported: RunsElsewhere
  /** Calls back when the one who asks may hear no more; gives what stops listening for that. */
  whenOver: (end: () => void) => () => void
}

export async function streamRun(
  request: Request,
  response: Response,
  { runId, queue, reported, whenOver }: Streamed,
): Promise<void> {
  const session = await createSession(request, response, {
    keepAlive: BEAT_MS,
    headers: { 'x-accel-buffering': 'no' },
    trustClientEventId: true,
  })
  const reader = new Reader(session, response, lastSecond(session.lastId || request.query['after']))
  const listener = (event: LiveEvent) => {
    reader.receive(event)
  }
  queue.events.on(runId, listener)
  const forget = whenOver(() => response.end())
  session.once('disconnected', () => {
    forget()
    queue.events.off(runId, listener)
  })
  const earlier = queue.eventsOf(runId) ?? (await reported.eventsOf(runId))
  for (;;) {
    const stored = await bucketsAfter(runId, reader.lastSecond, SECONDS_AT_ONCE)
    for (const { second, data } of stored) reader.emit({ kind: 'bucket', second, data: data.toString('base64') })
    if (stored.length < SECONDS_AT_ONCE || !session.isConnected) break
    await untilRead(response)
  }
  for (const event of earlier ?? []) reader.emit(event)
  if (reader.catchUp() === 'live' && earlier === undefined) reader.emit({ kind: 'end' })
}

/** The second after which a reader wants to hear; −1 for all of them. */
function lastSecond(id: unknown): number {
  return typeof id === 'string' && /^\d{1,9}$/.test(id) ? Number(id) : -1
}

/** One reader: hears what happens while it is still being told what happened before. */
class Reader {
  private readonly pending: LiveEvent[] = []
  private isCatchingUp = true
  private hasEnded = false

  constructor(
    private readonly session: Session,
    private readonly response: Response,
    /** The last second that it was told. */
    public lastSecond: number,
  ) {}

  receive(event: LiveEvent): void {
    if (this.isCatchingUp) this.pending.push(event)
    else {
      this.emit(event)
      if (!this.hasEnded) closeWhenBehind(this.response)
    }
  }

  /** Sends what came until now; says whether the run is still live. */
  catchUp(): 'live' | 'ended' {
    this.isCatchingUp = false
    for (const event of this.pending) this.emit(event)
    return this.hasEnded ? 'ended' : 'live'
  }

  emit(event: LiveEvent): void {
    if (this.hasEnded || !this.session.isConnected) return
    if (event.kind === 'bucket') {
      if (event.second <= this.lastSecond) return
      this.lastSecond = event.second
      this.session.push(event.data, 'bucket', String(event.second))
      return
    }
    // An event without an id would make a reader begin anew: it keeps the second it is at.
    this.session.push(event, event.kind, String(Math.max(0, this.lastSecond)))
    if (event.kind !== 'end') return
    this.hasEnded = true
    this.response.end()
  }
}
