// For those who operate the server: is it alive, is it ready, what are its figures.
import { Router } from 'express'
import { findVisitor, whoMay } from '../people/access.js'
import type { RunQueue } from '../runs/queue.js'
import { maySee, rolesOf } from '../people/roles.js'
import { FIGURES, RUNS_QUEUED, RUNS_UNDER_WAY } from '../observability/metrics.js'
import { liveFigures } from './live-runs.js'
import type { Readiness } from './readiness.js'

/** Asked without an account, under any name: they say nothing but this. */
export function healthRoutes(readiness: Readiness): Router {
  const routes = Router()
  routes.get('/healthz', (_request, response) => {
    response.type('text').send('alive\n')
  })
  routes.get('/readyz', async (_request, response) => {
    const { faults, warnings } = await readiness.look()
    const lines = faults.length > 0 ? faults : ['ready', ...warnings]
    response
      .status(faults.length > 0 ? 503 : 200)
      .type('text')
      .send(`${lines.join('\n')}\n`)
  })
  return routes
}

/** OpenMetrics for the one who may read. */
export function figureRoutes(queue: RunQueue, readiness: Readiness): Router {
  const routes = Router()
  routes.get('/metrics', findVisitor, async (request, response) => {
    const roleFor = await rolesOf(await whoMay(request, 'read'))
    const { waiting, underWay } = queue.lengths()
    RUNS_QUEUED.set(waiting)
    RUNS_UNDER_WAY.set(underWay)
    await readiness.lookAtFolders()
    const live = await liveFigures((project) => maySee(roleFor(project)))
    // One exposition ends with one `# EOF` (OpenMetrics 1.0).
    const own = (await FIGURES.metrics()).replace(/# EOF\n$/, '')
    response.set('content-type', FIGURES.contentType).send(own + live)
  })
  return routes
}
