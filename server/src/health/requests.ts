// Each request as a line of the log, and as figures.
import { pinoHttp } from 'pino-http'
import type { Request, RequestHandler } from 'express'
import { newId } from '@jolt-gate/core/identity'
import { log } from '../observability/log.js'
import { visitorIn } from '../people/access.js'
import { REQUEST_SECONDS } from '../observability/metrics.js'

/** One line for each request: who, what, how it ended and how long it took; never a query, a body or a header. */
export const logRequests: RequestHandler = pinoHttp<Request>({
  logger: log,
  quietReqLogger: true,
  genReqId: (_request, response) => {
    const id = newId()
    response.setHeader('x-request-id', id)
    return id
  },
  autoLogging: { ignore: ({ url }) => !/^\/(?:api|git|metrics)\b/.test(url) },
  customLogLevel: (_request, response) => (response.statusCode >= 500 ? 'error' : 'info'),
  serializers: { req: () => undefined, res: () => undefined, err: () => undefined },
  customSuccessObject: (request, response, line: RequestLine) => lineOf(request, response.statusCode, line),
  customErrorObject: (request, response, _error, line: RequestLine) => lineOf(request, response.statusCode, line),
  customSuccessMessage: () => 'request',
  customErrorMessage: () => 'request failed',
  customAttributeKeys: { responseTime: 'ms', reqId: 'request' },
})

interface RequestLine {
  ms: number
}

const lineOf = (request: Request, status: number, { ms }: RequestLine) => ({
  ms,
  method: request.method,
  // The one who has the token of a shared link reads the run: it stands in no log.
  path: request.originalUrl.split('?')[0]?.replace(/^(\/api\/shared\/)[^/]+/, '$1…'),
  status,
  person: visitorIn(request)?.person.id,
})

/** Seconds of each request, by its route and status. */
export const countRequests: RequestHandler = (request, response, next) => {
  const stop = REQUEST_SECONDS.startTimer()
  response.once('finish', () => {
    // The pattern, not the path: a path of each run would be a series of each run.
    const route: unknown = request.route
    const pattern = typeof route === 'object' && route !== null && 'path' in route ? String(route.path) : 'none'
    stop({ method: request.method, route: request.baseUrl + pattern, status: String(response.statusCode) })
  })
  next()
}
