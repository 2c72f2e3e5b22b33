// Searches for a capacity, for pages and for scripts.
import { Router } from 'express'
import {
  CapacityFault,
  noCapacityReason,
  previewOf,
  readCapacityGoal,
  type CapacityGoal,
  type CapacityWords,
  type Plan,
} from '@jolt-gate/core'
import { ROUTES, type CapacityDetail, type CapacityLine } from '@jolt-gate/core/api'
import { trialPlanAt } from '@jolt-gate/engine'
import { CapacityRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import type { Asker } from '../runs/ask.js'
import { refuseForbidden } from '../targets/permits.js'
import type { CapacitySearches } from './searches.js'

const MOST_LISTED = 50

export function capacityRoutes(searches: CapacitySearches, ask: Asker): Router {
  const routes = Router()

  serve(routes, ROUTES.findCapacity, async ({ person, params, body, branch, response }) => {
    const { plan: file, target, ...words } = body
    const asked = await ask(params.project, file, target, branch)
    const goal = goalOf(words, asked.plan)
    const why = noCapacityReason(asked.plan)
    if (why !== undefined) throw new Problem(422, 'PLAN', `${file}: ${why}`)
    await refuseForbidden(asked.projectId, asked.target, previewOf(trialPlanAt(asked.plan, goal, goal.highest)))
    const row = await searches.ask(asked, goal, person.name)
    await noteOf(
      person,
      'started a search for a capacity',
      `${asked.plan.name} against ${asked.target.name}`,
      asked.projectId,
    )
    response.location(`/api/projects/${String(asked.projectId)}/capacity/${row.id}`)
    return lineOf(row)
  })

  serve(routes, ROUTES.capacitySearches, async ({ params, query: { plan } }) => {
    const { project } = await projectOf(params.project)
    const rows = await CapacityRow.findAll({
      where: { projectId: project.id, ...(plan === undefined ? {} : { planFile: plan }) },
      ...{ order: [['askedAt', 'DESC']], limit: MOST_LISTED },
    })
    return { searches: rows.map(lineOf) }
  })

  serve(routes, ROUTES.capacitySearch, async ({ params }): Promise<CapacityDetail> => {
    const row = await searchOf(params)
    const making = searches.makingOf(row.id)
    return {
      ...lineOf(row),
      ...{ trials: row.trials, leftOut: row.capacity?.leftOut ?? [], capacity: row.capacity },
      making: making === undefined ? null : { ...making, since: making.since.toISOString() },
    }
  })

  serve(routes, ROUTES.stopCapacity, async ({ person, params }) => {
    const row = await searchOf(params)
    if (!(await searches.stop(row.id, `${person.name} in the application`)))
      throw new Problem(409, 'ENDED', 'the search has ended already')
    return { stopping: true }
  })

  serve(routes, ROUTES.deleteCapacity, async ({ person, params }) => {
    const row = await searchOf(params)
    if (row.state !== 'ended') throw new Problem(409, 'RUNNING', 'the search has not ended: stop it first')
    await row.destroy()
    await noteOf(person, 'deleted a search for a capacity', row.planName, row.projectId)
    return undefined
  })

  return routes
}

/** One of a project, and not of another: who may see the one may not see the other. */
async function searchOf({ project, search }: { project: string; search: string }): Promise<CapacityRow> {
  const { project: own } = await projectOf(project)
  const row = await CapacityRow.findOne({ where: { id: search, projectId: own.id } })
  if (row === null) throw new Problem(404, 'NO_SEARCH', 'there is no such search in this project')
  return row
}

function goalOf(words: CapacityWords, plan: Plan): CapacityGoal {
  try {
    return readCapacityGoal(words, plan.capacity)
  } catch (error) {
    if (error instanceof CapacityFault) throw new Problem(422, 'GOAL', `${error.what}: ${error.why}`)
    throw error
  }
}

export function lineOf(row: CapacityRow): CapacityLine {
  const { id, projectId, planFile, planName, targetName, commit, branch, dirty, startedBy, state, goal, capacity } = row
  return {
    ...{ id, projectId, planFile, planName, targetName, commit, branch, dirty, startedBy, state, goal },
    askedAt: row.askedAt.toISOString(),
    startedAt: row.startedAt?.toISOString() ?? null,
    endedAt: row.endedAt?.toISOString() ?? null,
    ...{ verdict: capacity?.verdict ?? null, words: capacity?.words ?? null, load: capacity?.load ?? null },
    interval: capacity?.interval ?? null,
  }
}
