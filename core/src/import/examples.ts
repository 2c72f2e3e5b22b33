// Examples that a schema accepts: a library makes them, and what it leaves out is mended.
import { sample } from 'openapi-sampler'
import { parseJson } from '../language/json-path.js'
import { compilePattern, patternFault } from '../language/patterns.js'
import type { Json } from '../language/sentences.js'
import { at, entriesOf, isObject, listOf, resolved, textOf, type JsonObject } from './json-tree.js'

/** An example needs no more, whatever a schema asks for. */
const MOST_IN_EXAMPLES: Readonly<Record<string, number>> = { minLength: 1000, minItems: 10, minProperties: 10 }
export const MOST_DEPTH = 100
const MOST_SAMPLED_DEPTH = 10
const SAMPLING = { quiet: true, skipReadOnly: true, maxSampleDepth: MOST_SAMPLED_DEPTH }
/** A description may branch without end: no more of an example is mended. */
const MOST_MENDED = 500
/** Formats for which the library makes none. */
const FORMATS: Readonly<Record<string, string>> = { duration: 'P1D', byte: 'bGFya2hvbG0=' }

/** A schema whose example cannot be too large: the sampler makes as many letters and items as are asked for. */
export function modest(schema: JsonObject, depth = 0): JsonObject {
  if (depth > MOST_DEPTH) return {}
  const bounded = Object.entries(schema).map(([key, value]): [string, Json] => {
    const most = MOST_IN_EXAMPLES[key]
    if (most !== undefined && typeof value === 'number') return [key, Math.min(most, value)]
    if (Array.isArray(value)) return [key, value.map((item) => (isObject(item) ? modest(item, depth + 1) : item))]
    return [key, isObject(value) ? modest(value, depth + 1) : value]
  })
  return Object.fromEntries(bounded)
}

/**
 * An example of a schema.
 *
 * @param document - where its references lead, made modest
 * @returns undefined where none can be made
 */
export function exampleOfSchema(schema: JsonObject, document: JsonObject): Json | undefined {
  const made = sampleOf(schema, document)
  return made === undefined ? undefined : mended(modest(schema), made, { document, left: MOST_MENDED })
}

function sampleOf(schema: JsonObject, document: JsonObject): Json | undefined {
  try {
    return parseJson(JSON.stringify(sample(modest(schema), SAMPLING, document)))
  } catch {
    return undefined
  }
}

interface Mending {
  document: JsonObject
  /** So many parts may still be mended. */
  left: number
}

function mended(listed: Json, value: Json, mending: Mending): Json {
  const schema = resolved(mending.document, listed)
  if (!isObject(schema) || mending.left-- <= 0) return value
  // What a person gave as an example is theirs.
  if (['example', 'examples', 'default', 'const', 'enum'].some((key) => schema[key] !== undefined)) return value
  const whole = listOf(schema['allOf']).reduce((inner: Json, part) => mended(part, inner, mending), value)
  if (typeof whole === 'number') return mendedNumber(schema, whole)
  if (typeof whole === 'string') return mendedText(schema, whole)
  if (Array.isArray(whole)) return mendedList(schema, whole, mending)
  return isObject(whole) ? mendedObject(schema, whole, mending) : whole
}

function mendedNumber(schema: JsonObject, value: number): number {
  const bound = (key: string, otherwise: number) => {
    const given = schema[key]
    return typeof given === 'number' ? given : otherwise
  }
  const [above, below] = [bound('exclusiveMinimum', -Infinity), bound('exclusiveMaximum', Infinity)]
  const [least, most] = [bound('minimum', -Infinity), bound('maximum', Infinity)]
  const step = bound('multipleOf', schema['type'] === 'integer' ? 1 : 0)
  const isWithin = (one: number) => one > above && one < below && one >= least && one <= most
  const [low, high] = [Math.max(above, least), Math.min(below, most)]
  const middle = isWithin(value) ? value : Number.isFinite(low + high) ? (low + high) / 2 : value
  if (step <= 0) return middle
  const whole = Math.ceil(middle / step) * step
  return [whole, whole + step, whole - step].find(isWithin) ?? whole
}

function mendedText(schema: JsonObject, value: string): string {
  // The form of patterns that can be made has no anchors: it always means the whole text.
  const pattern = textOf(schema['pattern'])
    .replace(/^\^/, '')
    .replace(/\$$/, '')
    .replaceAll(String.raw`\d`, '[0-9]')
    .replaceAll(String.raw`\w`, '[A-Za-z0-9_]')
  if (pattern !== '' && patternFault(pattern) === undefined) return compilePattern(pattern)(() => 0)
  return FORMATS[textOf(schema['format'])] ?? value
}

function mendedList(schema: JsonObject, value: Json[], mending: Mending): Json[] {
  const { document } = mending
  const first = listOf(schema['prefixItems'])
  const rest = schema['items'] ?? {}
  const items = value.map((item, index) => mended(first[index] ?? rest, item, mending))
  const contained = resolved(document, schema['contains'])
  if (isObject(contained) && items.length > 0)
    items[items.length - 1] = sampleOf(contained, document) ?? items.at(-1) ?? null
  if (schema['uniqueItems'] !== true) return items
  const choices = listOf(at(resolved(document, rest), 'enum'))
  return items.map((item, index) => {
    if (index < first.length) return item
    if (choices.length > 0) return choices[index % choices.length] ?? item
    if (typeof item === 'number') return item + index * (Number(at(rest, 'multipleOf')) || 1)
    return typeof item === 'string' && index > 0 ? `${item}${String(index)}` : item
  })
}

function mendedObject(schema: JsonObject, value: JsonObject, mending: Mending): JsonObject {
  const properties = schema['properties']
  const next = Object.fromEntries(
    Object.entries(value).map(([name, child]): [string, Json] => {
      const own = at(properties, name)
      return [name, own === undefined ? child : mended(own, child, mending)]
    }),
  )
  const needed = [
    ...listOf(schema['required']),
    ...entriesOf(schema['dependentRequired']).flatMap(([name, names]) =>
      Object.hasOwn(next, name) ? listOf(names) : [],
    ),
  ]
  for (const name of needed.map(textOf)) {
    if (name === '' || Object.hasOwn(next, name)) continue
    const own = resolved(mending.document, at(properties, name) ?? schema['additionalProperties'])
    const made = isObject(own) ? sampleOf(own, mending.document) : undefined
    next[name] = isObject(own) && made !== undefined ? mended(own, made, mending) : 'text'
  }
  return next
}
