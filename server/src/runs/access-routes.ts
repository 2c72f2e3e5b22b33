// All that opens this server beside a sign-in: tokens and shared links, each to be revoked by an administrator.
import { ROUTES } from '@jolt-gate/core/api'
import { Router } from 'express'
import { Op } from 'sequelize'
import { PersonRow, RunRow, ShareRow, TokenRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { endTokensOf } from '../people/sessions.js'
import { revokeShare } from './shares.js'

const MOST = 1000

export function accessRoutes(): Router {
  const routes = Router()

  serve(routes, ROUTES.access, async () => {
    const [tokens, shares, people] = await Promise.all([
      TokenRow.findAll({ where: { expiresAt: { [Op.gt]: new Date() } }, order: [['id', 'DESC']], limit: MOST }),
      ShareRow.findAll({ where: { until: { [Op.gt]: new Date() } }, order: [['id', 'DESC']], limit: MOST }),
      PersonRow.findAll(),
    ])
    const runs = await RunRow.findAll({
      where: { id: [...new Set(shares.map(({ runId }) => runId))] },
      attributes: ['id', 'number', 'planName', 'projectId'],
    })
    return {
      tokens: tokens.map(({ id, personId, label, scopes, projectId, expiresAt, usedAt }) => ({
        ...{ id, label, project: projectId, scopes: scopes.split(',') },
        person: people.find((one) => one.id === personId)?.name ?? 'somebody who is gone',
        expiresAt: expiresAt.toISOString(),
        usedAt: usedAt?.toISOString() ?? null,
      })),
      shares: shares.flatMap(({ id, runId, by, at, until }) => {
        const run = runs.find((one) => one.id === runId)
        if (run === undefined) return []
        const { number, planName: plan, projectId: project } = run
        return [{ id, project, run: runId, number, plan, by, at: at.toISOString(), until: until.toISOString() }]
      }),
    }
  })

  serve(routes, ROUTES.endToken, async ({ person, params }) => {
    const row = /^\d{1,9}$/.test(params.token) ? await TokenRow.findByPk(Number(params.token)) : null
    if (row === null) throw new Problem(404, 'NO_TOKEN', 'there is no such token')
    await endTokensOf(row.personId, { id: row.id })
    const owner = await PersonRow.findByPk(row.personId)
    await noteOf(person, 'revoked a token', `${row.label}, of ${owner?.name ?? 'somebody who is gone'}`)
    return undefined
  })

  serve(routes, ROUTES.endShare, async ({ person, params }) => {
    const row = /^\d{1,9}$/.test(params.share) ? await ShareRow.findByPk(Number(params.share)) : null
    if (row === null) throw new Problem(404, 'NO_SHARE', 'there is no such link')
    const run = await RunRow.findByPk(row.runId, { attributes: ['number', 'projectId'] })
    await revokeShare(row.runId, String(row.id))
    await noteOf(person, 'revoked a shared link', `run ${String(run?.number ?? '')}`, run?.projectId ?? null)
    return undefined
  })

  return routes
}
