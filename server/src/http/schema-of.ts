// JSON Schema (2020-12, as OpenAPI 3.1 has it) of a Yup schema, from what Yup says of it.
import type { Schema } from '@jolt-gate/core/api'
import type { SchemaDescription, SchemaFieldDescription } from 'yup'

export type Json = Record<string, unknown>

/** Kinds of values that Yup does not know by itself: the contract and result.json name them. */
const OWN: Record<string, Json> = {
  own: { type: 'object' },
  figures: { type: 'array', items: { type: 'number' } },
  'figures or gaps': { type: 'array', items: { type: ['number', 'null'] } },
  interval: { type: 'array', items: { type: ['number', 'null'] }, minItems: 2, maxItems: 2 },
  metrics: { type: 'object', additionalProperties: { type: 'array', items: { type: ['number', 'null'] } } },
  header: { type: 'array', items: { type: 'string' }, minItems: 2, maxItems: 2 },
  date: { type: 'string', format: 'date-time' },
}

export function schemaOf(schema: Schema): Json {
  return ofDescription(schema.describe())
}

function ofDescription(field: SchemaFieldDescription): Json {
  if (!('optional' in field)) return {}
  const schema = { ...bareOf(field), ...limitsOf(field), ...namedOf(field) }
  const { type } = schema
  return field.nullable && typeof type === 'string' ? { ...schema, type: [type, 'null'] } : schema
}

function bareOf(field: SchemaDescription): Json {
  if ('fields' in field && typeof field.fields === 'object' && field.fields !== null)
    return objectOf(Object.entries(field.fields as Record<string, SchemaFieldDescription>))
  if ('innerType' in field) return { type: 'array', items: ofDescription(field.innerType as SchemaFieldDescription) }
  return OWN[field.type] ?? { type: field.tests.some(({ name }) => name === 'integer') ? 'integer' : field.type }
}

function objectOf(fields: [string, SchemaFieldDescription][]): Json {
  const required = fields.filter(([, field]) => 'optional' in field && !field.optional).map(([name]) => name)
  return {
    type: 'object',
    properties: Object.fromEntries(fields.map(([name, field]) => [name, ofDescription(field)])),
    ...(required.length === 0 ? {} : { required }),
  }
}

/** The keywords of length and size, by the type that they are said of. */
const LIMITS: Record<string, { min: string; max: string }> = {
  string: { min: 'minLength', max: 'maxLength' },
  array: { min: 'minItems', max: 'maxItems' },
  number: { min: 'minimum', max: 'maximum' },
}

function limitsOf({ type, tests }: SchemaDescription): Json {
  const limits: Json = {}
  for (const { name, params } of tests) {
    const keyword = name === 'min' || name === 'max' ? LIMITS[type]?.[name] : undefined
    if (keyword !== undefined && name !== undefined) limits[keyword] = params?.[name]
    if (name === 'matches' && params?.['regex'] instanceof RegExp) limits['pattern'] = params['regex'].source
  }
  return limits
}

function namedOf({ oneOf, nullable }: SchemaDescription): Json {
  return oneOf.length === 0 ? {} : { enum: [...oneOf, ...(nullable ? [null] : [])] }
}
