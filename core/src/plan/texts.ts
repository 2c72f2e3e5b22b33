// Texts and JSON bodies of a plan, with their {name} places.
import { isMap, isScalar, isSeq, type Node } from 'yaml'
import { braceTrap, offsetOf, readEntries, readText } from './fields.js'
import type { JsonTemplate, Text } from './model.js'
import { writtenText, type Source } from './source.js'

/** A map of names to texts, such as headers, query, form and with. */
export function readTextMap(source: Source, node: Node | null, what: string): [string, Text][] {
  const texts: [string, Text][] = []
  for (const [name, field] of readEntries(source, node, what)) {
    const text = readText(source, field, `"${name}" in ${what}`)
    if (text !== undefined) texts.push([name, text])
  }
  return texts
}

/** A JSON body as the author wrote it. */
export function readJson(source: Source, node: Node | null): JsonTemplate {
  if (node === null) return { kind: 'literal', value: null }
  const trap = braceTrap(node)
  if (trap !== undefined) {
    source.report(offsetOf(node), 'YAML_TRAP', trap)
    return { kind: 'literal', value: null }
  }
  if (isMap(node)) {
    const fields: [Text, JsonTemplate][] = []
    for (const [name, field] of readEntries(source, node, 'json')) fields.push([name, readJson(source, field.value)])
    return { kind: 'object', fields }
  }
  if (isSeq(node))
    return { kind: 'list', items: node.items.map((item) => readJson(source, isNode(item) ? item : null)) }
  if (!isScalar(node)) return { kind: 'literal', value: null }
  const written = writtenText(node)
  if (node.type !== 'PLAIN') return { kind: 'text', text: written }
  if (written === '' || written === 'null' || written === '~') return { kind: 'literal', value: null }
  if (written === 'true' || written === 'false') return { kind: 'literal', value: written === 'true' }
  if (/^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/.test(written)) return { kind: 'number', written }
  if (/^[+-]?\d[\d.]*$/.test(written)) {
    source.report(
      offsetOf(node),
      'YAML_TRAP',
      `${written} is not a JSON number: quote it to send it as text, or drop the leading zero or plus`,
    )
  }
  return { kind: 'text', text: written }
}

/** Every text of a JSON body that may hold {name} places. */
export function* textsOfJson(json: JsonTemplate): Generator<Text> {
  switch (json.kind) {
    case 'text':
      yield json.text
      return
    case 'list':
      for (const item of json.items) yield* textsOfJson(item)
      return
    case 'object':
      for (const [name, value] of json.fields) {
        yield name
        yield* textsOfJson(value)
      }
      return
    case 'number':
    case 'literal':
      return
    default:
      json satisfies never
  }
}

function isNode(value: unknown): value is Node {
  return isMap(value) || isSeq(value) || isScalar(value)
}
