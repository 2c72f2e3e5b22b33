// How often somebody may try to sign in: from one address, for one name, with one session.
import type { Request, RequestHandler } from 'express'
import { ipKeyGenerator, rateLimit } from 'express-rate-limit'
import { slowDown } from 'express-slow-down'
import { Problem } from '../http/problem.js'
import { visitorIn } from './access.js'
import { hashToken } from './passwords.js'

export interface AttemptLimits {
  perAddress: RequestHandler
  perAddressAndName: RequestHandler
  slowPerName: RequestHandler
}

/** @param isDemo - whether addresses are not limited */
export function attemptLimits(isDemo: boolean): AttemptLimits {
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
  return { perAddress, perAddressAndName, slowPerName }
}

/** A session that was left open must not be enough to guess the password of its person. */
export function perPerson(): RequestHandler {
  return rateLimit({
    windowMs: 15 * 60_000,
    limit: 10,
    legacyHeaders: false,
    handler: tooMany,
    keyGenerator: (request) => String(visitorIn(request)?.person.id),
    skipSuccessfulRequests: true,
  })
}

function tooMany(): never {
  throw new Problem(429, 'TOO_MANY', 'too many attempts; try again in 15 minutes')
}

function nameOfAttempt(request: Request): string {
  const body: unknown = request.body
  const asked = typeof body === 'object' && body !== null && 'email' in body ? String(body.email) : ''
  return hashToken(asked.trim().toLowerCase())
}
