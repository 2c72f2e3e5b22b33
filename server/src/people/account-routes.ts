// One's own account: signing out, the password, tokens for programs.
import { ROUTES } from '@jolt-gate/core/api'
import { Router } from 'express'
import { ProjectRow, TokenRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { cookieName, cookieOptions, sessionOf } from './access.js'
import { perPerson } from './attempts.js'
import { noteOf } from './audit-log.js'
import { hashPassword, isPassword, newToken } from './passwords.js'
import { roleIn } from './roles.js'
import { endSession, endSessionsOf, endTokensOf } from './sessions.js'

const MOST_TOKEN_DAYS = 366

export function accountRoutes(): Router {
  const routes = Router()
  serve(routes, ROUTES.signOut, async ({ request, response }) => {
    const session = sessionOf(request)
    if (session !== undefined) await endSession(session)
    for (const isSecure of [true, false]) response.clearCookie(cookieName(isSecure), cookieOptions(isSecure))
    return undefined
  })

  serve(
    routes,
    ROUTES.changePassword,
    async ({ person, request, body: { current, password, endsTokens } }) => {
      const session = sessionOf(request)
      if (!(await isPassword(current, person.password)))
        throw new Problem(403, 'WRONG', 'this is not your present password')
      await person.update({ password: await hashPassword(password) })
      await endSessionsOf(person.id, session)
      const ended = endsTokens ? await endTokensOf(person.id) : 0
      await noteOf(person, 'changed their password', ended === 0 ? '' : `and ended tokens: ${String(ended)}`)
      return undefined
    },
    { before: [perPerson()] },
  )

  return routes
}

export function tokenRoutes(): Router {
  const routes = Router()
  serve(routes, ROUTES.tokens, async ({ person }) => {
    const rows = await TokenRow.findAll({ where: { personId: person.id }, order: [['id', 'DESC']] })
    return {
      tokens: rows.map(({ id, label, scopes, projectId, expiresAt, usedAt }) => ({
        ...{ id, label, project: projectId, scopes: scopes.split(',') },
        expiresAt: expiresAt.toISOString(),
        usedAt: usedAt?.toISOString() ?? null,
      })),
    }
  })

  serve(routes, ROUTES.createToken, async ({ person, body: { label, scopes, until, project } }) => {
    const days = (until.getTime() - Date.now()) / 86_400_000
    if (days <= 0 || days > MOST_TOKEN_DAYS) throw new Problem(400, 'BAD_FIELD', 'a token may last at most a year')
    const { token, hash } = newToken('jgt')
    const known = project === null ? undefined : await ProjectRow.findByPk(project)
    if (known === null || (known !== undefined && (await roleIn(person, known.id)) === 'none'))
      throw new Problem(404, 'NO_PROJECT', 'there is no such project')
    const row = await TokenRow.create({
      ...{ personId: person.id, label, projectId: project },
      scopes: scopes.join(','),
      hash,
      expiresAt: until,
      usedAt: null,
    })
    const where = known === undefined ? '' : `, in ${known.name} alone`
    await noteOf(person, 'created a token', `${label}: ${scopes.join(', ')}${where}`)
    return { id: row.id, token }
  })

  serve(routes, ROUTES.revokeToken, async ({ person, params }) => {
    if ((await endTokensOf(person.id, { id: Number(params.token) })) === 0)
      throw new Problem(404, 'NO_TOKEN', 'you have no such token')
    await noteOf(person, 'revoked a token', '')
    return undefined
  })

  return routes
}
