// Signing in and out, people, personal tokens, and the audit log.
import { isLoopbackAddress } from '@jolt-gate/core'
import { ROUTES, type AnswerOf, type Person, type Role, type Session } from '@jolt-gate/core/api'
import { randomBytes } from 'node:crypto'
import { Router, type Request, type Response } from 'express'
import { ipKeyGenerator, rateLimit } from 'express-rate-limit'
import { slowDown } from 'express-slow-down'
import { EventRow, PersonRow, ProjectRoleRow, ProjectRow, SessionRow, TokenRow } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { serve, type Asked } from '../http/serve.js'
import { cookieName, cookieOptions, onlyPeople, sessionOf, visitorIn } from './access.js'
import { hashPassword, hashToken, isPassword, isSameCode, newToken } from './passwords.js'
import { note, noteOf } from './audit-log.js'
import { providerRoutes, type ProviderOptions } from './provider.js'
import { endSession, endSessionsOf, endStreamsOf } from './sessions.js'
import { Op, type WhereOptions } from 'sequelize'

const SESSION_MS = 12 * 3_600_000
const MOST_TOKEN_DAYS = 366
const LISTED_EVENTS = 100
const DEMO_EMAIL = 'ida@larkholm.example'

export interface PeopleOptions {
  /** The demo is signed in by one click, on loopback alone. */
  isDemo: boolean
  isSecure: boolean
  /** By which the first administrator is known; undefined when there are people already. */
  setupCode: string | undefined
  /** By which people sign in beside their passwords. */
  provider: ProviderOptions | undefined
}

/** What may be asked by nobody yet. */
export function sessionRoutes({ isDemo, isSecure, setupCode, provider }: PeopleOptions): Router {
  const routes = Router()
  const perAddress = rateLimit({
    windowMs: 15 * 60_000,
    limit: 50,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    handler: tooMany,
    skip: () => isDemo,
  })
  const perAddressAndName = rateLimit({
    windowMs: 15 * 60_000,
    limit: 10,
    legacyHeaders: false,
    handler: tooMany,
    keyGenerator: (request) => `${ipKeyGenerator(request.ip ?? '')} ${nameOfAttempt(request)}`,
    skipSuccessfulRequests: true,
  })
  // Tried from many addresses a name becomes slow, and is never locked: else anybody could lock anybody out.
  const slowPerName = slowDown({
    windowMs: 15 * 60_000,
    delayAfter: 10,
    delayMs: (attempts) => 250 * (attempts - 10),
    maxDelayMs: 5000,
    keyGenerator: nameOfAttempt,
    skipSuccessfulRequests: true,
  })

  async function begin(response: Response, person: PersonRow): Promise<AnswerOf<typeof ROUTES.signIn>> {
    const { token, hash } = newToken('jgs')
    const session = await SessionRow.create({
      hash,
      personId: person.id,
      csrf: randomBytes(18).toString('base64url'),
      expiresAt: new Date(Date.now() + SESSION_MS),
    })
    await SessionRow.destroy({ where: { personId: person.id, hash: (await oldSessions(person.id)).slice(20) } })
    response.cookie(cookieName(isSecure), token, { ...cookieOptions(isSecure), maxAge: SESSION_MS })
    return { kind: 'somebody', person: publicPerson(person), csrf: session.csrf }
  }

  serve(routes, ROUTES.session, async ({ request }): Promise<Session> => {
    const visitor = visitorIn(request)
    if (visitor !== undefined)
      return { kind: 'somebody', person: publicPerson(visitor.person), csrf: visitor.session?.csrf ?? '' }
    if ((await PersonRow.count()) === 0) return { kind: 'first', isDemo }
    const isAtDemo = isDemo && isLoopbackAddress(request.socket.remoteAddress ?? '')
    return { kind: 'nobody', isDemo: isAtDemo, provider: provider?.name ?? null }
  })

  const signIn = async ({ request, response, body: asked }: Asked<typeof ROUTES.signIn>) => {
    const person = await PersonRow.findOne({ where: { email: asked.email } })
    if (!(await isPassword(asked.password, person?.password ?? null)) || person === null) {
      await note({
        personId: null,
        who: asked.email,
        event: 'sign-in refused',
        detail: String(request.socket.remoteAddress),
      })
      throw new Problem(401, 'WRONG', 'email or password is wrong')
    }
    await noteOf(person, 'signed in', '')
    return begin(response, person)
  }
  serve(routes, ROUTES.signIn, signIn, { before: [perAddress], after: [perAddressAndName, slowPerName] })

  serve(routes, ROUTES.signInToDemo, async ({ request, response }) => {
    if (!isDemo || !isLoopbackAddress(request.socket.remoteAddress ?? ''))
      throw new Problem(404, 'NO_DEMO', 'this server has no demo')
    const [person] = await PersonRow.findOrCreate({
      where: { email: DEMO_EMAIL },
      defaults: { name: 'Ida Quay', email: DEMO_EMAIL, role: 'administrator', password: null, madeAt: new Date() },
    })
    return begin(response, person)
  })

  // Addresses prove nothing: behind a proxy every visitor looks local. The code is known to who started the server.
  const addFirst = async ({ response, body: asked }: Asked<typeof ROUTES.addFirst>) => {
    if ((await PersonRow.count()) > 0)
      throw new Problem(409, 'NOT_FIRST', 'an account exists already: ask an administrator to add you')
    if (setupCode === undefined || !isSameCode(asked.code, setupCode))
      throw new Problem(403, 'WRONG_CODE', 'this is not the setup code that the server printed when it started')
    const person = await PersonRow.create({
      name: asked.name,
      email: asked.email,
      role: 'administrator',
      password: await hashPassword(asked.password),
      madeAt: new Date(),
    })
    await noteOf(person, 'became the first administrator', '')
    return begin(response, person)
  }
  serve(routes, ROUTES.addFirst, addFirst, { before: [perAddress] })
  if (provider !== undefined) routes.use('/session/provider', perAddress)
  if (provider !== undefined) routes.use(providerRoutes(provider, isSecure, begin))

  return routes
}

