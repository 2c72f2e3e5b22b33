// The audit log, read: the newest first, by what is searched for.
import { ROUTES } from '@jolt-gate/core/api'
import { Router } from 'express'
import { Op, type WhereOptions } from 'sequelize'
import { EventRow } from '../database/models.js'
import { serve } from '../http/serve.js'
import { checkChain } from './audit-log.js'

const LISTED_EVENTS = 100

export function auditLogRoutes(): Router {
  const routes = Router()
  serve(routes, ROUTES.auditLog, async ({ query: { search = '', before } }) => {
    const where: WhereOptions = before === undefined ? {} : { id: { [Op.lt]: before } }
    const like = { [Op.like]: `%${search.replaceAll(/[\\%_]/g, '\\$&')}%` }
    const found = search === '' ? where : { ...where, [Op.or]: [{ who: like }, { event: like }, { detail: like }] }
    const rows = await EventRow.findAll({ where: found, order: [['id', 'DESC']], limit: LISTED_EVENTS + 1 })
    return {
      hasMore: rows.length > LISTED_EVENTS,
      events: rows.slice(0, LISTED_EVENTS).map(({ id, at, who, event, detail, projectId }) => ({
        id,
        at: at.toISOString(),
        who,
        event,
        detail,
        projectId,
      })),
    }
  })

  serve(routes, ROUTES.checkAuditLog, checkChain)

  return routes
}
