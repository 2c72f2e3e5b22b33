// The work behind each route, with the flaws that are switched on.
import type { Request, RequestHandler, Response } from 'express'
import { NO_FLAWS, type Flaws } from './flaws.js'
import type { Metrics } from './metrics.js'
import { seededDraws } from './random.js'
import { QueueFull, type WorkPool } from './work-pool.js'

export const MOST_CONNECTIONS = 60
const MISS_MS = 60

const sleep = (ms: number): Promise<void> | undefined =>
  ms <= 0 ? undefined : new Promise((resolve) => setTimeout(resolve, ms))

type Handler = (request: Request, response: Response) => void | Promise<void>

/** Does the work behind each route: waits for a place, holds it for a drawn time, and answers. */
export class Worker {
  flaws: Flaws
  private readonly draw: () => number
  private readonly startedAtMs = performance.now()
  private served = 0
  /** Connections to the database that will not be closed. */
  lostConnections = 0

  constructor(
    readonly pool: WorkPool,
    readonly metrics: Metrics,
    options: { seed: number; flaws: Partial<Flaws> },
  ) {
    this.flaws = { ...NO_FLAWS, ...options.flaws }
    this.draw = seededDraws(options.seed)
  }

  /** A route whose work takes a gamma-like time about a mean: the sum of two exponentials. */
  route(name: string, meanMs: number, handle: Handler): RequestHandler {
    return async (request, response) => {
      response.on('finish', () => {
        this.metrics.count(name, response.statusCode)
      })
      try {
        await this.pool.work(this.timeOf(name, meanMs))
        await sleep(this.pausedMs())
        this.served++
        const { lostConnections } = this.flaws
        // A healthy service draws nothing for it: its times stay what they were.
        if (lostConnections > 0 && this.draw() < lostConnections / 1000) this.lostConnections++
        if (this.openConnections >= MOST_CONNECTIONS)
          response.status(500).json({ error: 'no connection to the database is left' })
        else if (this.draw() < this.flaws.errors) response.status(500).json({ error: 'something broke' })
        else await handle(request, response)
      } catch (error) {
        if (!(error instanceof QueueFull)) throw error
        response.status(503).set('retry-after', String(error.retryAfterSeconds)).json({ error: 'too busy' })
      }
    }
  }

  /** Whether something breaks just now; a healthy service draws nothing for it. */
  isFaulty(): boolean {
    return this.flaws.errors > 0 && this.draw() < this.flaws.errors
  }

  /** Of the database: one for each place at work, and those that were lost. */
  get openConnections(): number {
    return Math.min(MOST_CONNECTIONS, this.pool.busy + this.lostConnections)
  }

  /** What is left of the pause of the collector that goes on, if one does. */
  private pausedMs(): number {
    const { pauseMs, pauseEveryMs } = this.flaws
    if (pauseMs === 0 || pauseEveryMs === 0) return 0
    return Math.max(0, pauseMs - ((performance.now() - this.startedAtMs) % pauseEveryMs))
  }

  private timeOf(name: string, meanMs: number): number {
    const drawn = (-meanMs / 2) * Math.log((1 - this.draw()) * (1 - this.draw()))
    const slow = name === 'search' ? this.flaws.slowSearch : 1
    const isCold = performance.now() - this.startedAtMs < this.flaws.coldStartSeconds * 1000
    const { misses } = this.flaws
    const missed = name === 'search' && misses > 0 && this.draw() < misses ? MISS_MS : 0
    return drawn * slow * (isCold ? 4 : 1) + missed + (this.flaws.leakMs * this.served) / 1000
  }
}
