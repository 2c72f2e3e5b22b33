// JSONPath (RFC 9535) by a library, compiled once. A path to one place, as most are, is followed here.
import { compile, jsonpath, JSONPathError, type JSONPathQuery } from 'json-p3'
import type { Json } from './sentences.js'

/** Finds the values of a path in a document. */
export type PathFinder = (document: Json) => Json[]

/**
 * Compiles a JSONPath query.
 *
 * @param path - a query of RFC 9535, such as `$.sailings[*].id`
 * @returns a finder of the values, or the fault in words
 */
export function compilePath(path: string): PathFinder | string {
  try {
    const query = compile(path)
    const place = placeOf(query)
    if (place !== undefined) return (document) => listOf(atPlace(document, place))
    return (document) =>
      query
        .query(document)
        .values()
        .filter((value): value is Json => value !== undefined)
  } catch (error) {
    if (error instanceof JSONPathError) return error.message
    throw error
  }
}

const listOf = (value: Json | undefined): Json[] => (value === undefined ? [] : [value])

/** Names of members and indexes of items, from the root; an index below 0 counts from the end (RFC 9535, 2.3.3). */
type Place = readonly (string | number)[]

/** The value at a place; undefined where there is none. */
function atPlace(document: Json, place: Place): Json | undefined {
  let value: Json | undefined = document
  for (const step of place) {
    if (typeof value !== 'object' || value === null) return undefined
    if (Array.isArray(value))
      value = typeof step === 'number' ? value[step < 0 ? value.length + step : step] : undefined
    else value = typeof step === 'string' && Object.hasOwn(value, step) ? value[step] : undefined
  }
  return value
}

/** The names and indexes of a query that has nothing else (RFC 9535, section 2.3.5.1: a singular query). */
function placeOf(query: JSONPathQuery): Place | undefined {
  if (!query.singularQuery()) return undefined
  const place: (string | number)[] = []
  for (const { selectors } of query.segments) {
    const [selector] = selectors
    if (selector instanceof jsonpath.selectors.NameSelector) place.push(selector.name)
    else if (selector instanceof jsonpath.selectors.IndexSelector) place.push(selector.index)
    else return undefined
  }
  return place
}

/** Parses JSON text; undefined when it is not JSON. */
export function parseJson(text: string): Json | undefined {
  try {
    // eslint-disable-next-line @typescript-eslint/no-unsafe-return -- what JSON.parse returns is JSON
    return JSON.parse(text)
  } catch {
    return undefined
  }
}
