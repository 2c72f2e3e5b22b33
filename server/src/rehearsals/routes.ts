// Rehearsals: each step told as it ends, kept for comparing, and begun again from a step.
import { Router, type Response } from 'express'
import { newId } from '@jolt-gate/core/identity'
import { object, string } from 'yup'
import { readPlan, type Plan, type Target } from '@jolt-gate/core'
import { rehearse, type Memory, type Rehearsal } from '@jolt-gate/engine'
import { RehearsalRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { whoMay } from '../people/access.js'
import { projectOf } from '../projects/project-of.js'
import { isReadablePath } from '../projects/working-copy.js'
import { refuseForbidden } from '../targets/permits.js'
import type { SecretStore } from '../targets/secrets.js'

const shape = object({
  plan: string().required('plan is needed: the path of a plan').max(500),
  /** The text as it is in the editor; without it the file on disk is rehearsed. */
  text: string().max(1_000_000).optional(),
  target: string().max(200).optional(),
  journey: string().max(300).optional(),
  /** An earlier rehearsal and the number of the step to begin with. */
  again: object({ rehearsal: string().required(), step: string().required() }).optional().default(undefined),
})
/** Rehearsals of a plan that are kept, and whose memories are. */
const MOST_KEPT = 5
const MOST_REMEMBERED = 20

export function rehearsalRoutes(secrets: SecretStore): Router {
  const routes = Router()
  const memories = new Map<string, Memory[]>()

  routes.post('/projects/:project/rehearsals', async (request, response) => {
    whoMay(request, 'run')
    const { project, copy } = await projectOf(request.params.project)
    const asked = await shape.validate(request.body)
    const text = asked.text ?? (isReadablePath(asked.plan) ? await copy.read(asked.plan) : undefined)
    if (text === undefined) throw new Problem(404, 'NO_PLAN', `there is no plan ${asked.plan} in this project`)
    const { plan, target, problems, hasErrors } = readPlan(asked.plan, text, { files: copy.text, target: asked.target })
    if (hasErrors || target === undefined) {
      const first = problems.find((problem) => problem.severity === 'error')
      throw new Problem(
        422,
        'PLAN',
        `${asked.plan}:${String(first?.line ?? 1)}: ${first?.message ?? 'the plan has no target'}`,
        { problems },
      )
    }
    await refuseForbidden(project.id, target, { peakRate: 0, mostUsers: 0, seconds: 0 })
    const values = await secrets.valuesFor(project.id, target)
    const memory =
      asked.again === undefined ? undefined : memories.get(asked.again.rehearsal)?.[Number(asked.again.step)]
    if (asked.again !== undefined && memory === undefined)
      throw new Problem(409, 'FORGOTTEN', 'the state before that step is gone: rehearse from the start')
    const id = newId()
    const made = await tell(response, id, {
      plan,
      target,
      secrets: values,
      journey: asked.journey,
      memory,
      fileBytes: (path) => copy.bytes(path),
    })
    if (made === undefined) return
    memories.set(id, made.memories)
    for (const old of [...memories.keys()].slice(0, -MOST_REMEMBERED)) memories.delete(old)
    // A part of a journey is no rehearsal to compare with.
    if (memory === undefined) await keep(id, project.id, asked.plan, made.rehearsal)
    response.end(
      `${JSON.stringify({ kind: 'end', id, passed: made.rehearsal.passed, journeys: made.rehearsal.journeys })}\n`,
    )
  })

  routes.get('/projects/:project/rehearsals', async (request, response) => {
    const { project } = await projectOf(request.params.project)
    const rows = await RehearsalRow.findAll({
      where: {
        projectId: project.id,
        planFile: typeof request.query['plan'] === 'string' ? request.query['plan'] : '',
      },
      order: [['at', 'DESC']],
      limit: MOST_KEPT,
    })
    response.json({
      rehearsals: rows.map(({ id, at, passed, rehearsal }) => ({
        id,
        at,
        passed,
        rehearsal,
        canResume: memories.has(id),
      })),
    })
  })

  return routes
}

interface Told {
  plan: Plan
  target: Target
  secrets: Record<string, string>
  journey: string | undefined
  memory: Memory | undefined
  fileBytes: (path: string) => Uint8Array | undefined
}

/** Rehearses, and writes each step as a line of JSON. */
async function tell(
  response: Response,
  id: string,
  { plan, target, secrets, journey, memory, fileBytes }: Told,
): Promise<{ rehearsal: Rehearsal; memories: Memory[] } | undefined> {
  response.status(200).type('application/x-ndjson').set('cache-control', 'no-store')
  response.write(`${JSON.stringify({ kind: 'begin', id })}\n`)
  const kept: Memory[] = []
  try {
    const rehearsal = await rehearse({
      plan,
      target,
      journey,
      resume: memory === undefined ? undefined : { memory },
      run: { id, seed: plan.seed, startedAtMs: Date.now(), secrets, overrides: {} },
      fileBytes,
      onStep: (step, remembered) => {
        kept.push(remembered)
        response.write(`${JSON.stringify({ kind: 'step', step })}\n`)
      },
    })
    return { rehearsal, memories: kept }
  } catch (error) {
    response.end(
      `${JSON.stringify({ kind: 'fault', detail: error instanceof Error ? error.message : String(error) })}\n`,
    )
    return undefined
  }
}

async function keep(id: string, projectId: number, planFile: string, rehearsal: Rehearsal): Promise<void> {
  await RehearsalRow.create({ id, projectId, planFile, at: new Date(), passed: rehearsal.passed, rehearsal })
  const old = await RehearsalRow.findAll({
    where: { projectId, planFile },
    order: [['at', 'DESC']],
    offset: MOST_KEPT,
    limit: 100,
    attributes: ['id'],
  })
  if (old.length > 0) await RehearsalRow.destroy({ where: { id: old.map((row) => row.id) } })
}
