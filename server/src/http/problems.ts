// Errors of the API as problem details (RFC 9457).
import type { ErrorRequestHandler, RequestHandler } from 'express'
import { ValidationError } from 'yup'
import { isAway, isFull, isTooLong } from '../database/away.js'
import { log } from '../observability/log.js'
import { Problem } from './problem.js'

const TITLES: Record<number, string> = {
  400: 'Bad request',
  401: 'Not signed in',
  403: 'Not permitted',
  404: 'Not found',
  409: 'Conflict',
  413: 'Too large',
  415: 'JSON expected',
  422: 'Plan is not valid',
  429: 'Too many requests',
  502: 'Upstream did not answer',
  500: 'Internal error',
  503: 'Not available',
  507: 'No room left',
}

export const noSuchRoute: RequestHandler = (request) => {
  throw new Problem(404, 'NO_ROUTE', `nothing at ${request.method} ${request.path}`)
}

export const answerProblems: ErrorRequestHandler = (error: unknown, request, response, next) => {
  if (response.headersSent) {
    next(error)
    return
  }
  const problem = problemOf(error)
  if (problem.status >= 500 && problem.status !== 502)
    log.error({ err: error, method: request.method, path: request.path }, 'request failed')
  response
    .status(problem.status)
    .type('application/problem+json')
    .send(
      JSON.stringify({
        type: 'about:blank',
        title: TITLES[problem.status] ?? 'Error',
        status: problem.status,
        code: problem.code,
        detail: problem.detail,
        ...problem.extra,
      }),
    )
}

function problemOf(error: unknown): Problem {
  if (error instanceof Problem) return error
  if (error instanceof ValidationError)
    return new Problem(400, 'BAD_FIELD', error.errors.join('; '), { field: error.path })
  const status = typeof error === 'object' && error !== null && 'status' in error ? error.status : 500
  if (typeof status === 'number' && status >= 400 && status < 500)
    return new Problem(status, 'BAD_REQUEST', error instanceof Error ? error.message : 'the request could not be read')
  if (isAway(error)) return new Problem(503, 'DATABASE_AWAY', 'the database does not answer; try again in a minute')
  if (isTooLong(error))
    return new Problem(503, 'TOO_LONG', 'the database took longer than a minute; ask for less, or try again')
  if (isFull(error)) return new Problem(507, 'FULL', 'the server has no room left to store this: its disk is full')
  return new Problem(500, 'FAULT', 'see the server log')
}
