// Until there are accounts, only pages of this very server may drive it: every request must name a loopback host, and
// one that comes from a web page must come from our own. So no other page, nor a name rebound to loopback, gets in.
import type { RequestHandler } from 'express'
import { Problem } from './problems.js'

export const onlyOwnPages: RequestHandler = (request, _response, next) => {
  const host = request.headers.host ?? ''
  if (!/^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/.test(host))
    throw new Problem(403, 'FOREIGN_HOST', `the host "${host}" is not this machine`)
  const { origin } = request.headers
  if (origin !== undefined && origin !== `http://${host}`)
    throw new Problem(403, 'FOREIGN_ORIGIN', `pages of ${origin} may not use this server`)
  const site = request.headers['sec-fetch-site']
  if (request.method !== 'GET' && site !== undefined && site !== 'same-origin')
    throw new Problem(403, 'FOREIGN_ORIGIN', 'another page may not use this server')
  const hasBody = request.headers['content-length'] !== undefined && request.headers['content-length'] !== '0'
  if (hasBody && request.is('application/json') === false) throw new Problem(415, 'NOT_JSON', 'send application/json')
  next()
}
