// Runs: asked for, listed, watched, stopped, and their reports.
import { Router, type Response } from 'express'
import { object, string } from 'yup'
import { junitOf, markdownOf, readPlan, type RunResult, previewOf } from '@jolt-gate/core'
import { RunRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { whoMay } from '../people/access.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { isReadablePath } from '../projects/working-copy.js'
import { refuseForbidden } from '../targets/permits.js'
import type { SecretStore } from '../targets/secrets.js'
import type { RunQueue } from './queue.js'
import { summaryOfRun } from './store.js'
import { streamRun } from './stream.js'

const askShape = object({
  plan: string().required('plan is needed: the path of a plan').max(500),
  target: string().max(200).optional(),
})
const LISTED = 200

export function runRoutes(queue: RunQueue, secrets: SecretStore): Router {
  const routes = Router()

  routes.get('/queue', (_request, response) => {
    response.json({ runs: queue.list() })
  })

  routes.post('/projects/:project/runs', async (request, response) => {
    const person = whoMay(request, 'run')
    const { project, copy } = await projectOf(request.params.project)
    const asked = await askShape.validate(request.body)
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
    await refuseForbidden(project.id, target, previewOf(plan))
    const row = await queue.ask({
      secrets: await secrets.valuesFor(project.id, target),
      projectId: project.id,
      plan,
      target,
      head: await copy.head(),
      fileBytes: (path) => copy.bytes(path),
    })
    await noteOf(person, 'started a run', `${plan.name} against ${target.name}`, project.id)
    response.status(201).location(`/api/runs/${row.id}`).json(summaryOfRun(row))
  })

  routes.get('/projects/:project/runs', async (request, response) => {
    const { project } = await projectOf(request.params.project)
    const { plan } = request.query
    const where = typeof plan === 'string' ? { projectId: project.id, planFile: plan } : { projectId: project.id }
    const rows = await RunRow.findAll({ where, order: [['number', 'DESC']], limit: LISTED })
    response.json({ runs: rows.map(summaryOfRun) })
  })

  routes.get('/runs/:run', async (request, response) => {
    const row = await runOf(request.params.run)
    response.json({
      ...summaryOfRun(row),
      projectId: row.projectId,
      plan: row.plan,
      shape: row.shape,
      result: withoutHistograms(row.result),
    })
  })

  routes.get('/runs/:run/stream', async (request, response) => {
    const row = await runOf(request.params.run)
    await streamRun(request, response, row.id, queue)
  })

  routes.post('/runs/:run/stop', async (request, response) => {
    const person = whoMay(request, 'run')
    const row = await runOf(request.params.run)
    if (!(await queue.stop(row.id, `${person.name} in the application`)))
      throw new Problem(409, 'ENDED', 'the run has ended already')
    response.status(202).json({ stopping: true })
  })

  routes.get('/runs/:run/result.json', async (request, response) => {
    response.json(await resultOfRun(request.params.run))
  })
  routes.get('/runs/:run/junit.xml', async (request, response) => {
    sendText(response, 'application/xml', junitOf(await resultOfRun(request.params.run)))
  })
  routes.get('/runs/:run/report.md', async (request, response) => {
    sendText(response, 'text/markdown', markdownOf(await resultOfRun(request.params.run)))
  })

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
  return result === null ? null : { ...result, histograms: [] }
}

function sendText(response: Response, type: string, text: string): void {
  response.type(type).send(text)
}
