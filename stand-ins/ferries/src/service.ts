// The service: its pool, its flaws and its routes, put together.
import express, { type Request, type RequestHandler, type Response } from 'express'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { apiRoutes } from './api.js'
import { NO_FLAWS, readFlaws, type Flaws } from './flaws.js'
import { Metrics, METRICS_TYPE } from './metrics.js'
import { OPENAPI } from './openapi.js'
import { seededDraws } from './random.js'
import { siteRoutes } from './site.js'
import { QueueFull, WorkPool, type PoolOptions } from './work-pool.js'
import { World } from './world.js'

export interface FerriesOptions extends PoolOptions {
  /** 0 chooses a free port. */
  port: number
  seed: number
  flaws: Partial<Flaws>
}

export const DEFAULTS: FerriesOptions = { port: 0, places: 6, queue: 200, seed: 4711, flaws: {} }

export interface Ferries {
  origin: string
  stop(): Promise<void>
}

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
    options: FerriesOptions,
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

/** Starts the service on loopback. */
export async function startFerries(options: Partial<FerriesOptions> = {}): Promise<Ferries> {
  const settings = { ...DEFAULTS, ...options }
  const pool = new WorkPool(settings)
  const metrics = new Metrics()
  const world = new World()
  const worker = new Worker(pool, metrics, settings)
  const app = express()
  app.disable('x-powered-by')
  app.disable('etag')
  app.use(express.json({ limit: '100kb' }))
  app.get('/health', (_request, response) => {
    response.json({ status: 'well' })
  })
  app.get('/openapi.json', (_request, response) => {
    response.json(OPENAPI)
  })
  app.get('/metrics', (_request, response) => {
    response.set('content-type', METRICS_TYPE).send(metrics.write(pool, world.holds.size))
  })
  app.get('/admin/flaws', (_request, response) => {
    response.json(worker.flaws)
  })
  app.put('/admin/flaws', onLoopback, (request, response) => {
    const flaws = readFlaws(request.body, worker.flaws)
    if (typeof flaws === 'string') {
      response.status(400).json({ error: flaws })
      return
    }
    worker.flaws = flaws
    if (flaws.stallMs > 0) pool.stall(flaws.stallMs)
    response.json(flaws)
  })
  app.use(apiRoutes(world, worker))
  app.use(siteRoutes(world, worker))
  const server = createServer({ keepAliveTimeout: 60_000 }, app)
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(settings.port, '127.0.0.1', 4096, resolve)
  })
  const { port } = addressOf(server)
  return { origin: `http://127.0.0.1:${String(port)}`, stop: () => stopServer(server) }
}

const onLoopback: RequestHandler = (request, response, next) => {
  const from = request.socket.remoteAddress ?? ''
  if (/^(::ffff:)?127\.|^::1$/.test(from)) next()
  else response.status(403).json({ error: 'flaws are set from loopback only' })
}

function addressOf(server: Server): AddressInfo {
  const address = server.address()
  if (address === null || typeof address === 'string') throw new Error('the server listens on no port')
  return address
}

function stopServer(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => {
      resolve()
    })
    server.closeAllConnections()
  })
}
