// A description of a service (OpenAPI 3.0 and 3.1) as a draft.
// Source: OpenAPI Specification 3.1.0 and 3.0.3, OpenAPI Initiative.
import { parseJson } from '../language/json-path.js'
import { parse } from 'yaml'
import type { Json } from '../language/sentences.js'
import { fileName, newDraft, newSend, writeDraft, type Draft, type DraftSend, type Imported } from './draft.js'
import { exampleOfSchema, modest, MOST_DEPTH } from './examples.js'
import { ImportFault } from './fault.js'
import {
  at,
  entriesOf,
  escapeBraces,
  isObject,
  listOf,
  resolved,
  textOf,
  writtenJson,
  type JsonObject,
} from './json-tree.js'
import { secret, secretFields, writtenObject } from './request.js'
import { isId, nameOf, uniqueName } from './url.js'

const MOST_CHARACTERS = 8_000_000
const METHODS = ['get', 'head', 'post', 'put', 'patch', 'delete', 'options', 'trace'] as const

export interface ApiOperation {
  /** `GET /sailings`, which tells it apart. */
  id: string
  method: string
  path: string
  summary: string
  isDeprecated: boolean
}
export interface ApiReading {
  document: JsonObject
  title: string
  /** Origins that the description names; none where it names only paths. */
  origins: string[]
  operations: ApiOperation[]
}

/** Reads a description, as YAML or JSON. */
export function readOpenApi(text: string): ApiReading {
  if (text.length > MOST_CHARACTERS) throw new ImportFault('the description is larger than 8 MB')
  const document = parsed(text)
  if (!isObject(document)) throw new ImportFault('this is not an OpenAPI description: it is not a map')
  const version = textOf(document['openapi'])
  if (!/^3\.[01]\./.test(version))
    throw new ImportFault(
      version === ''
        ? 'this is not an OpenAPI description: it has no "openapi"'
        : `OpenAPI ${version} is not supported; 3.0 and 3.1 are`,
    )
  const operations = entriesOf(document['paths']).flatMap(([path, item]) =>
    METHODS.flatMap((method): ApiOperation[] => {
      const operation = at(item, method)
      if (!isObject(operation)) return []
      const upper = method.toUpperCase()
      const summary = textOf(operation['summary']) || textOf(operation['operationId'])
      return [{ id: `${upper} ${path}`, method: upper, path, summary, isDeprecated: operation['deprecated'] === true }]
    }),
  )
  if (operations.length === 0) throw new ImportFault('the description has no operations')
  const origins = listOf(document['servers']).flatMap((server) => {
    const url = textOf(at(server, 'url'))
    return URL.canParse(url) ? [new URL(url).origin] : []
  })
  return { document, title: textOf(at(document, 'info', 'title')) || 'API', origins: [...new Set(origins)], operations }
}

function parsed(text: string): Json | undefined {
  const json = parseJson(text)
  if (json !== undefined) return json
  try {
    const data: unknown = parse(text, { maxAliasCount: 100, prettyErrors: false, logLevel: 'error' })
    return parseJson(JSON.stringify(data))
  } catch (error) {
    throw new ImportFault(`this is neither JSON nor YAML: ${error instanceof Error ? error.message : ''}`)
  }
}

export interface ApiChoice {
  name: string
  origin: string
  /** Ids of the operations, in the order in which they are to be called. */
  operations: readonly string[]
}

/**
 * Makes the files of a plan that calls the chosen operations.
 *
 * @param choice - the operations by their ids, the origin and the name of the plan
 * @throws ImportFault where none is chosen
 */