/** What only people may ask. */
export function peopleRoutes(): Router {
  const routes = Router()
  routes.use(onlyPeople)
  // A session that was left open must not be enough to guess the password of its person.
  const perPerson = rateLimit({
    windowMs: 15 * 60_000,
    limit: 10,
    legacyHeaders: false,
    handler: tooMany,
    keyGenerator: (request) => String(visitorIn(request)?.person.id),
    skipSuccessfulRequests: true,
  })

  serve(routes, ROUTES.signOut, async ({ request, response }) => {
    const session = sessionOf(request)
    if (session !== undefined) await endSession(session)
    for (const isSecure of [true, false]) response.clearCookie(cookieName(isSecure), cookieOptions(isSecure))
    return undefined
  })

  serve(
    routes,
    ROUTES.changePassword,
    async ({ person, request, body: { current, password } }) => {
      const session = sessionOf(request)
      if (session === undefined) throw new Problem(403, 'TOKEN', 'tokens cannot change passwords: sign in')
      if (!(await isPassword(current, person.password)))
        throw new Problem(403, 'WRONG', 'this is not your present password')
      await person.update({ password: await hashPassword(password) })
      await endSessionsOf(person.id, session)
      await noteOf(person, 'changed their password', '')
      return undefined
    },
    { before: [perPerson] },
  )

  serve(routes, ROUTES.people, async () => {
    const [people, roles] = await Promise.all([
      PersonRow.findAll({ order: [['name', 'ASC']] }),
      ProjectRoleRow.findAll({ order: [['projectId', 'ASC']] }),
    ])
    return {
      people: people.map((person) => ({
        ...publicPerson(person),
        projects: roles
          .filter(({ personId }) => personId === person.id)
          .map(({ projectId, role }) => ({ project: projectId, role })),
      })),
    }
  })

  serve(routes, ROUTES.addPerson, async ({ person: administrator, body }) => {
    if ((await PersonRow.findOne({ where: { email: body.email } })) !== null)
      throw new Problem(409, 'KNOWN', `${body.email} has an account already`)
    const person = await PersonRow.create({
      ...body,
      password: await hashPassword(body.password),
      madeAt: new Date(),
    })
    await noteOf(administrator, 'added a person', `${person.name}, ${person.role}`)
    return publicPerson(person)
  })

  serve(routes, ROUTES.changeRole, async ({ person: administrator, params, body: { role } }) => {
    const person = await personOf(params.person)
    await refuseLastAdministrator(person, role)
    await person.update({ role })
    await endStreamsOf(person.id)
    await noteOf(administrator, 'changed a role', `${person.name} is ${role}`)
    return publicPerson(person)
  })

  serve(routes, ROUTES.setProjectRole, async ({ person: administrator, params, body: { role } }) => {
    const person = await personOf(params.person)
    const project = await ProjectRow.findByPk(params.id)
    if (project === null) throw new Problem(404, 'NO_PROJECT', `there is no project ${String(params.id)}`)
    const place = { projectId: project.id, personId: person.id }
    if (role === null) await ProjectRoleRow.destroy({ where: place })
    else await ProjectRoleRow.upsert({ ...place, role })
    await endStreamsOf(person.id)
    await noteOf(
      administrator,
      'changed a role',
      `${person.name} is ${role ?? person.role} in ${project.name}`,
      project.id,
    )
    return undefined
  })

  serve(routes, ROUTES.resetPassword, async ({ person: administrator, params, body: { password } }) => {
    const person = await personOf(params.person)
    await person.update({ password: await hashPassword(password) })
    await endSessionsOf(person.id)
    await noteOf(administrator, 'reset a password', person.name)
    return undefined
  })

  serve(routes, ROUTES.removePerson, async ({ person: administrator, params }) => {
    const person = await personOf(params.person)
    await refuseLastAdministrator(person, undefined)
    await endSessionsOf(person.id)
    await person.destroy()
    await noteOf(administrator, 'removed a person', person.name)
    return undefined
  })

  serve(routes, ROUTES.tokens, async ({ person }) => {
    const rows = await TokenRow.findAll({ where: { personId: person.id }, order: [['id', 'DESC']] })
    return {
      tokens: rows.map(({ id, label, scopes, expiresAt, usedAt }) => ({
        id,
        label,
        scopes: scopes.split(','),
        expiresAt: expiresAt.toISOString(),
        usedAt: usedAt?.toISOString() ?? null,
      })),
    }
  })

  serve(routes, ROUTES.createToken, async ({ person, request, body: { label, scopes, until } }) => {
    if (sessionOf(request) === undefined) throw new Problem(403, 'TOKEN', 'tokens cannot create tokens: sign in')
    const days = (until.getTime() - Date.now()) / 86_400_000
    if (days <= 0 || days > MOST_TOKEN_DAYS) throw new Problem(400, 'BAD_FIELD', 'a token may last at most a year')
    const { token, hash } = newToken('jgt')
    const row = await TokenRow.create({
      personId: person.id,
      label,
      scopes: scopes.join(','),
      hash,
      expiresAt: until,
      usedAt: null,
    })
    await noteOf(person, 'created a token', `${label}: ${scopes.join(', ')}`)
    return { id: row.id, token }
  })

  serve(routes, ROUTES.revokeToken, async ({ person, params, request }) => {
    if (sessionOf(request) === undefined) throw new Problem(403, 'TOKEN', 'tokens cannot revoke tokens: sign in')
    const count = await TokenRow.destroy({ where: { id: Number(params.token), personId: person.id } })
    if (count === 0) throw new Problem(404, 'NO_TOKEN', 'you have no such token')
    await noteOf(person, 'revoked a token', '')
    return undefined
  })

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

  return routes
}

