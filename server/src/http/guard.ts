// Only pages of this very server may drive it: every request names a host that is ours, and one that comes from a web
// page comes from our own. So no other page, nor a name rebound to this address, gets in.
import { isLoopback } from '@jolt-gate/core'
import type { RequestHandler } from 'express'
import { Problem } from './problem.js'

/** @param hosts - further names under which people reach this server, with the port where one is written */
export function onlyOwnPages(hosts: readonly string[]): RequestHandler {
  return (request, _response, next) => {
    const host = request.headers.host ?? ''
    if (!isOwnHost(host) && !hosts.includes(host))
      throw new Problem(403, 'FOREIGN_HOST', `the host "${host}" is not allowed; start the server with --host ${host}`)
    const { origin } = request.headers
    if (origin !== undefined && origin !== `${request.protocol}://${host}`)
      throw new Problem(403, 'FOREIGN_ORIGIN', `pages of ${origin} are not allowed to use this server`)
    const site = request.headers['sec-fetch-site']
    if (request.method !== 'GET' && site !== undefined && site !== 'same-origin')
      throw new Problem(403, 'FOREIGN_ORIGIN', 'requests from another site are refused')
    next()
  }
}

/** Changes are asked for in JSON, which no form of another page can send. */
export const onlyJson: RequestHandler = (request, _response, next) => {
  const hasBody = request.headers['content-length'] !== undefined && request.headers['content-length'] !== '0'
  if (hasBody && request.is('application/json') === false) throw new Problem(415, 'NOT_JSON', 'send application/json')
  next()
}

function isOwnHost(host: string): boolean {
  return URL.canParse(`http://${host}`) && isLoopback(`http://${host}`)
}
