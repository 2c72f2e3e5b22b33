// The service: its pool, its flaws and its routes, put together.
import express, { type RequestHandler } from 'express'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { apiRoutes } from './api.js'
import { departureRoutes } from './departures.js'
import { readFlaws, type Flaws } from './flaws.js'
import { Metrics, METRICS_TYPE } from './metrics.js'
import { OPENAPI } from './openapi.js'
import { siteRoutes } from './site.js'
import { WorkPool, type PoolOptions } from './work-pool.js'
import { MOST_CONNECTIONS, Worker } from './worker.js'
import { World } from './world.js'

export interface FerriesOptions extends PoolOptions {
  /** 0 chooses a free port. */
  port: number
  seed: number
  flaws: Partial<Flaws>
}

export const DEFAULTS: FerriesOptions = { port: 0, places: 6, queue: 200, seed: 60, flaws: {} }

export interface Ferries {
  origin: string
  stop(): Promise<void>
}

/** Starts the service on loopback. */
export async function startFerries(options: Partial<FerriesOptions> = {}): Promise<Ferries> {
  const settings = { ...DEFAULTS, ...options }
  const pool = new WorkPool(settings)
  const metrics = new Metrics()
  const world = new World()
  const worker = new Worker(pool, metrics, settings)
  const connections = () => ({ open: worker.openConnections, most: MOST_CONNECTIONS })
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
    response.set('content-type', METRICS_TYPE).send(metrics.write(pool, world.holds.size, connections()))
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
    if (flaws.lostConnections === 0) worker.lostConnections = 0
    if (flaws.stallMs > 0) pool.stall(flaws.stallMs)
    response.json(flaws)
  })
  app.use(apiRoutes(world, worker))
  app.use(departureRoutes(worker))
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
