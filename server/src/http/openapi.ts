// The API's description of itself (OpenAPI 3.1), made from the contract.
import { API_PROBLEM, BRANCH_HEADER, BRANCH_NAME, ROUTES, type Route, type Schema } from '@jolt-gate/core/api'
import { RESULT } from '@jolt-gate/core'
import { VERSION } from '@jolt-gate/core/identity'

import { schemaOf, type Json } from './schema-of.js'

const NAMED = new Map<Schema, string>([
  [RESULT, 'Result'],
  [API_PROBLEM, 'Problem'],
])
const problem = {
  description: 'what went wrong, where, and what to do',
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
}

/** @param cookie - the name of the cookie of a session */
export const openApiOf = (cookie: string) => ({
  openapi: '3.1.0',
  info: { title: 'Jolt Gate', version: VERSION, description: 'Projects, plans and runs of a Jolt Gate server.' },
  servers: [{ url: '/api' }],
  security: [{ session: [] }, { token: [] }],
  components: {
    securitySchemes: {
      session: { type: 'apiKey', in: 'cookie', name: cookie },
      token: { type: 'http', scheme: 'bearer' },
    },
    schemas: Object.fromEntries([...NAMED].map(([schema, name]) => [name, schemaOf(schema)])),
  },
  paths: pathsOf(Object.entries(ROUTES)),
})

function pathsOf(routes: [name: string, route: Route][]): Record<string, Json> {
  const paths: Record<string, Json> = {}
  for (const [name, route] of routes)
    paths[route.path] = { ...paths[route.path], [route.method.toLowerCase()]: operationOf(name, route) }
  return paths
}

function operationOf(name: string, route: Route): Json {
  const { summary, needs, body, status } = route
  return {
    operationId: name,
    summary,
    description: needs === 'nothing' ? 'Needs no sign-in.' : `Needs the right to ${needs}.`,
    ...(needs === 'nothing' ? { security: [] } : {}),
    parameters: [...pathParameters(route), ...queryParameters(route), ...branchParameter(route)],
    ...(body === undefined
      ? {}
      : { requestBody: { required: true, content: { 'application/json': { schema: schemaOf(body) } } } }),
    responses: { [status]: answerOf(route), default: problem },
  }
}

function answerOf({ summary, answer }: Route): Json {
  if (answer.kind === 'nothing') return { description: summary }
  if (answer.kind === 'json')
    return { description: summary, content: { 'application/json': { schema: oneOf(answer.oneOf) } } }
  const schema = answer.events === undefined ? { type: 'string' } : oneOf(answer.events)
  return { description: summary, content: { [answer.type]: { schema } } }
}

function oneOf(schemas: readonly Schema[]): Json {
  const [first, ...others] = schemas.map(reference)
  return first === undefined ? {} : others.length === 0 ? first : { oneOf: [first, ...others] }
}

function reference(schema: Schema): Json {
  const name = NAMED.get(schema)
  return name === undefined ? schemaOf(schema) : { $ref: `#/components/schemas/${name}` }
}

function pathParameters({ path }: Route): Json[] {
  return [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }))
}

/** Files of a project are those of a branch. */
function branchParameter({ path }: Route): Json[] {
  if (!path.startsWith('/projects/{project}/')) return []
  const description = "the branch to look at, percent-encoded; without it that of the project's own files"
  return [{ name: BRANCH_HEADER, in: 'header', required: false, description, schema: schemaOf(BRANCH_NAME) }]
}

function queryParameters({ query }: Route): Json[] {
  const { properties, required } = query === undefined ? {} : schemaOf(query)
  const names = Array.isArray(required) ? required : []
  return Object.entries(properties ?? {}).map(([name, schema]: [string, unknown]) => ({
    name,
    in: 'query',
    required: names.includes(name),
    schema,
  }))
}
