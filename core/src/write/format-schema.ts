// The JSON Schema (2020-12) of plans and targets, for editors that know nothing of Jolt Gate.
import { METHODS } from '../plan/model.js'
import { CONTEXTS, STEP_CONTEXTS, type Context, type Shape } from '../plan/vocabulary.js'

type Schema = { readonly [key: string]: unknown }
const TEXT: Schema = { type: ['string', 'number', 'boolean'] }

/** The schema of plan files, of target files, of pipeline files, or of files of shared steps. */
export function formatSchema(file: 'plan' | 'target' | 'steps' | 'pipeline'): Schema {
  const $defs = Object.fromEntries<Schema>([
    ...Object.values(CONTEXTS).map((context, index): [string, Schema] => [
      Object.keys(CONTEXTS)[index] ?? '',
      schemaOfMap(context),
    ]),
    ['step', { oneOf: STEP_CONTEXTS.map((name) => ({ $ref: `#/$defs/${name}` })) }],
  ])
  const root = file === 'steps' ? { type: 'array', items: { $ref: '#/$defs/step' } } : { $ref: `#/$defs/${file}` }
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: `Jolt Gate, ${file} file, format 1`,
    ...root,
    $defs,
  }
}

function schemaOfMap({ about, keys }: Context): Schema {
  const required = Object.entries(keys).flatMap(([key, { isNeeded }]) => (isNeeded ? [key] : []))
  const properties = Object.fromEntries(
    Object.entries(keys).map(([key, { about: description, shape, example }]) => [
      key,
      { ...schemaOf(shape), description, ...(example === '' ? {} : { examples: [example] }) },
    ]),
  )
  // A journey with a load of its own needs no common load.
  const needed = 'jolt' in keys ? required.filter((key) => key !== 'load') : required
  return {
    type: 'object',
    description: about,
    properties,
    additionalProperties: false,
    ...(needed.length === 0 ? {} : { required: needed }),
  }
}

function schemaOf(shape: Shape): Schema {
  switch (shape.kind) {
    case 'text':
    case 'file':
    case 'sentence':
      return TEXT
    case 'whole':
      return { type: ['integer', 'string'] }
    case 'switch':
      return { enum: ['yes', 'no', true, false] }
    case 'json':
      return {}
    case 'request':
      return { type: 'string', pattern: `^(${METHODS.join('|')})\\s+\\S` }
    case 'words':
      return { enum: shape.words.flatMap((word) => (/^\d+$/.test(word) ? [word, Number(word)] : [word])) }
    case 'map':
      return { $ref: `#/$defs/${shape.of}` }
    case 'step':
      return { $ref: '#/$defs/step' }
    case 'entries':
      return { type: 'object', additionalProperties: schemaOf(shape.of) }
    case 'list':
      return { type: 'array', items: schemaOf(shape.of) }
    case 'one of':
      return { anyOf: shape.shapes.map(schemaOf) }
    default:
      return shape satisfies never
  }
}
