// Runs: asked for, listed, watched, stopped, and their reports.
import { Router } from 'express'
import { ROUTES } from '@jolt-gate/core/api'
import { junitOf, markdownOf, readPlan, type RunResult, previewOf } from '@jolt-gate/core'
import { RunRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { isReadablePath } from '../projects/working-copy.js'
import { refuseForbidden } from '../targets/permits.js'
import type { SecretStore } from '../targets/secrets.js'
import type { RunQueue } from './queue.js'
import { summaryOfRun } from './store.js'
import { streamRun } from './stream.js'

const LISTED = 200

export function runRoutes(queue: RunQueue, secrets: SecretStore): Router {
  const routes = Router()

  serve(routes, ROUTES.queue, () => ({ runs: queue.list() }))

  serve(routes, ROUTES.startRun, async ({ person, params, body: asked, response }) => {
    const { project, copy } = await projectOf(params.project)
    const text = isReadablePath(asked.plan) ? await copy.read(asked.plan) : undefined
    if (text === undefined) throw new Problem(404, 'NO_PLAN', `there is no plan ${asked.plan} in this project`)
    const { plan, target, problems, hasErrors } = readPlan(asked.plan, text, {
      files: copy.text,
      target: asked.target,
    })
    if (hasErrors || target === undefined) {
      const first = problems.find((problem) => problem.severity === 'error')
      throw new Problem(
        422,
        'PLAN',
        `${asked.plan}:${String(first?.line ?? 1)}: ${first?.message ?? 'the plan has no target'}`,
        { problems },
      )
    }
    const permit = () => refuseForbidden(project.id, target, previewOf(plan))
    await permit()
    const row = await queue.ask({
      secrets: await secrets.valuesFor(project.id, target),
      projectId: project.id,
      plan,
      target,
      head: await copy.head(),
      fileBytes: (path) => copy.bytes(path),
      permit,
    })
    await noteOf(person, 'started a run', `${plan.name} against ${target.name}`, project.id)
    response.location(`/api/runs/${row.id}`)
    return summaryOfRun(row)
  })

  serve(routes, ROUTES.runs, async ({ params, query: { plan } }) => {
    const { project } = await projectOf(params.project)
    const where = { projectId: project.id, ...(plan === undefined ? {} : { planFile: plan }) }
    const rows = await RunRow.findAll({ where, order: [['number', 'DESC']], limit: LISTED })
    return { runs: rows.map(summaryOfRun) }
  })

  serve(routes, ROUTES.run, async ({ params }) => {
    const row = await runOf(params.run)
    return {
      ...summaryOfRun(row),
      projectId: row.projectId,
      plan: row.plan,
      shape: row.shape,
      result: withoutHistograms(row.result),
    }
  })

  serve(routes, ROUTES.runStream, async ({ params, request, response }) => {
    await streamRun(request, response, (await runOf(params.run)).id, queue)
    return undefined
  })

  serve(routes, ROUTES.stopRun, async ({ person, params }) => {
    const row = await runOf(params.run)
    if (!(await queue.stop(row.id, `${person.name} in the application`)))
      throw new Problem(409, 'ENDED', 'the run has ended already')
    return { stopping: true }
  })

  serve(routes, ROUTES.runResult, ({ params }) => resultOfRun(params.run))
  serve(routes, ROUTES.runJunit, async ({ params }) => junitOf(await resultOfRun(params.run)))
  serve(routes, ROUTES.runMarkdown, async ({ params }) => markdownOf(await resultOfRun(params.run)))

  return routes
}

async function runOf(id: string): Promise<RunRow> {
  const row = await RunRow.findByPk(id)
  if (row === null) throw new Problem(404, 'NO_RUN', `no run ${id}`)
  return row
}

async function resultOfRun(id: string): Promise<RunResult> {
  const { result } = await runOf(id)
  if (result === null) throw new Problem(404, 'NO_RESULT', 'this run has no result yet')
  return result
}

/** Pages have the buckets, and need no histograms of the result. */
function withoutHistograms(result: RunResult | null) {
  return result === null ? null : { ...result, histograms: [], blocks: undefined }
}
