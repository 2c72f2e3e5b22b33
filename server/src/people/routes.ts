// Signing in and out, people, personal tokens, and the audit log.
import { isLoopbackAddress } from '@jolt-gate/core'
import { randomBytes } from 'node:crypto'
import { Router, type Request, type Response } from 'express'
import { rateLimit } from 'express-rate-limit'
import { array, date, object, string } from 'yup'
import { PersonRow, SessionRow, TokenRow, EventRow, type Role } from '../database/models.js'
import { Problem } from '../http/problems.js'
import { onlyPeople, SCOPES, SESSION_COOKIE, sessionOf, visitorIn, whoMay } from './access.js'
import { hashPassword, hashToken, isPassword, newToken } from './passwords.js'
import { note, noteOf } from './audit-log.js'

const SESSION_MS = 12 * 3_600_000
const MOST_TOKEN_DAYS = 366
const ROLES: readonly Role[] = ['reader', 'author', 'administrator']
const DEMO_EMAIL = 'ida@larkholm.example'

const email = string()
  .trim()
  .lowercase()
  .required('enter an email address')
  .max(200)
  .matches(/^[^<>\s]+@[^<>\s]+$/, 'not an email address')
const name = string()
  .trim()
  .required('enter a name')
  .max(100)
  .matches(/^[^<>\n]+$/, 'a name may not contain < or >')
const password = string().required('enter a password').min(10, 'a password needs at least 10 characters').max(200)
const signInShape = object({ email, password: string().required('enter a password').max(200) })
const personShape = object({ name, email, password, role: string<Role>().oneOf(ROLES).required('choose a role') })
const roleShape = object({ role: string<Role>().oneOf(ROLES).required('choose a role') })
const tokenShape = object({
  label: string().trim().required('enter what the token is for').max(100),
  scopes: array()
    .of(
      string()
        .oneOf([...SCOPES])
        .required(),
    )
    .min(1, 'choose at least one scope')
    .required(),
  until: date().required('enter an end date').min(new Date(0)),
})

export interface PeopleOptions {
  /** The demo is signed in by one click, on loopback alone. */
  isDemo: boolean
  isSecure: boolean
}

/** What may be asked by nobody yet. */
export function sessionRoutes({ isDemo, isSecure }: PeopleOptions): Router {
  const routes = Router()
  const perAddress = rateLimit({
    windowMs: 15 * 60_000,
    limit: 50,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    handler: tooMany,
    skip: () => isDemo,
  })
  const perName = rateLimit({
    windowMs: 15 * 60_000,
    limit: 10,
    legacyHeaders: false,
    handler: tooMany,
    keyGenerator: nameOfAttempt,
    skipSuccessfulRequests: true,
  })

  async function begin(response: Response, person: PersonRow): Promise<void> {
    const { token, hash } = newToken('jgs')
    const session = await SessionRow.create({
      hash,
      personId: person.id,
      csrf: randomBytes(18).toString('base64url'),
      expiresAt: new Date(Date.now() + SESSION_MS),
    })
    await SessionRow.destroy({ where: { personId: person.id, hash: (await oldSessions(person.id)).slice(20) } })
    response.cookie(SESSION_COOKIE, token, {
      httpOnly: true,
      sameSite: 'strict',
      secure: isSecure,
      maxAge: SESSION_MS,
      path: '/',
    })
    response.status(201).json({ kind: 'somebody', person: publicPerson(person), csrf: session.csrf })
  }

  routes.get('/session', async (request, response) => {
    const visitor = visitorIn(request)
    if (visitor !== undefined)
      response.json({ kind: 'somebody', person: publicPerson(visitor.person), csrf: visitor.session?.csrf ?? '' })
    else if ((await PersonRow.count()) === 0) response.json({ kind: 'first', isDemo })
    else response.json({ kind: 'nobody', isDemo: isDemo && isLoopbackAddress(request.socket.remoteAddress ?? '') })
  })

  routes.post('/session', perAddress, perName, async (request, response) => {
    const asked = await signInShape.validate(request.body)
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
    await begin(response, person)
  })

  routes.post('/session/demo', async (request, response) => {
    if (!isDemo || !isLoopbackAddress(request.socket.remoteAddress ?? ''))
      throw new Problem(404, 'NO_DEMO', 'this server has no demo')
    const [person] = await PersonRow.findOrCreate({
      where: { email: DEMO_EMAIL },
      defaults: { name: 'Ida Quay', email: DEMO_EMAIL, role: 'administrator', password: null, madeAt: new Date() },
    })
    await begin(response, person)
  })

  // The first person of all keeps the place; only who sits at this machine can become that.
  routes.post('/people/first', perAddress, async (request, response) => {
    if (!isLoopbackAddress(request.socket.remoteAddress ?? ''))
      throw new Problem(403, 'NOT_HERE', 'the first account must be created on the machine of the server')
    const asked = await personShape.omit(['role']).validate(request.body)
    if ((await PersonRow.count()) > 0)
      throw new Problem(409, 'NOT_FIRST', 'an account exists already: ask an administrator to add you')
    const person = await PersonRow.create({
      name: asked.name,
      email: asked.email,
      role: 'administrator',
      password: await hashPassword(asked.password),
      madeAt: new Date(),
    })
    await noteOf(person, 'became the first administrator', '')
    await begin(response, person)
  })

  return routes
}

