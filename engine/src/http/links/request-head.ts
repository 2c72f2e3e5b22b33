// The head of a request as HTTP/1.1 writes it. Values of a plan may hold anything: what would end a line is refused.
import type { Method } from '@jolt-gate/core'
import { isToken } from './head-text.js'

/** A request that cannot be written so. */
const invalid = (what: string): Error => Object.assign(new Error(what), { code: 'UND_ERR_INVALID_ARG' })

/** Fields that say how a message is framed, or what becomes of its connection: they are ours. */
const OURS = new Set(['transfer-encoding', 'keep-alive', 'upgrade', 'expect'])
export const CLOSES = '\r\nconnection: close\r\n'
/** What a value may hold: tabs, spaces, what is visible, and bytes beyond ASCII. */
const VALUE = /^[\t\x20-\x7e\x80-\xff]*$/
const PATH = /^[\x21-\xff]+$/
const WITH_LENGTH: ReadonlySet<Method> = new Set<Method>(['POST', 'PUT', 'PATCH'])

/**
 * Of what is ours a plan may say `connection: close`, and the length that the body has.
 *
 * @param host - of the origin; a plan may name another
 * @param headers - names and values in turn
 * @param bodyBytes - its length; 0 where there is none
 */
export function requestHead(
  method: Method,
  path: string,
  host: string,
  headers: readonly string[],
  bodyBytes: number,
): string {
  if (!PATH.test(path)) throw invalid('invalid request path')
  let named = host
  let connection = 'keep-alive'
  let fields = ''
  for (let index = 0; index + 1 < headers.length; index += 2) {
    const [name = '', value = ''] = [headers[index], headers[index + 1]]
    if (!isToken(name)) throw invalid('invalid header key')
    if (!VALUE.test(value)) throw invalid(`invalid ${name} header`)
    const lower = name.toLowerCase()
    if (lower === 'host') named = value
    else if (lower === 'connection' && /^(?:close|keep-alive)$/i.test(value)) connection = value.toLowerCase()
    else if (lower === 'content-length' && value === String(bodyBytes)) continue
    else if (lower === 'content-length' || lower === 'connection' || OURS.has(lower))
      throw invalid(`invalid ${name} header`)
    else fields += `${name}: ${value}\r\n`
  }
  const length = bodyBytes > 0 || WITH_LENGTH.has(method) ? `content-length: ${String(bodyBytes)}\r\n` : ''
  return `${method} ${path} HTTP/1.1\r\nhost: ${named}\r\nconnection: ${connection}\r\n${fields}${length}\r\n`
}
