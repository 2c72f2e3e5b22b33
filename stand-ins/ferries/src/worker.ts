// The work behind each route, with the flaws that are switched on.
import type { Request, RequestHandler, Response } from 'express'
import { NO_FLAWS, type Flaws } from './flaws.js'
import type { Metrics } from './metrics.js'
import { seededDraws } from './random.js'
import { QueueFull, type WorkPool } from './work-pool.js'

type Handler = (request: Request, response: Response) => void | Promise<void>

/** Does the work behind each route: waits for a place, holds it for a drawn time, and answers. */
export class Worker {
  flaws: Flaws
  private readonly draw: () => number
  private readonly startedAtMs = performance.now()
  private served = 0

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
        this.served++
        if (this.draw() < this.flaws.errors) response.status(500).json({ error: 'something broke' })
        else await handle(request, response)
      } catch (error) {
        if (!(error instanceof QueueFull)) throw error
        response.status(503).set('retry-after', String(error.retryAfterSeconds)).json({ error: 'too busy' })
      }
    }
  }

  private timeOf(name: string, meanMs: number): number {
    const drawn = (-meanMs / 2) * Math.log((1 - this.draw()) * (1 - this.draw()))
    const slow = name === 'search' ? this.flaws.slowSearch : 1
    const isCold = performance.now() - this.startedAtMs < this.flaws.coldStartSeconds * 1000
    return drawn * slow * (isCold ? 4 : 1) + (this.flaws.leakMs * this.served) / 1000
  }
}