/** What only people may ask. */
export function peopleRoutes(): Router {
  const routes = Router()
  routes.use(onlyPeople)

  routes.delete('/session', async (request, response) => {
    await sessionOf(request)?.destroy()
    response.clearCookie(SESSION_COOKIE, { path: '/' }).json({ kind: 'nobody' })
  })

  routes.get('/people', async (request, response) => {
    whoMay(request, 'admin')
    response.json({ people: (await PersonRow.findAll({ order: [['name', 'ASC']] })).map(publicPerson) })
  })

  routes.post('/people', async (request, response) => {
    const administrator = whoMay(request, 'admin')
    const asked = await personShape.validate(request.body)
    if ((await PersonRow.findOne({ where: { email: asked.email } })) !== null)
      throw new Problem(409, 'KNOWN', `${asked.email} has an account already`)
    const person = await PersonRow.create({
      ...asked,
      password: await hashPassword(asked.password),
      madeAt: new Date(),
    })
    await noteOf(administrator, 'added a person', `${person.name}, ${person.role}`)
    response.status(201).json(publicPerson(person))
  })

  routes.patch('/people/:person', async (request, response) => {
    const administrator = whoMay(request, 'admin')
    const { role } = await roleShape.validate(request.body)
    const person = await personOf(request.params['person'])
    await refuseLastAdministrator(person, role)
    await person.update({ role })
    await noteOf(administrator, 'changed a role', `${person.name} is ${role}`)
    response.json(publicPerson(person))
  })

  routes.delete('/people/:person', async (request, response) => {
    const administrator = whoMay(request, 'admin')
    const person = await personOf(request.params['person'])
    await refuseLastAdministrator(person, undefined)
    await person.destroy()
    await noteOf(administrator, 'removed a person', person.name)
    response.status(204).end()
  })

  routes.get('/tokens', async (request, response) => {
    const person = whoMay(request, 'read')
    const rows = await TokenRow.findAll({ where: { personId: person.id }, order: [['id', 'DESC']] })
    response.json({
      tokens: rows.map(({ id, label, scopes, expiresAt, usedAt }) => ({
        id,
        label,
        scopes: scopes.split(','),
        expiresAt,
        usedAt,
      })),
    })
  })

  routes.post('/tokens', async (request, response) => {
    const person = whoMay(request, 'read')
    if (sessionOf(request) === undefined) throw new Problem(403, 'TOKEN', 'tokens cannot create tokens: sign in')
    const { label, scopes, until } = await tokenShape.validate(request.body)
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
    response.status(201).json({ id: row.id, token })
  })

  routes.delete('/tokens/:token', async (request, response) => {
    const person = whoMay(request, 'read')
    const count = await TokenRow.destroy({ where: { id: Number(request.params['token']), personId: person.id } })
    if (count === 0) throw new Problem(404, 'NO_TOKEN', 'you have no such token')
    await noteOf(person, 'revoked a token', '')
    response.status(204).end()
  })

  routes.get('/audit-log', async (request, response) => {
    whoMay(request, 'admin')
    const rows = await EventRow.findAll({ order: [['id', 'DESC']], limit: 200 })
    response.json({
      events: rows.map(({ id, at, who, event, detail, projectId }) => ({ id, at, who, event, detail, projectId })),
    })
  })

  return routes
}

async function personOf(id: string | undefined): Promise<PersonRow> {
  const person = /^\d{1,9}$/.test(id ?? '') ? await PersonRow.findByPk(Number(id)) : null
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

function publicPerson({ id, name: called, email: address, role }: PersonRow): {
  id: number
  name: string
  email: string
  role: Role
} {
  return { id, name: called, email: address, role }
}

function tooMany(): never {
  throw new Problem(429, 'TOO_MANY', 'too many attempts; try again in 15 minutes')
}

function nameOfAttempt(request: Request): string {
  const body: unknown = request.body
  const asked = typeof body === 'object' && body !== null && 'email' in body ? String(body.email) : ''
  return hashToken(asked.trim().toLowerCase())
}
