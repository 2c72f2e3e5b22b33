// What kind of thing a text is, found out by itself.
import { parseJson } from '../language/json-path.js'
import { at, isObject } from './json-tree.js'

export type ImportKind = 'har' | 'openapi' | 'wsdl' | 'curl' | 'url'

/** The kind by what the text says of itself; undefined when nothing fits. */
export function kindOf(text: string): ImportKind | undefined {
  const head = text.slice(0, 4000).trimStart()
  if (/^curl\s/.test(head)) return 'curl'
  if (/^https?:\/\/\S+$/.test(text.trim())) return 'url'
  if (head.startsWith('<')) return /definitions/.test(head) ? 'wsdl' : undefined
  if (/^\s*["']?openapi["']?\s*:/m.test(head)) return 'openapi'
  if (head.startsWith('{')) {
    if (/"log"\s*:/.test(head)) return 'har'
    const json = parseJson(text)
    if (isObject(at(json, 'log'))) return 'har'
    if (at(json, 'openapi') !== undefined) return 'openapi'
  }
  return undefined
}