export function importOpenApi(reading: ApiReading, choice: ApiChoice): Imported {
  const draft = newDraft(choice.name, choice.origin)
  const document = upgraded(
    reading.document,
    reading.document['openapi'] === undefined || textOf(reading.document['openapi']).startsWith('3.0'),
  )
  const file = `schemas/${fileName(reading.title)}.openapi.json`
  const samples = modest(document)
  const context: Context = {
    draft,
    document,
    samples,
    file,
    base: basePath(document),
    usesFile: false,
    names: new Set(),
  }
  const chosen = choice.operations.flatMap((id) => reading.operations.find((operation) => operation.id === id) ?? [])
  if (chosen.length === 0) throw new ImportFault('no operation was chosen')
  const needsAuth = chosen.some((operation) => securityOf(context, operation).length > 0)
  const signIn = needsAuth ? signInOf(context, reading.operations) : undefined
  if (signIn !== undefined) draft.setup.push(signIn.step)
  const steps = chosen
    .filter((operation) => operation.id !== signIn?.id)
    .map((operation) => stepOf(context, operation, signIn !== undefined))
  draft.journeys.push({
    name: 'visit',
    steps: steps.length > 0 ? steps : [signIn?.step ?? newSend('GET', '/', 'home')],
  })
  if (context.usesFile) draft.files[file] = `${JSON.stringify(withoutExamples(document), null, 2)}\n`
  return writeDraft(draft)
}

const EXAMPLES = ['example', 'examples', 'default']

/** A description without examples: a check needs none, and those of passwords are often somebody's. */
function withoutExamples(json: Json): Json {
  if (Array.isArray(json)) return json.map(withoutExamples)
  if (!isObject(json)) return json
  return Object.fromEntries(
    Object.entries(json).flatMap(([key, value]): [string, Json][] => {
      // A property may be called example: only its schema is meant where a name is expected.
      if (key === 'properties' && isObject(value))
        return [[key, Object.fromEntries(Object.entries(value).map(([name, one]) => [name, withoutExamples(one)]))]]
      return EXAMPLES.includes(key) ? [] : [[key, withoutExamples(value)]]
    }),
  )
}

interface Context {
  draft: Draft
  document: JsonObject
  /** The same, with bounds that keep examples small. */
  samples: JsonObject
  file: string
  base: string
  usesFile: boolean
  names: Set<string>
}

function basePath(document: JsonObject): string {
  const url = textOf(at(listOf(document['servers'])[0], 'url'))
  const path = URL.canParse(url) ? new URL(url).pathname : url.startsWith('/') ? url : ''
  return path.replace(/\/$/, '')
}

