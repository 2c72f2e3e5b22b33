// Signing in by an OpenID Connect provider: the code flow with PKCE, state and nonce (OpenID Connect Core 1.0, section
// 3.1; RFC 7636).
import { randomBytes } from 'node:crypto'
import { parse } from 'cookie'
import { Router, type Request, type Response } from 'express'
import {
  allowInsecureRequests,
  authorizationCodeGrant,
  buildAuthorizationUrl,
  calculatePKCECodeChallenge,
  discovery,
  enableNonRepudiationChecks,
  randomNonce,
  randomPKCECodeVerifier,
  randomState,
  type Configuration,
} from 'openid-client'
import { isLoopback } from '@jolt-gate/core'
import type { Role } from '@jolt-gate/core/api'
import { PersonRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { Problem } from '../http/problem.js'
import { note, noteOf } from './audit-log.js'

export interface ProviderOptions {
  /** Where its discovery document is found. */
  issuer: string
  client: string
  secret: string | undefined
  /** As the sign-in page calls it. */
  name: string
  /** Of people who were not added; without it they are refused. */
  newRole: Role | undefined
}

interface Attempt {
  state: string
  nonce: string
  verifier: string
  beganMs: number
}

const WITHIN_MS = 10 * 60_000
const MOST_ATTEMPTS = 1000
const COOKIE = 'jolt_gate_attempt'
const RETURN = '/session/provider/return'
/** Lax, not strict: the browser comes back from the provider's page. */
const COOKIE_OPTIONS = { httpOnly: true, sameSite: 'lax', path: '/api/session/provider' } as const

/** @param begin - makes the session of a person, and writes its cookie */
export function providerRoutes(
  options: ProviderOptions,
  isSecure: boolean,
  begin: (response: Response, person: PersonRow) => Promise<unknown>,
): Router {
  const routes = Router()
  const attempts = new Map<string, Attempt>()
  let known: Promise<Configuration> | undefined
  const provider = () => {
    known ??= discover(options).catch((error: unknown) => {
      known = undefined
      log.error({ err: error }, 'the sign-in provider does not answer')
      throw new Problem(502, 'PROVIDER', `${options.name} does not answer; try again, or sign in by password`)
    })
    return known
  }

  routes.get('/session/provider', async (request, response) => {
    const config = await provider()
    forgetOld(attempts)
    const attempt = {
      state: randomState(),
      nonce: randomNonce(),
      verifier: randomPKCECodeVerifier(),
      beganMs: Date.now(),
    }
    const id = randomBytes(18).toString('base64url')
    attempts.set(id, attempt)
    response.cookie(COOKIE, id, { ...COOKIE_OPTIONS, secure: isSecure, maxAge: WITHIN_MS })
    const url = buildAuthorizationUrl(config, {
      redirect_uri: returnUrl(request),
      scope: 'openid email profile',
      code_challenge: await calculatePKCECodeChallenge(attempt.verifier),
      code_challenge_method: 'S256',
      state: attempt.state,
      nonce: attempt.nonce,
    })
    response.redirect(url.href)
  })

  routes.get(RETURN, async (request, response) => {
    const id = parse(request.headers.cookie ?? '')[COOKIE] ?? ''
    const attempt = attempts.get(id)
    // Once only, whatever comes of it.
    attempts.delete(id)
    response.clearCookie(COOKIE, COOKIE_OPTIONS)
    try {
      if (attempt === undefined || Date.now() - attempt.beganMs > WITHIN_MS)
        throw new Problem(400, 'ATTEMPT', 'the sign-in took too long, or began in another browser')
      const person = await personOf(await claimsOf(await provider(), request, attempt), options)
      await noteOf(person, 'signed in', `by ${options.name}`)
      await begin(response, person)
      response.redirect('/')
    } catch (error) {
      // The browser shows a page, not an answer of the API.
      if (!(error instanceof Problem)) throw error
      await note({ personId: null, who: options.name, event: 'sign-in refused', detail: error.detail })
      response.redirect(`/?refused=${encodeURIComponent(error.detail)}`)
    }
  })

  return routes
}

function discover({ issuer, client, secret }: ProviderOptions): Promise<Configuration> {
  // The signature of ID tokens is looked at, too: by itself the library trusts the connection that they came over.
  // Plain HTTP is for a provider on this machine alone.
  // eslint-disable-next-line @typescript-eslint/no-deprecated -- marked so that it is not used by mistake
  const execute = [enableNonRepudiationChecks, ...(isLoopback(issuer) ? [allowInsecureRequests] : [])]
  return discovery(new URL(issuer), client, secret, undefined, { execute, timeout: 10 })
}

interface Claims {
  subject: string
  email: string | undefined
  isVerified: boolean
  name: string | undefined
}

async function claimsOf(config: Configuration, request: Request, attempt: Attempt): Promise<Claims> {
  const url = new URL(returnUrl(request))
  url.search = new URL(request.originalUrl, url).search
  const { state: expectedState, nonce: expectedNonce, verifier: pkceCodeVerifier } = attempt
  const tokens = await authorizationCodeGrant(config, url, {
    expectedState,
    expectedNonce,
    pkceCodeVerifier,
    idTokenExpected: true,
  }).catch((error: unknown) => {
    log.warn({ err: error }, 'sign-in refused')
    throw new Problem(401, 'PROVIDER', 'the sign-in provider did not confirm who you are; try again')
  })
  const claims = tokens.claims()
  if (claims === undefined) throw new Problem(401, 'PROVIDER', 'the sign-in provider did not say who you are')
  const text = (value: unknown) => (typeof value === 'string' && value !== '' ? value : undefined)
  return {
    subject: `${claims.iss} ${claims.sub}`,
    email: text(claims['email'])?.trim().toLowerCase(),
    isVerified: claims['email_verified'] === true,
    name: text(claims['name']),
  }
}

/**
 * The account of a person who signs in: the one that signed in like this before, or one with that address that never
 * did. An address that the provider has not verified, or that was somebody else's, opens nothing.
 */
async function personOf(claims: Claims, { name, newRole }: ProviderOptions): Promise<PersonRow> {
  const { subject, email, isVerified } = claims
  const known = await PersonRow.findOne({ where: { subject } })
  if (known !== null) return known
  if (email === undefined || !isVerified)
    throw new Problem(403, 'PROVIDER', `${name} has not verified an email address of yours`)
  const added = await PersonRow.findOne({ where: { email } })
  if (added !== null) {
    if (added.subject !== null)
      throw new Problem(403, 'PROVIDER', `${email} belongs to another account of ${name}: ask an administrator`)
    return added.update({ subject })
  }
  if (newRole === undefined) throw new Problem(403, 'PROVIDER', `${email} has no account here: ask an administrator`)
  const madeAt = new Date()
  const called = (claims.name ?? email).replaceAll(/[<>\n]/g, ' ').slice(0, 100)
  return PersonRow.create({ name: called, email, role: newRole, password: null, subject, madeAt })
}

const returnUrl = (request: Request) => `${request.protocol}://${request.headers.host ?? ''}/api${RETURN}`

function forgetOld(attempts: Map<string, Attempt>): void {
  for (const [id, { beganMs }] of attempts)
    if (Date.now() - beganMs > WITHIN_MS || attempts.size >= MOST_ATTEMPTS) attempts.delete(id)
}
