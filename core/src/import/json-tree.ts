// JSON from outside as data that can be asked without trust.
import type { Json } from '../language/sentences.js'
import type { Written } from '../write/yaml-text.js'

export type JsonObject = { [key: string]: Json }

export function isObject(value: Json | undefined): value is JsonObject {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}
/** A part of an object; undefined for whatever is none. */
export function at(value: Json | undefined, ...path: (string | number)[]): Json | undefined {
  return path.reduce<Json | undefined>((inner, key) => {
    if (Array.isArray(inner)) return inner[Number(key)]
    return isObject(inner) && Object.hasOwn(inner, key) ? inner[key] : undefined
  }, value)
}
export const textOf = (value: Json | undefined): string => (typeof value === 'string' ? value : '')
export const listOf = (value: Json | undefined): Json[] => (Array.isArray(value) ? value : [])
export const entriesOf = (value: Json | undefined): [string, Json][] => (isObject(value) ? Object.entries(value) : [])

/** Follows a reference within a document (JSON Pointer in a URI fragment); one to elsewhere is left alone. */
export function resolved(document: JsonObject, value: Json | undefined, depth = 0): Json | undefined {
  const reference = textOf(at(value, '$ref'))
  if (!reference.startsWith('#/') || depth > 20) return value
  const path = reference
    .slice(2)
    .split('/')
    .map((part) => decodeURIComponent(part).replaceAll('~1', '/').replaceAll('~0', '~'))
  return resolved(document, at(document, ...path), depth + 1)
}

/** JSON as it is written in a plan: a brace in a text is duplicated, since it would be a name. */
export function writtenJson(value: Json): Written {
  if (typeof value === 'string') return escapeBraces(value)
  if (Array.isArray(value)) return value.map(writtenJson)
  return isObject(value)
    ? Object.fromEntries(Object.entries(value).map(([key, child]) => [escapeBraces(key), writtenJson(child)]))
    : value
}

export function escapeBraces(text: string): string {
  return text.replaceAll('{', '{{')
}

/** The leaves of a JSON document with their JSONPath (RFC 9535). */
export function* leavesOf(
  value: Json,
  path = '$',
  depth = 0,
): Generator<{ path: string; text: string; key: string; parents: string[] }> {
  yield* leaves(value, path, '', [], depth)
}
function* leaves(
  value: Json,
  path: string,
  key: string,
  parents: string[],
  depth: number,
): Generator<{ path: string; text: string; key: string; parents: string[] }> {
  if (depth > 40) return
  if (Array.isArray(value)) {
    for (const [index, item] of value.slice(0, 500).entries())
      yield* leaves(item, `${path}[${String(index)}]`, key, parents, depth + 1)
    return
  }
  if (isObject(value)) {
    for (const [name, child] of Object.entries(value)) {
      const part = /^[A-Za-z_]\w*$/.test(name)
        ? `.${name}`
        : `['${name.replaceAll('\\', '\\\\').replaceAll("'", String.raw`\'`)}']`
      yield* leaves(child, path + part, name, [...parents, key], depth + 1)
    }
    return
  }
  if (typeof value === 'string' || typeof value === 'number') yield { path, text: String(value), key, parents }
}
