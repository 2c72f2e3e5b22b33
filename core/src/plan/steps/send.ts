// `send: GET /sailings`: a request, with its checks and keeps.
import { nearestWord, readSentence } from '../../language/sentences.js'
import type { StepContext } from '../context.js'
import {
  fixOf,
  offsetOf,
  placeOf,
  readFields,
  readSwitch,
  readText,
  readWhole,
  scalarOf,
  type Field,
} from '../fields.js'
import { METHODS, type Method, type SendStep } from '../model.js'
import { offsetInScalar, writtenText, type Source } from '../source.js'
import { readTextMap, textsOfJson } from '../texts.js'
import { readAuth, readBody } from './body.js'
import { NOTHING_INSIDE, outlineLine, type StepKind } from './kind.js'
import { readChecks, readKeeps, readOnFailure, readTimeout } from './shared.js'

const MOST_REDIRECTS = 50

export const SEND: StepKind<SendStep> = {
  read(context, node) {
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
      mayBeSkipped: readSwitch(source, fields.get('may be skipped'), 'may be skipped') ?? false,
      at: placeOf(source, node),
    }
    return [step]
  },
  ...NOTHING_INSIDE,
  timed: ({ name, checks, keeps, mayBeSkipped }) => [
    { name, isRequest: true, reach: mayBeSkipped ? 'may' : 'must', checks, keeps },
  ],
  names(step, scope) {
    scope.url(step)
    const here = scope.with(step.with.map(([name]) => name))
    here.texts(textsOf(step), step.at)
    for (const check of step.checks) here.operands(check)
    return scope.keeps(step.keeps)
  },
  outline: ({ name, method, at }) => [
    outlineLine(at, { sort: 'request', method, label: name.replace(`${method} `, '') }),
  ],
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

function* textsOf({ query, headers, auth, body }: SendStep): Generator<string> {
  for (const [, text] of [...query, ...headers]) yield text
  if (auth?.kind === 'basic') yield* [auth.user, auth.password]
  if (auth?.kind === 'bearer') yield auth.token
  if (body?.kind === 'json') yield* textsOfJson(body.json)
  if (body?.kind === 'form') for (const [, text] of body.fields) yield text
  if (body?.kind === 'text' || body?.kind === 'xml') yield body.text
  if (body?.kind === 'multipart') for (const part of body.parts) if (part.kind === 'text') yield part.text
}
