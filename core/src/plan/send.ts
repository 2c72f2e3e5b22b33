// A request of a plan, and the defaults for all of them, from nodes to the model.
import { isMap, type Node } from 'yaml'
import { nearestWord, readSentence } from '../language/sentences.js'
import { readCheck, readKeep } from './assertions.js'
import { readRepositoryFile, readWord, type Defaults, type StepContext } from './context.js'
import {
  fixOf,
  offsetOf,
  placeOf,
  readEntries,
  readFields,
  readList,
  readPhrase,
  readText,
  readWhole,
  scalarOf,
  type Field,
} from './fields.js'
import {
  METHODS,
  type Body,
  type Check,
  type Keep,
  type Method,
  type OnFailure,
  type Part,
  type SendStep,
  type Auth,
} from './model.js'
import { offsetInScalar, writtenText, type Source } from './source.js'
import { readJson, readTextMap } from './texts.js'

export const NO_DEFAULTS: Defaults = { headers: [], timeoutMs: 30_000, checks: [], onFailure: 'continue' }

const MOST_REDIRECTS = 50

/** What every request has unless it says otherwise. */
export function readDefaults(context: StepContext, node: Node | null): Defaults {
  const { source } = context
  const fields = readFields(source, node, 'defaults', 'defaults')
  return {
    headers: readTextMap(source, fields.get('headers')?.value ?? null, 'headers'),
    timeoutMs: readTimeout(source, fields.get('timeout')) ?? NO_DEFAULTS.timeoutMs,
    checks: readChecks(context, fields.get('check')),
    onFailure: readOnFailure(source, fields.get('on failure')) ?? NO_DEFAULTS.onFailure,
  }
}

export function readOnFailure(source: Source, field: Field | undefined): OnFailure | undefined {
  return readWord(source, field, 'on failure', ['continue', 'end iteration'])
}

/** A request, with its checks and keeps. */
export function readSend(context: StepContext, node: Node): SendStep[] {
  const { source, defaults } = context
  const fields = readFields(source, node, 'this send step', 'send')
  const request = readRequestLine(source, fields.get('send'))
  if (request === undefined) return []
  const headers = new Map([
    ...defaults.headers,
    ...readTextMap(source, fields.get('headers')?.value ?? null, 'headers'),
  ])
  const step: SendStep = {
    kind: 'send',
    name: readText(source, fields.get('name'), 'name') ?? `${request.method} ${request.url}`,
    method: request.method,
    url: request.url,
    with: readTextMap(source, fields.get('with')?.value ?? null, 'with'),
    query: readTextMap(source, fields.get('query')?.value ?? null, 'query'),
    headers: [...headers],
    body: readBody(context, fields),
    auth: readAuth(source, fields.get('auth')),
    checks: [...defaults.checks, ...readChecks(context, fields.get('check'))],
    keeps: readKeeps(context, fields.get('keep')),
    timeoutMs: readTimeout(source, fields.get('timeout')) ?? defaults.timeoutMs,
    redirects: Math.min(MOST_REDIRECTS, readWhole(source, fields.get('redirects'), 'redirects', 0) ?? 5),
    http: readHttp(source, fields.get('http')),
    refreshMs: readRefresh(context, fields.get('refresh')),
    onFailure: readOnFailure(source, fields.get('on failure')) ?? defaults.onFailure,
    at: placeOf(source, node),
  }
  return [step]
}

function readRequestLine(source: Source, field: Field | undefined): { method: Method; url: string } | undefined {
  const scalar = scalarOf(source, field?.value ?? null, 'send', offsetOf(field?.key ?? null))
  if (scalar === undefined) return undefined
  const [, word = '', url = ''] = /^(\S+)\s+(\S.*)$/.exec(writtenText(scalar)) ?? []
  if (url === '') {
    source.report(
      offsetOf(scalar),
      'REQUEST',
      `send must be a method and a URL, such as GET /sailings, found "${writtenText(scalar)}"`,
    )
    return undefined
  }
  const method = METHODS.find((known) => known === word)
  if (method === undefined) {
    const meant = nearestWord(word, METHODS)
    source.report(
      offsetOf(scalar),
      'METHOD',
      `"${word}" is not an HTTP method${meant === undefined ? '' : `. Did you mean "${meant}"?`}`,
      fixOf(word, meant),
    )
    return undefined
  }
  if (!url.startsWith('/') && !url.startsWith('{') && !/^https?:\/\//.test(url)) {
    source.report(
      offsetInScalar(scalar, writtenText(scalar).indexOf(url)),
      'URL',
      `a URL must begin with / or http://, found "${url}"`,
    )
  }
  if (/\s/.test(url)) {
    source.report(
      offsetInScalar(scalar, writtenText(scalar).indexOf(url)),
      'URL',
      'a URL may not contain blanks: write %20, or give the value in "with"',
    )
  }
  return { method, url }
}

