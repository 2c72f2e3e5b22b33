// The head of a request as HTTP/1.1 writes it. Values of a plan may hold anything: what would end a line is refused.
import type { Method } from '@jolt-gate/core'
import { isToken } from './token.js'

/** A request that cannot be written so. */
const invalid = (what: string): Error => Object.assign(new Error(what), { code: 'UND_ERR_INVALID_ARG' })

/** Fields that say how a message is framed, or what becomes of its connection: they are ours. */
const OURS = new Set(['content-length', 'connection', 'transfer-encoding', 'keep-alive', 'upgrade', 'expect'])
/** What a value may hold: tabs, spaces, what is visible, and bytes beyond ASCII. */
const VALUE = /^[\t\x20-\x7e\x80-\xff]*$/
const PATH = /^[\x21-\xff]+$/
const WITH_LENGTH: ReadonlySet<Method> = new Set<Method>(['POST', 'PUT', 'PATCH'])

/** Fields that a plan gives to a request. Those that are the same in every request of a step are written out once. */
export class RequestFields {
  private inWords: WrittenFields | undefined

  /** @param list - names and values in turn */
  constructor(readonly list: readonly string[]) {}

  /** @throws where they cannot be written */
  written(): WrittenFields {
    return (this.inWords ??= writtenOf(this.list))
  }

  without(name: string): RequestFields {
    const kept: string[] = []
    const { list } = this
    for (let index = 0; index + 1 < list.length; index += 2)
      if (list[index] !== name) kept.push(list[index] ?? '', list[index + 1] ?? '')
    return new RequestFields(kept)
  }
}

/** Of what is ours a plan may say the host, `connection: close`, and the length that the body has. */
interface WrittenFields {
  /** Undefined for that of the origin. */
  host: string | undefined
  closes: boolean
  lengths: readonly string[]
  lines: string
}

function writtenOf(list: readonly string[]): WrittenFields {
  const written: WrittenFields = { host: undefined, closes: false, lengths: [], lines: '' }
  for (let index = 0; index + 1 < list.length; index += 2) {
    const [name = '', value = ''] = [list[index], list[index + 1]]
    const line = lineOf(name, value)
    const lower = name.toLowerCase()
    if (lower === 'host') written.host = value
    else if (lower === 'connection' && /^(?:close|keep-alive)$/i.test(value))
      written.closes = value.toLowerCase() === 'close'
    else if (lower === 'content-length') written.lengths = [...written.lengths, value]
    else if (OURS.has(lower)) throw invalid(`invalid ${name} header`)
    else written.lines += line
  }
  return written
}

function lineOf(name: string, value: string): string {
  if (!isToken(name)) throw invalid('invalid header key')
  if (!VALUE.test(value)) throw invalid(`invalid ${name} header`)
  return `${name}: ${value}\r\n`
}

/**
 * @param host - of the origin; a plan may name another
 * @param more - fields that are not the plan's, names and values in turn
 * @param bodyBytes - its length; 0 where there is none
 */
export function requestHead(
  method: Method,
  path: string,
  host: string,
  fields: RequestFields,
  more: readonly string[],
  bodyBytes: number,
): string {
  if (!PATH.test(path)) throw invalid('invalid request path')
  const written = fields.written()
  if (written.lengths.some((length) => length !== String(bodyBytes))) throw invalid('invalid content-length header')
  let { lines } = written
  for (let index = 0; index + 1 < more.length; index += 2) lines += lineOf(more[index] ?? '', more[index + 1] ?? '')
  const connection = written.closes ? 'close' : 'keep-alive'
  const length = bodyBytes > 0 || WITH_LENGTH.has(method) ? `content-length: ${String(bodyBytes)}\r\n` : ''
  return `${method} ${path} HTTP/1.1\r\nhost: ${written.host ?? host}\r\nconnection: ${connection}\r\n${lines}${length}\r\n`
}
