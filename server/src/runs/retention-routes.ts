// How long the runs of a project are kept, read and said.
import { ROUTES } from '@jolt-gate/core/api'
import { Router } from 'express'
import type { ProjectRow } from '../database/models.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { deleteAll, dueRuns, dueToday, rulesOf } from './retention.js'

export function retentionRoutes(): Router {
  const routes = Router()

  const retentionOf = async ({ id, retention }: ProjectRow, rule = retention) => {
    const due = await dueRuns(id, rulesOf(rule))
    return { rule, due: due.length, today: (await dueToday(id, due)).length }
  }
  serve(routes, ROUTES.retention, async ({ params, query }) =>
    retentionOf((await projectOf(params.project)).project, query.rule),
  )
  serve(routes, ROUTES.setRetention, async ({ person, params, body }) => {
    const { project } = await projectOf(params.project)
    const rule = body.rule.trim()
    const retention = await retentionOf(project, rule)
    await project.update({ retention: rule })
    await noteOf(person, 'said how long runs are kept', rule === '' ? 'all of them' : rule, project.id)
    if (!body.deletesDue) return retention
    const due = await dueRuns(project.id, rulesOf(rule))
    await deleteAll(project.id, due)
    await noteOf(person, 'deleted runs', `${String(due.length)} by the rule "${rule}"`, project.id)
    return { rule, due: 0, today: 0 }
  })

  return routes
}