async function personOf(id: string): Promise<PersonRow> {
  const person = /^\d{1,9}$/.test(id) ? await PersonRow.findByPk(Number(id)) : null
  if (person === null) throw new Problem(404, 'NO_PERSON', 'no such person')
  return person
}

/** A place without an administrator could never be kept again. */
async function refuseLastAdministrator(person: PersonRow, next: Role | undefined): Promise<void> {
  if (person.role !== 'administrator' || next === 'administrator') return
  if ((await PersonRow.count({ where: { role: 'administrator' } })) === 1)
    throw new Problem(409, 'LAST_ADMINISTRATOR', 'this is the last administrator: appoint another one first')
}

async function oldSessions(personId: number): Promise<string[]> {
  const rows = await SessionRow.findAll({ where: { personId }, order: [['expiresAt', 'DESC']] })
  return rows.map(({ hash }) => hash)
}

function publicPerson({ id, name, email, role }: PersonRow): Person {
  return { id, name, email, role }
}

function tooMany(): never {
  throw new Problem(429, 'TOO_MANY', 'too many attempts; try again in 15 minutes')
}

function nameOfAttempt(request: Request): string {
  const body: unknown = request.body
  const asked = typeof body === 'object' && body !== null && 'email' in body ? String(body.email) : ''
  return hashToken(asked.trim().toLowerCase())
}
