// JSONPath (RFC 9535) by a library, compiled once.
import { compile, JSONPathError } from 'json-p3'
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

/** Parses JSON text; undefined when it is not JSON. */
export function parseJson(text: string): Json | undefined {
  try {
    // eslint-disable-next-line @typescript-eslint/no-unsafe-return -- what JSON.parse returns is JSON
    return JSON.parse(text)
  } catch {
    return undefined
  }
}
