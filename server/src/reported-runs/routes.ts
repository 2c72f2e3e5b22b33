// Runs that the command makes elsewhere: begun, second by second, ended; and the baseline that such a run is held to.
import { Router } from 'express'
import { ROUTES, SIGNATURE_HEADER } from '@jolt-gate/core/api'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { largeOnesInTurn } from './in-turn.js'
import { projectOf } from '../projects/project-of.js'
import { runOf } from '../runs/store.js'
import { summaryOfRun } from '../database/run-summary.js'
import { fittingBaseline } from '../runs/baselines.js'
import type { ReportedRuns } from './reported-runs.js'
import { runnerOf } from './runner-keys.js'

export function reportedRoutes(runs: ReportedRuns): Router {
  const routes = Router()
  const before = [largeOnesInTurn()]

  serve(
    routes,
    ROUTES.reportRun,
    async ({ person, params, body }) => {
      const { project, own } = await projectOf(params.project)
      const row = await runs.begin(project.id, own, person.name, body)
      await noteOf(person, 'reported a run', `run ${String(row.number)} of ${row.planName}`, project.id)
      return summaryOfRun(row)
    },
    { before, read: (bytes: Uint8Array) => runs.reader.read('run', bytes) },
  )

  serve(
    routes,
    ROUTES.reportSeconds,
    async ({ person, params, body }) => ({ seconds: await runs.seconds(await runOf(params.run), person.id, body) }),
    { before, read: (bytes: Uint8Array) => runs.reader.read('seconds', bytes) },
  )

  serve(
    routes,
    ROUTES.reportResult,
    async ({ params, body, request }) => {
      const row = await runOf(params.run)
      const sent: unknown = request.body
      const bytes = sent instanceof Uint8Array ? sent : new Uint8Array()
      const signedBy = await runnerOf(row, request.get(SIGNATURE_HEADER), bytes)
      return summaryOfRun(await runs.result(row, body, signedBy))
    },
    { before, read: (bytes: Uint8Array) => runs.reader.read('result', bytes) },
  )

  serve(routes, ROUTES.fittingBaseline, async ({ params, query: { plan, target, branch, scale, load } }) => {
    const { project, own } = await projectOf(params.project)
    const { branch: defaultBranch } = await own.head()
    const where = { projectId: project.id, plan, target, branch: branch ?? defaultBranch, defaultBranch }
    return { baseline: (await fittingBaseline(where, { target: { name: target }, plan: { scale, load } })) ?? null }
  })

  return routes
}