const BODIES = ['json', 'form', 'text', 'xml', 'file', 'multipart']

function readBody(context: StepContext, fields: Map<string, Field>): Body | undefined {
  const { source } = context
  const kinds = BODIES.filter((kind) => fields.has(kind))
  const second = fields.get(kinds[1] ?? '')
  if (second !== undefined)
    source.report(offsetOf(second.key), 'BODY', `a request has one body, found ${kinds.join(' and ')}`)
  const [kind] = kinds
  const field = fields.get(kind ?? '')
  if (kind === undefined || field === undefined) return undefined
  switch (kind) {
    case 'json':
      return { kind, json: readJson(source, field.value) }
    case 'form':
      return { kind, fields: readTextMap(source, field.value, 'form') }
    case 'text':
    case 'xml': {
      const text = readText(source, field, kind)
      return text === undefined ? undefined : { kind, text }
    }
    case 'file': {
      const path = readRepositoryFile(context, field, 'file')
      return path === undefined ? undefined : { kind, path }
    }
    default:
      return { kind: 'multipart', parts: readParts(context, field) }
  }
}

function readParts(context: StepContext, field: Field): Part[] {
  const { source } = context
  return [...readEntries(source, field.value, 'multipart')].flatMap(([name, entry]): Part[] => {
    if (!isMap(entry.value)) {
      const text = readText(source, entry, `"${name}" in multipart`)
      return text === undefined ? [] : [{ kind: 'text', name, text }]
    }
    const fields = readFields(source, entry.value, `"${name}" in multipart`, 'part')
    const path = readRepositoryFile(context, fields.get('file'), 'file')
    return path === undefined ? [] : [{ kind: 'file', name, path, type: readText(source, fields.get('type'), 'type') }]
  })
}

function readHttp(source: Source, field: Field | undefined): 1 | 2 {
  const text = readText(source, field, 'http')
  if (text === undefined || field === undefined || text === '1') return 1
  if (text === '2') return 2
  source.report(offsetOf(field.value), 'WORD', `http must be 1 or 2, found "${text}"`)
  return 1
}

function readRefresh(context: StepContext, field: Field | undefined): number | undefined {
  if (field === undefined) return undefined
  const { source } = context
  const text = readText(source, field, 'refresh') ?? ''
  if (!context.isSetup) source.report(offsetOf(field.key), 'REFRESH', 'only a step of setup may have refresh')
  const every = /^every\s+(.*)$/.exec(text)
  const parsed = every === null ? undefined : readSentence('DurationOnly', every[1] ?? '')
  if (parsed?.ok === true && parsed.value >= 1000) return parsed.value
  source.report(
    offsetOf(field.value),
    'REFRESH',
    `refresh must be a text such as "every 20m", at least 1 s, found "${text}"`,
  )
  return undefined
}

function readAuth(source: Source, field: Field | undefined): Auth | undefined {
  if (field === undefined) return undefined
  const fields = readFields(source, field.value, 'auth', 'auth')
  const basic = fields.get('basic')
  if (basic !== undefined) {
    const [user, password] = readList(source, basic.value, 'basic').map((item) =>
      scalarOf(source, item, 'basic', offsetOf(item)),
    )
    if (user !== undefined && password !== undefined)
      return { kind: 'basic', user: writtenText(user), password: writtenText(password) }
    source.report(
      offsetOf(basic.value),
      'AUTH',
      'basic needs a user and a password: basic: ["{secret.user}", "{secret.password}"]',
    )
    return undefined
  }
  const token = readText(source, fields.get('bearer'), 'bearer')
  return token === undefined ? undefined : { kind: 'bearer', token }
}

export function readChecks(context: StepContext, field: Field | undefined): Check[] {
  if (field === undefined) return []
  return readList(context.source, field.value, 'check').flatMap((item) => readCheck(context, item) ?? [])
}

export function readKeeps(context: StepContext, field: Field | undefined): Keep[] {
  if (field === undefined) return []
  return [...readEntries(context.source, field.value, 'keep')].flatMap(
    ([name, entry]) => readKeep(context, name, entry) ?? [],
  )
}

export function readTimeout(source: Source, field: Field | undefined): number | undefined {
  return field === undefined ? undefined : readPhrase(source, field.value, 'DurationOnly', 'timeout')
}
