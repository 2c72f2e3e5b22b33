// Rehearsals: each step told as it ends, kept for comparing, and begun again from a step.
import { Router, type Response } from 'express'
import { newId } from '@jolt-gate/core/identity'
import { NO_LOAD, readPlan, type Plan, type Rehearsal, type Target } from '@jolt-gate/core'
import { ROUTES, type RehearsalEvent } from '@jolt-gate/core/api'
import { rehearse, type Memory } from '@jolt-gate/engine'
import { RehearsalRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { serve } from '../http/serve.js'
import { projectOf } from '../projects/project-of.js'
import { isReadablePath } from '../projects/paths.js'
import { refuseForbidden } from '../targets/permits.js'
import type { SecretStore } from '../targets/secrets.js'

/** Rehearsals of a plan that are kept, and whose memories are. */
const MOST_KEPT = 5
const MOST_REMEMBERED = 20

export function rehearsalRoutes(secrets: SecretStore): Router {
  const routes = Router()
  const memories = new Map<string, Memory[]>()

  serve(routes, ROUTES.rehearse, async ({ params, body: asked, response, branch }) => {
    const { project, copy } = await projectOf(params.project, branch)
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
    await refuseForbidden(project.id, target, NO_LOAD)
    const values = await secrets.valuesFor(project.id, target)
    const memory =
      asked.again === undefined ? undefined : memories.get(asked.again.rehearsal)?.[Number(asked.again.step)]
    if (asked.again !== undefined && memory === undefined)
      throw new Problem(409, 'FORGOTTEN', 'the state before that step is gone: rehearse from the start')
    const id = newId()
    const made = await stream(response, id, {
      plan,
      target,
      secrets: values,
      journey: asked.journey,
      memory,
      fileBytes: (path) => copy.bytes(path),
    })
    if (made === undefined) return undefined
    memories.set(id, made.memories)
    for (const old of [...memories.keys()].slice(0, -MOST_REMEMBERED)) memories.delete(old)
    // A part of a journey is no rehearsal to compare with.
    if (memory === undefined) await keep(id, project.id, asked.plan, made.rehearsal)
    const { passed, journeys } = made.rehearsal
    response.end(lineOf({ kind: 'end', id, passed, journeys }))
    return undefined
  })

  serve(routes, ROUTES.rehearsals, async ({ params, query: { plan } }) => {
    const { project } = await projectOf(params.project)
    const rows = await RehearsalRow.findAll({
      where: { projectId: project.id, planFile: plan },
      order: [['at', 'DESC']],
      limit: MOST_KEPT,
    })
    return {
      rehearsals: rows.map(({ id, at, passed, rehearsal }) => ({
        id,
        at: at.toISOString(),
        passed,
        rehearsal,
        canResume: memories.has(id),
      })),
    }
  })

  return routes
}

const lineOf = (event: RehearsalEvent): string => `${JSON.stringify(event)}\n`

interface RehearsalOutput {
  plan: Plan
  target: Target
  secrets: Record<string, string>
  journey: string | undefined
  memory: Memory | undefined
  fileBytes: (path: string) => Uint8Array | undefined
}

/** Rehearses, and writes each step as a line of JSON. */
async function stream(
  response: Response,
  id: string,
  { plan, target, secrets, journey, memory, fileBytes }: RehearsalOutput,
): Promise<{ rehearsal: Rehearsal; memories: Memory[] } | undefined> {
  response.status(200).type('application/x-ndjson').set('cache-control', 'no-store')
  response.write(lineOf({ kind: 'begin', id }))
  const kept: Memory[] = []
  // The one who leaves needs no more of it; what setup made is still cleared away.
  const left = new AbortController()
  response.on('close', () => {
    left.abort()
  })
  try {
    const rehearsal = await rehearse({
      signal: left.signal,
      plan,
      target,
      journey,
      resume: memory === undefined ? undefined : { memory },
      run: { id, seed: plan.seed, startedAtMs: Date.now(), secrets, overrides: {} },
      fileBytes,
      onStep: (step, remembered) => {
        kept.push(remembered)
        response.write(lineOf({ kind: 'step', step }))
      },
    })
    return left.signal.aborted ? undefined : { rehearsal, memories: kept }
  } catch (error) {
    response.end(lineOf({ kind: 'fault', detail: error instanceof Error ? error.message : String(error) }))
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
