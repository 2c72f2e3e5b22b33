// Signing in: by password, by one click in the demo, as the first person, by a provider.
import { isLoopbackAddress } from '@jolt-gate/core'
import { ROUTES, type AnswerOf, type Session } from '@jolt-gate/core/api'
import { randomBytes } from 'node:crypto'
import { Router, type Response } from 'express'
import { PersonRow, SessionRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve, type Asked } from '../http/serve.js'
import { cookieName, cookieOptions, visitorIn } from './access.js'
import { attemptLimits } from './attempts.js'
import { note, noteOf } from './audit-log.js'
import { hashPassword, isPassword, isSameCode, newToken } from './passwords.js'
import { providerRoutes, type ProviderOptions } from './provider.js'
import { publicPerson } from './public-person.js'

const SESSION_MS = 12 * 3_600_000
const ASK_PROVIDER = 'use the sign-in provider'
const DEMO_EMAIL = 'ida@larkholm.example'

export interface PeopleOptions {
  /** The demo is signed in by one click, on loopback alone. */
  isDemo: boolean
  isSecure: boolean
  /** By which the first administrator is known; undefined when there are people already. */
  setupCode: string | undefined
  /** By which people sign in beside their passwords. */
  provider: ProviderOptions | undefined
  /** Whether people sign in by password, too. */
  hasPasswords: boolean
}

/** What may be asked before signing in. */
export function sessionRoutes({ isDemo, isSecure, setupCode, provider, hasPasswords }: PeopleOptions): Router {
  const routes = Router()
  const { perAddress, perAddressAndName, slowPerName } = attemptLimits(isDemo)

  const begin = (response: Response, person: PersonRow) => beginSession(response, person, isSecure)

  serve(routes, ROUTES.session, async ({ request }): Promise<Session> => {
    const visitor = visitorIn(request)
    if (visitor !== undefined)
      return { kind: 'somebody', person: publicPerson(visitor.person), csrf: visitor.session?.csrf ?? '' }
    if ((await PersonRow.count()) === 0) return { kind: 'first', isDemo }
    const isAtDemo = isDemo && isLoopbackAddress(request.socket.remoteAddress ?? '')
    return { kind: 'signed out', isDemo: isAtDemo, hasPasswords, provider: provider?.name ?? null }
  })

  const signIn = async ({ request, response, body: asked }: Asked<typeof ROUTES.signIn>) => {
    if (!hasPasswords) throw new Problem(403, 'NO_PASSWORDS', `nobody signs in by password here: ${ASK_PROVIDER}`)
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

/** Begins a session and gives its cookie; a person has so many at once. */
async function beginSession(
  response: Response,
  person: PersonRow,
  isSecure: boolean,
): Promise<AnswerOf<typeof ROUTES.signIn>> {
  const { token, hash } = newToken('jgs')
  const session = await SessionRow.create({
    hash,
    personId: person.id,
    csrf: randomBytes(18).toString('base64url'),
    expiresAt: new Date(Date.now() + SESSION_MS),
    usedAt: new Date(),
  })
  await SessionRow.destroy({ where: { personId: person.id, hash: (await oldSessions(person.id)).slice(20) } })
  response.cookie(cookieName(isSecure), token, { ...cookieOptions(isSecure), maxAge: SESSION_MS })
  return { kind: 'somebody', person: publicPerson(person), csrf: session.csrf }
}

async function oldSessions(personId: number): Promise<string[]> {
  const rows = await SessionRow.findAll({ where: { personId }, order: [['expiresAt', 'DESC']] })
  return rows.map(({ hash }) => hash)
}
