// For those who operate the server: is it alive, is it ready, what are its figures.
import { setTimeout as sleep } from 'node:timers/promises'
import { Router } from 'express'
import { QueryTypes } from 'sequelize'
import { RunRow } from '../database/models.js'
import { findVisitor, whoMay } from '../people/access.js'
import type { RunQueue } from '../runs/queue.js'
import { rolesOf } from '../people/roles.js'
import { FIGURES, RUNS_QUEUED, RUNS_UNDER_WAY } from '../observability/metrics.js'
import { liveFigures } from './live-runs.js'

/** A database that stands still is not there, and whoever asks waits no longer. */
const READY_WITHIN_MS = 1500

/** Asked without an account, under any name: they say nothing but this. */
export function healthRoutes(): Router {
  const routes = Router()
  routes.get('/healthz', (_request, response) => {
    response.type('text').send('alive\n')
  })
  routes.get('/readyz', async (_request, response) => {
    const isReady = await Promise.race([isDatabaseThere(), sleep(READY_WITHIN_MS, false, { ref: false })])
    response
      .status(isReady ? 200 : 503)
      .type('text')
      .send(isReady ? 'ready\n' : 'the database does not answer\n')
  })
  return routes
}

/** OpenMetrics for the one who may read. */
export function figureRoutes(queue: RunQueue): Router {
  const routes = Router()
  routes.get('/metrics', findVisitor, async (request, response) => {
    const roleFor = await rolesOf(await whoMay(request, 'read'))
    const { waiting, underWay } = queue.lengths()
    RUNS_QUEUED.set(waiting)
    RUNS_UNDER_WAY.set(underWay)
    const live = await liveFigures((project) => roleFor(project) !== 'none')
    // One exposition ends with one `# EOF` (OpenMetrics 1.0).
    const own = (await FIGURES.metrics()).replace(/# EOF\n$/, '')
    response.set('content-type', FIGURES.contentType).send(own + live)
  })
  return routes
}

async function isDatabaseThere(): Promise<boolean> {
  try {
    await RunRow.sequelize?.query('SELECT 1', { type: QueryTypes.SELECT })
    return true
  } catch {
    return false
  }
}