function stepOf(context: Context, { id, method, path, summary }: ApiOperation, hasSignIn: boolean): DraftSend {
  const { document, draft, base, names } = context
  const item = at(document, 'paths', path)
  const operation = at(item, method.toLowerCase())
  const parameters = new Map(
    [...listOf(at(item, 'parameters')), ...listOf(at(operation, 'parameters'))].map((one) => {
      const parameter = resolved(document, one)
      return [`${textOf(at(parameter, 'in'))} ${textOf(at(parameter, 'name'))}`, parameter]
    }),
  )
  const send = newSend(method, base + path, uniqueName(summary || nameOf(method, path), names))
  const asked: string[] = []
  for (const parameter of parameters.values()) {
    const name = textOf(at(parameter, 'name'))
    const value = exampleOf(context, parameter)
    const isNeeded = at(parameter, 'required') === true
    switch (textOf(at(parameter, 'in'))) {
      case 'path':
        send.with[templateName(name)] = textOfExample(value)
        if (templateName(name) !== name) send.url = send.url.replace(`{${name}}`, `{${templateName(name)}}`)
        break
      case 'query':
        if (!isNeeded && at(parameter, 'example') === undefined) break
        if (/^\w+$/.test(name)) {
          asked.push(name)
          send.with[name] = textOfExample(value)
        } else send.query[name] = textOfExample(value)
        break
      case 'header':
        if (isNeeded) send.headers[name.toLowerCase()] = textOfExample(value)
        break
      default:
    }
  }
  if (asked.length > 0) send.url += `{?${asked.join(',')}}`
  send.body = bodyOf(context, operation, send)
  authorizeWith(context, send, { id, method, path }, hasSignIn)
  checksOf(context, { method, path }, operation, send)
  if (/\{/.test(path) && isId(path.split('/').at(-1) ?? ''))
    draft.notes.push(`${send.name}: replace the example by a real value, or keep one from an earlier step`)
  return send
}

const templateName = (name: string) => name.replaceAll(/\W/g, '_')

function textOfExample(value: Json | undefined): string {
  if (value === undefined || value === null) return 'x'
  return typeof value === 'object' ? JSON.stringify(value) : escapeBraces(String(value))
}

/** The example of a parameter or a media type, else one made from its schema. */
function exampleOf({ document, samples }: Context, holder: Json | undefined): Json | undefined {
  const own = at(holder, 'example') ?? at(resolved(document, entriesOf(at(holder, 'examples'))[0]?.[1]), 'value')
  if (own !== undefined) return own
  const schema = at(holder, 'schema')
  if (!isObject(schema)) return undefined
  return exampleOfSchema(schema, samples)
}

function bodyOf(context: Context, operation: Json | undefined, send: DraftSend): DraftSend['body'] {
  const content = entriesOf(at(resolved(context.document, at(operation, 'requestBody')), 'content'))
  const [type, media] = content.find(([name]) => /json/.test(name)) ?? content[0] ?? []
  if (type === undefined) return undefined
  const example = exampleOf(context, media) ?? null
  if (/json/.test(type)) {
    if (type !== 'application/json') send.headers['content-type'] = type
    return {
      key: 'json',
      value: isObject(example) ? secretFields(writtenObject(example), context.draft, true) : writtenJson(example),
    }
  }
  if (type === 'application/x-www-form-urlencoded' || type === 'multipart/form-data')
    return {
      key: type.startsWith('multipart') ? 'multipart' : 'form',
      value: Object.fromEntries(entriesOf(example).map(([name, value]) => [name, textOfExample(value)])),
    }
  if (!/xml|text/.test(type)) send.headers['content-type'] = type
  return {
    key: /xml/.test(type) ? 'xml' : 'text',
    value: typeof example === 'string' ? example : JSON.stringify(example),
  }
}

function checksOf(
  context: Context,
  { method, path }: { method: string; path: string },
  operation: Json | undefined,
  send: DraftSend,
): void {
  const [status, listed] = entriesOf(at(operation, 'responses')).find(([code]) => /^2/.test(code)) ?? []
  if (status === undefined) return
  send.checks.push(/^\d+$/.test(status) ? `status is ${status}` : 'status is 2xx')
  const response = resolved(context.document, listed)
  const [type, media] = entriesOf(at(response, 'content')).find(([name]) => /json/.test(name)) ?? []
  const schema = at(media, 'schema')
  if (type === undefined || !isObject(schema) || Object.keys(schema).length === 0) return
  // A response behind a reference is named at its own place.
  const reference = textOf(at(listed, '$ref'))
  const where = reference.startsWith('#/')
    ? reference.slice(1)
    : `/paths/${pointer(path)}/${method.toLowerCase()}/responses/${status}`
  send.checks.push(`json $ fits schema ${context.file}#${where}/content/${pointer(type)}/schema`)
  context.usesFile = true
}

/** A part of a JSON Pointer within a URI fragment (RFC 6901, section 6). */
function pointer(part: string): string {
  return encodeURIComponent(part.replaceAll('~', '~0').replaceAll('/', '~1'))
}

// ---------- security

function securityOf({ document }: Context, { method, path }: Pick<ApiOperation, 'method' | 'path'>): Json[] {
  const own = at(document, 'paths', path, method.toLowerCase(), 'security')
  return listOf(own ?? document['security']).filter((one) => entriesOf(one).length > 0)
}

function authorizeWith(
  context: Context,
  send: DraftSend,
  operation: Pick<ApiOperation, 'id' | 'method' | 'path'>,
  hasSignIn: boolean,
): void {
  const { document, draft } = context
  const [name] = entriesOf(securityOf(context, operation)[0])[0] ?? []
  const scheme =
    name === undefined ? undefined : resolved(document, at(document, 'components', 'securitySchemes', name))
  const type = textOf(at(scheme, 'type'))
  if (type === 'http' && textOf(at(scheme, 'scheme')).toLowerCase() === 'basic')
    send.auth = { basic: [secret(draft, 'user', ''), secret(draft, 'password', '')] }
  else if (type === 'apiKey') {
    const key = secret(draft, 'api_key', '')
    const where = textOf(at(scheme, 'in'))
    const field = textOf(at(scheme, 'name'))
    if (where === 'query') send.query[field] = key
    else
      send.headers[where === 'cookie' ? 'cookie' : field.toLowerCase()] = where === 'cookie' ? `${field}=${key}` : key
  } else if (type !== '') send.auth = { bearer: hasSignIn ? '{token}' : secret(draft, 'token', '') }
}

/** The step that gives a token: that of an OAuth 2.0 flow, or an operation that takes a password and says a token. */
function signInOf(context: Context, operations: readonly ApiOperation[]): { id: string; step: DraftSend } | undefined {
  const { document, draft } = context
  for (const [, scheme] of entriesOf(at(document, 'components', 'securitySchemes'))) {
    const flows = at(scheme, 'flows')
    const [kind, flow] = entriesOf(flows).find(([name]) => name === 'clientCredentials' || name === 'password') ?? []
    const address = textOf(at(flow, 'tokenUrl'))
    if (kind === undefined || address === '') continue
    const send = newSend('POST', address, 'sign in')
    send.body = {
      key: 'form',
      value:
        kind === 'password'
          ? { grant_type: 'password', username: secret(draft, 'user', ''), password: secret(draft, 'password', '') }
          : {
              grant_type: 'client_credentials',
              client_id: secret(draft, 'client_id', ''),
              client_secret: secret(draft, 'client_secret', ''),
            },
    }
    send.keeps['token'] = 'secret json $.access_token'
    if (URL.canParse(address) && new URL(address).origin !== draft.origin) draft.also.push(new URL(address).origin)
    return { id: '', step: send }
  }
  const found = operations.find(
    ({ method, path }) =>
      method === 'POST' && /session|sign-?in|log-?in|token|auth/i.test(path) && takesPassword(context, path),
  )
  if (found === undefined) return undefined
  const step = stepOf(context, found, true)
  step.auth = undefined
  step.keeps['token'] = `secret json $.${tokenName(context, found.path)}`
  return { id: found.id, step }
}

function takesPassword({ document }: Context, path: string): boolean {
  const body = resolved(document, at(document, 'paths', path, 'post', 'requestBody'))
  return entriesOf(at(body, 'content')).some(([, media]) =>
    entriesOf(at(resolved(document, at(media, 'schema')), 'properties')).some(([name]) =>
      /pass|secret|pin/i.test(name),
    ),
  )
}

function tokenName({ document }: Context, path: string): string {
  const responses = entriesOf(at(document, 'paths', path, 'post', 'responses')).filter(([code]) => /^2/.test(code))
  const names = responses.flatMap(([, listed]) =>
    entriesOf(at(resolved(document, listed), 'content')).flatMap(([, media]) =>
      entriesOf(at(resolved(document, at(media, 'schema')), 'properties')).map(([name]) => name),
    ),
  )
  return names.find((name) => /token|jwt/i.test(name)) ?? 'token'
}

/** Schemas of OpenAPI 3.0 as JSON Schema 2020-12: nullable and the bounds that were switches. */
function upgraded(document: JsonObject, isOld: boolean): JsonObject {
  if (!isOld) return document
  const walk = (value: Json, depth: number): Json => {
    if (depth > MOST_DEPTH) return value
    if (Array.isArray(value)) return value.map((item) => walk(item, depth + 1))
    if (!isObject(value)) return value
    const next: JsonObject = {}
    for (const [key, child] of Object.entries(value)) {
      // In 3.0 these two are switches beside a bound; in JSON Schema they are bounds themselves.
      const bound = { exclusiveMinimum: 'minimum', exclusiveMaximum: 'maximum' }[key]
      if (bound === undefined || typeof child !== 'boolean') next[key] = walk(child, depth + 1)
      else if (child) next[key] = value[bound] ?? 0
    }
    if (next['nullable'] === true && typeof next['type'] === 'string') next['type'] = [next['type'], 'null']
    return next
  }
  return Object.fromEntries(Object.entries(document).map(([key, value]) => [key, walk(value, 0)]))
}
