// Rehearsals: each step told as it ends, kept for comparing, and begun again from a step.
import { Router, type Response } from 'express'
import { newId } from '@jolt-gate/core/identity'
import { NO_LOAD, readPlan, type Rehearsal, type RehearsedStep } from '@jolt-gate/core'
import { ROUTES, type RehearsalEvent } from '@jolt-gate/core/api'
import { RehearsalRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve, type Asked } from '../http/serve.js'
import { projectOf } from '../projects/project-of.js'
import { isReadablePath } from '../projects/paths.js'
import { refuseForbidden } from '../targets/permits.js'
import type { SecretStore } from '../targets/secrets.js'
import type { Rehearsals } from './rehearsals.js'

/** Rehearsals of a plan that are kept. */
const MOST_KEPT = 5

export function rehearsalRoutes(secrets: SecretStore, rehearsals: Rehearsals): Router {
  const routes = Router()

  const rehearseAsked = async ({ params, person, body, response, branch }: Asked<typeof ROUTES.rehearse>) => {
    const { project, copy } = await projectOf(params.project, branch)
    const text = body.text ?? (isReadablePath(body.plan) ? await copy.read(body.plan) : undefined)
    if (text === undefined) throw new Problem(404, 'NO_PLAN', `there is no plan ${body.plan} in this project`)
    const { plan, target, problems, hasErrors } = readPlan(body.plan, text, { files: copy.text, target: body.target })
    if (hasErrors || target === undefined) {
      const first = problems.find((problem) => problem.severity === 'error')
      const words = `${body.plan}:${String(first?.line ?? 1)}: ${first?.message ?? 'the plan has no target'}`
      throw new Problem(422, 'PLAN', words, { problems })
    }
    await refuseForbidden(project.id, target, NO_LOAD)
    const values = await secrets.valuesFor(project.id, target)
    const who = { personId: person.id, projectId: project.id, planFile: body.plan, target }
    const memory = body.again === undefined ? undefined : rehearsals.memoryOf(who, body.again)
    if (body.again !== undefined && memory === undefined)
      throw new Problem(409, 'FORGOTTEN', 'the state before that step is gone: rehearse from the start')
    const id = newId()
    const { journey } = body
    const made = await stream(response, id, (onStep, signal) =>
      rehearsals.make(id, who, {
        ...{ plan, secrets: values, journey, memory, onStep, signal, only: body.again?.only === true },
        fileBytes: (path) => copy.bytes(path),
      }),
    )
    if (made === undefined) return
    // A part of a journey is no rehearsal to compare with.
    if (memory === undefined) await keep(id, project.id, body.plan, made)
    const { passed, journeys } = made
    response.end(lineOf({ kind: 'end', id, passed, journeys }))
  }

  serve(routes, ROUTES.rehearse, async (asked) => {
    await rehearsals.within(asked.person.id, () => rehearseAsked(asked))
    return undefined
  })

  serve(routes, ROUTES.rehearsals, async ({ params, person, query: { plan } }) => {
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
        canResume: rehearsals.canResume(id, person.id),
      })),
    }
  })

  return routes
}

const lineOf = (event: RehearsalEvent): string => `${JSON.stringify(event)}\n`

/** A rehearsal's steps as lines of JSON, each as it ends; undefined where it came to no end, or nobody waits for it. */
async function stream(
  response: Response,
  id: string,
  make: (onStep: (step: RehearsedStep) => void, signal: AbortSignal) => Promise<Rehearsal>,
): Promise<Rehearsal | undefined> {
  response.status(200).type('application/x-ndjson').set('cache-control', 'no-store')
  response.write(lineOf({ kind: 'begin', id }))
  // The one who leaves needs no more of it; what setup made is still cleared away.
  const left = new AbortController()
  response.on('close', () => {
    left.abort()
  })
  try {
    const rehearsal = await make((step) => {
      response.write(lineOf({ kind: 'step', step }))
    }, left.signal)
    return left.signal.aborted ? undefined : rehearsal
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
