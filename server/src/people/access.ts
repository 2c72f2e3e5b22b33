// Who asks, and what they may: a session cookie with its CSRF token, or a personal token.
import { SCOPES, type Need, type ProjectRole, type Scope } from '@jolt-gate/core/api'
import { parse } from 'cookie'
import type { Request, RequestHandler } from 'express'
import { PersonRow, SessionRow, TokenRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { isIdle, noteUse } from './idle.js'
import { hashToken } from './passwords.js'
import { roleIn } from './roles.js'

/**
 * The cookie of a session. With TLS its prefix holds browsers to this very host (RFC 6265bis, section 4.1.3). Without,
 * on loopback, browsers send cookies to every port of this machine: the path keeps it from most of what listens there.
 */
export const cookieName = (isSecure: boolean): string => (isSecure ? '__Host-jolt_gate' : 'jolt_gate_session')
export const cookieOptions = (isSecure: boolean) =>
  ({ httpOnly: true, sameSite: 'strict', secure: isSecure, path: isSecure ? '/' : '/api' }) as const
/** What a request wants to do; reading needs no more than to be somebody. */
export type Act = Exclude<Need, 'nothing'>

export interface Visitor {
  person: PersonRow
  /** With a session all scopes of the role; with a token those it was made with. */
  scopes: readonly Scope[]
  session: SessionRow | undefined
  token: TokenRow | undefined
}

const MAY: Record<ProjectRole, readonly Exclude<Act, 'account'>[]> = {
  none: [],
  reader: ['read'],
  reporter: ['report'],
  author: ['read', 'write', 'run', 'report'],
  administrator: ['read', 'write', 'run', 'report', 'admin'],
}
const visitors = new WeakMap<Request, Visitor>()

/** Finds out who asks, if it is anybody known. */
export const findVisitor: RequestHandler = async (request, _response, next) => {
  const visitor = await visitorOf(request)
  if (visitor !== undefined) visitors.set(request, visitor)
  next()
}

async function visitorOf(request: Request): Promise<Visitor | undefined> {
  const bearer = /^Bearer (\S+)$/i.exec(request.headers.authorization ?? '')?.[1]
  if (bearer !== undefined) return visitorOfToken(bearer)
  const cookies = parse(request.headers.cookie ?? '')
  const cookie = cookies[cookieName(true)] ?? cookies[cookieName(false)]
  if (cookie === undefined) return undefined
  const session = await SessionRow.findByPk(hashToken(cookie))
  if (session === null || session.expiresAt < new Date()) return undefined
  if (isIdle(request.app, session)) {
    await session.destroy()
    return undefined
  }
  await noteUse(request, session)
  const person = await PersonRow.findByPk(session.personId)
  return person === null ? undefined : { person, scopes: SCOPES, session, token: undefined }
}

/** The person of a token that has not expired. */
export async function visitorOfToken(token: string): Promise<Visitor | undefined> {
  const row = await TokenRow.findOne({ where: { hash: hashToken(token) } })
  if (row === null || row.expiresAt < new Date()) return undefined
  const person = await PersonRow.findByPk(row.personId)
  if (person === null) return undefined
  await row.update({ usedAt: new Date() })
  const scopes = SCOPES.filter((scope) => row.scopes.split(',').includes(scope))
  return { person, scopes, session: undefined, token: row }
}

/** Refuses those who are not signed in, and a change by a session without its CSRF token. */
export const onlyPeople: RequestHandler = (request, _response, next) => {
  const visitor = visitors.get(request)
  if (visitor === undefined) throw new Problem(401, 'NOT_SIGNED_IN', 'sign in first')
  const isChange = request.method !== 'GET' && request.method !== 'HEAD'
  if (isChange && visitor.session !== undefined && request.headers['x-jolt-gate-csrf'] !== visitor.session.csrf)
    throw new Problem(403, 'CSRF', 'the page is out of date: reload it')
  next()
}

/**
 * The person who asks, who must be allowed to do such a thing.
 *
 * @param projectId - in this project; undefined for what concerns the whole server
 */
export async function whoMay(request: Request, act: Act, projectId?: number): Promise<PersonRow> {
  const visitor = visitors.get(request)
  if (visitor === undefined) throw new Problem(401, 'NOT_SIGNED_IN', 'sign in first')
  await refuseUnlessMay(visitor, act, projectId)
  return visitor.person
}

export async function refuseUnlessMay({ person, scopes, token }: Visitor, act: Act, projectId?: number): Promise<void> {
  if (act === 'account') {
    if (token !== undefined) throw new Problem(403, 'TOKEN', 'tokens reach nobody’s account: sign in')
    return
  }
  if (!scopes.includes(act)) throw new Problem(403, 'SCOPE', `this token lacks the scope "${act}"`)
  const only = token?.projectId ?? null
  if (only !== null && projectId === undefined)
    throw new Problem(
      403,
      'TOKEN',
      `this token is for one project alone: name it in the address, as /p/${String(only)}`,
    )
  if (only !== null && only !== projectId) throw new Problem(404, 'NO_PROJECT', 'there is no such project')
  const role = projectId === undefined ? person.role : await roleIn(person, projectId)
  // Lists of all projects are of those that somebody has a role in: for some they are empty.
  if (projectId === undefined && act === 'read') return
  // The one who has no role in a project does not hear that it exists.
  if (role === 'none') throw new Problem(404, 'NO_PROJECT', 'there is no such project')
  if (!MAY[role].includes(act)) throw new Problem(403, 'ROLE', `not allowed for the role ${role}; ${WHO_MAY[act]}`)
}

const WHO_MAY: Record<Exclude<Act, 'account'>, string> = {
  read: 'it reports runs of pipelines, and nothing else',
  write: 'authors and administrators can do it',
  run: 'authors and administrators can do it',
  report: 'reporters, authors and administrators can do it',
  admin: 'an administrator can do it',
}

export const sessionOf = (request: Request): SessionRow | undefined => visitors.get(request)?.session
export const visitorIn = (request: Request): Visitor | undefined => visitors.get(request)
