// Badges, for a page of somebody else: public under a key that an administrator may take back.
import { randomBytes } from 'node:crypto'
import { Router } from 'express'
import { badgeOf } from '@jolt-gate/core'
import { ROUTES } from '@jolt-gate/core/api'
import { ProjectRow, RunRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'

export function badgeRoutes(): Router {
  const routes = Router()

  serve(routes, ROUTES.badges, async ({ params }) => ({
    badgeKey: (await projectOf(params.project)).project.badgeKey ?? null,
  }))

  serve(routes, ROUTES.publishBadges, async ({ person, params, body: { isPublic } }) => {
    const { project } = await projectOf(params.project)
    await project.update({ badgeKey: isPublic ? randomBytes(18).toString('base64url') : null })
    await noteOf(person, isPublic ? 'made badges public' : 'took badges back', project.name, project.id)
    return { badgeKey: project.badgeKey ?? null }
  })

  return routes
}

/** Seen by the one who has the address. */
export function publicBadgeRoutes(): Router {
  const routes = Router()
  serve(routes, ROUTES.badge, async ({ params: { key }, query: { plan, branch }, response }) => {
    const project = await ProjectRow.findOne({ where: { badgeKey: key } })
    if (project === null) throw new Problem(404, 'NO_BADGE', 'there is no such badge')
    // As at a stage: only runs of the committed plan, at its own scale and values, by when they were made.
    const fit = { projectId: project.id, madeFile: plan, state: 'ended' as const, unfit: null }
    const last = await RunRow.findOne({
      where: { ...fit, ...(branch === undefined ? {} : { branch }) },
      order: [
        ['startedAt', 'DESC'],
        ['number', 'DESC'],
      ],
    })
    // Pages of others may show it, and their caches ask again soon.
    response.set({ 'cross-origin-resource-policy': 'cross-origin', 'cache-control': 'public, max-age=60' })
    return badgeOf({ label: last?.planName ?? plan, branch: branch ?? null, verdict: last?.verdict ?? null })
  })
  return routes
}
