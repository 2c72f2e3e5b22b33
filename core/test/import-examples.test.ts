// Bodies that an import makes from schemas, judged by a validator of JSON Schema 2020-12 from the registry (ajv).
import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import { parse } from 'yaml'
import { describe, expect, it } from 'vitest'
import { importOpenApi, readOpenApi } from '../src/index.js'

const ajv = new Ajv2020({ strict: false })
addFormats.default(ajv)
const formats = 'uuid date date-time time duration email uri ipv4 ipv6 hostname byte'.split(' ')
const integer = { type: 'integer' }
const keyed = (required: string[], properties: object) => ({ type: 'object', required, properties })

function bodyFor(schema: object): unknown {
  const post = { requestBody: { content: { 'application/json': { schema } } }, responses: { 200: { description: '' } } }
  const description = { openapi: '3.1.0', info: { title: 'T', version: '1' }, paths: { '/x': { post } } }
  const choice = { name: 'T', origin: 'http://127.0.0.1:1', operations: ['POST /x'] }
  const { files } = importOpenApi(readOpenApi(JSON.stringify(description)), choice)
  const plan = parse(files.find(({ path }) => path.endsWith('.gate.yaml'))?.text ?? '') as {
    journeys: Record<string, { steps: { json: unknown }[] }>
  }
  return Object.values(plan.journeys)[0]?.steps[0]?.json
}

describe('a body made from a schema', () => {
  it.each<[string, object]>([
    ...formats.map((format): [string, object] => [format, { type: 'string', format }]),
    ['an enum', { type: 'string', enum: ['a', 'b'] }],
    ['a constant', { const: 'fixed' }],
    ['a pattern', { type: 'string', pattern: '^[A-Z]{3}-\\d{4}$' }],
    ['lengths', { type: 'string', minLength: 12, maxLength: 14 }],
    ['a least number', { ...integer, exclusiveMinimum: 3 }],
    ['a largest number', { ...integer, maximum: -2 }],
    ['a multiple', { ...integer, minimum: 5, multipleOf: 4 }],
    ['narrow bounds', { type: 'number', exclusiveMinimum: 0, exclusiveMaximum: 0.1 }],
    ['a number of items', { type: 'array', minItems: 3, items: integer }],
    ['unique items', { type: 'array', minItems: 3, uniqueItems: true, items: integer }],
    ['unique items of an enum', { type: 'array', minItems: 2, uniqueItems: true, items: { enum: ['x', 'y', 'z'] } }],
    ['a tuple', { type: 'array', prefixItems: [{ type: 'string' }, integer], items: false, minItems: 2 }],
    ['a needed item', { type: 'array', minItems: 1, items: integer, contains: { const: 5 } }],
    ['one of several', { oneOf: [keyed(['a'], { a: { type: 'string' } }), keyed(['b'], { b: integer })] }],
    ['all of several', { allOf: [keyed(['a'], { a: integer }), keyed(['b'], { b: { ...integer, minimum: 2 } })] }],
    ['a required name without a property', keyed(['x', 'y'], { x: { type: 'string' } })],
    ['names that need others', { ...keyed(['a'], { a: integer, b: integer }), dependentRequired: { a: ['b'] } }],
    ['a number of names', { type: 'object', minProperties: 2, additionalProperties: integer }],
    ['null among types', { type: ['integer', 'null'], minimum: 4 }],
  ])('fits it: %s', (_, schema) => {
    expect(ajv.validate(schema, bodyFor(schema)), ajv.errorsText()).toBe(true)
  })
})
