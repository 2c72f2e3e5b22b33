// A request as it was seen or asked for, to a step of a draft.
import { parseJson } from '../language/json-path.js'
import type { Json } from '../language/sentences.js'
import { newSend, type Draft, type DraftSend } from './draft.js'
import { escapeBraces, isObject, writtenJson } from './json-tree.js'
import { nameOf, templateOf } from './url.js'
import type { Written } from '../write/yaml-text.js'

export interface SeenRequest {
  method: string
  url: URL
  headers: [string, string][]
  body: { type: string; text: string; fields: [string, string][] | undefined } | undefined
}

/** What a client adds by itself, or the engine does. */
const OWN_HEADERS =
  /^(:.*|host|connection|user-agent|accept-encoding|accept-language|cookie|origin|referer|content-length|cache-control|pragma|if-.*|upgrade-insecure-requests|dnt|priority|te|sec-.*|proxy-.*|expect|via|x-forwarded-.*)$/i

/** Makes a step of a request; passwords and keys go to the draft's secrets. */
export function stepOfRequest(request: SeenRequest, draft: Draft): DraftSend {
  const { url } = request
  const path = templateOf(url)
  const isHome = url.origin === draft.origin
  if (!isHome && !draft.also.includes(url.origin)) draft.also.push(url.origin)
  const send = newSend(request.method, isHome ? path : url.origin + path, nameOf(request.method, path))
  if (url.username !== '')
    send.auth = {
      basic: [
        secret(draft, 'user', decodeURIComponent(url.username)),
        secret(draft, 'password', decodeURIComponent(url.password)),
      ],
    }
  for (const [name, value] of request.headers) {
    if (OWN_HEADERS.test(name)) continue
    const lower = name.toLowerCase()
    if (lower === 'authorization') send.auth = authOf(value, draft, send)
    else if (lower === 'accept') {
      if (isWanted(value)) send.headers[lower] = escapeBraces(value.split(',')[0] ?? value)
    } else if (lower !== 'content-type')
      send.headers[lower] = isSecretName(lower) ? secret(draft, lower, value) : escapeBraces(value)
  }
  send.body = request.body === undefined ? undefined : bodyOf(request.body, send, draft)
  return send
}

/** What a page asks of an interface; what a browser asks of pages says nothing. */
function isWanted(accept: string): boolean {
  const [first = ''] = accept.split(',')
  return /json|xml/.test(first) && !/html/.test(first)
}

function authOf(value: string, draft: Draft, send: DraftSend): Record<string, Written> | undefined {
  const [, scheme = '', rest = ''] = /^(\S+)\s+(.*)$/.exec(value) ?? []
  if (/^bearer$/i.test(scheme)) return { bearer: escapeBraces(rest) }
  if (/^basic$/i.test(scheme)) {
    const [user = '', ...password] = decodeBase64(rest).split(':')
    return { basic: [secret(draft, 'user', user), secret(draft, 'password', password.join(':'))] }
  }
  send.headers['authorization'] = secret(draft, 'authorization', value)
  return undefined
}

function bodyOf(
  { type, text, fields }: NonNullable<SeenRequest['body']>,
  send: DraftSend,
  draft: Draft,
): DraftSend['body'] {
  const media = type.split(';')[0]?.trim().toLowerCase() ?? ''
  if (media === 'application/x-www-form-urlencoded') {
    const pairs = fields ?? [...new URLSearchParams(text)]
    return {
      key: 'form',
      value: secretFields(Object.fromEntries(pairs.map(([name, value]) => [name, escapeBraces(value)])), draft),
    }
  }
  if (media === 'multipart/form-data') {
    const pairs = fields ?? []
    if (pairs.length === 0) draft.notes.push(`the parts of ${send.method} ${send.url} were not recorded: add them`)
    return { key: 'multipart', value: Object.fromEntries(pairs.map(([name, value]) => [name, escapeBraces(value)])) }
  }
  if (text === '') return undefined
  const json = /json/.test(media) || media === '' ? parseJson(text) : undefined
  if (json !== undefined) {
    if (media !== 'application/json' && media !== '') send.headers['content-type'] = media
    return { key: 'json', value: isObject(json) ? secretFields(writtenObject(json), draft) : writtenJson(json) }
  }
  if (/xml/.test(media)) {
    if (media !== 'application/xml') send.headers['content-type'] = type
    return { key: 'xml', value: escapeBraces(text) }
  }
  if (media !== '' && media !== 'text/plain') send.headers['content-type'] = type
  return { key: 'text', value: escapeBraces(text) }
}

export function writtenObject(json: Record<string, Json>): Record<string, Written> {
  return Object.fromEntries(Object.entries(json).map(([key, value]) => [escapeBraces(key), writtenJson(value)]))
}

const USER = /^(user|user_?name|login|e-?mail|account|client_id)$/i
const PASSWORD = /pass(word|wd|phrase)?$|^pwd$|^pin$|secret$/i
const isSecretName = (name: string) => /api-?key|token|secret|authorization/i.test(name) && !/csrf|xsrf/i.test(name)

/** Where a password stands, it and the user beside it become secrets. */
export function secretFields(
  fields: Record<string, Written>,
  draft: Draft,
  isExample = false,
): Record<string, Written> {
  if (!Object.keys(fields).some((name) => PASSWORD.test(name))) return fields
  return Object.fromEntries(
    Object.entries(fields).map(([name, value]): [string, Written] => {
      if (typeof value !== 'string' || value === '') return [name, value]
      // What a description gives as an example is no secret: its value is yet to be written.
      const real = isExample ? '' : value
      if (PASSWORD.test(name)) return [name, secret(draft, 'password', real)]
      return [name, USER.test(name) ? secret(draft, 'user', real) : value]
    }),
  )
}

/** Puts a value among the secrets, and gives the name that stands for it. */
export function secret(draft: Draft, wanted: string, value: string): string {
  const base = wanted.replaceAll(/[^A-Za-z0-9]+/g, '_')
  let name = base
  for (let number = 2; draft.secrets[name] !== undefined && draft.secrets[name] !== value; number++)
    name = `${base}${String(number)}`
  draft.secrets[name] = value
  return `{secret.${name}}`
}

export function decodeBase64(text: string): string {
  try {
    return new TextDecoder().decode(Uint8Array.from(atob(text), (character) => character.charCodeAt(0)))
  } catch {
    return ''
  }
}
