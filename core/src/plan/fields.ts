// Maps, lists and scalars of a plan, each with a clear word when something else stands there.
import { isMap, isScalar, isSeq, type Node, type Scalar } from 'yaml'
import { nearestWord, readSentence, type Parsed } from '../language/sentences.js'
import type { Fix, Position } from './model.js'
import { offsetInScalar, writtenText, type Source } from './source.js'
import { ourKey } from './common-words.js'
import { keysOf, UNBUILT_KEYS, type ContextName } from './vocabulary.js'

export interface Field {
  key: Scalar
  value: Node | null
}
type SentenceRule = Parameters<typeof readSentence>[0]
type SentenceOf<Rule extends SentenceRule> = Extract<ReturnType<typeof readSentence<Rule>>, { ok: true }>['value']

export const offsetOf = (node: Node | null): number => node?.range?.[0] ?? 0
export const placeOf = (source: Source, node: Node | null): Position => source.positionAt(offsetOf(node))

/** The fields of a map with free names, such as `values` or `headers`; what is not a map is reported. */
export function readEntries(source: Source, node: Node | null, what: string): Map<string, Field> {
  const fields = new Map<string, Field>()
  if (node === null) return fields
  if (!isMap(node)) {
    source.report(offsetOf(node), 'NOT_A_MAP', `${what} must be a map${insteadOf(node)}`)
    return fields
  }
  for (const pair of node.items) {
    if (!isScalar(pair.key)) {
      source.report(offsetOf(node), 'KEY', `a name in ${what} must be plain text; quote it when it begins with { or [`)
      continue
    }
    const value = pair.value
    fields.set(writtenText(pair.key), { key: pair.key, value: isNodeOrNull(value) ? value : null })
  }
  return fields
}

/** The fields of a map whose keys are known; an unknown one is reported with the nearest known word. */
export function readFields(source: Source, node: Node | null, what: string, context: ContextName): Map<string, Field> {
  const fields = readEntries(source, node, what)
  const known = keysOf(context)
  for (const [name, { key }] of fields) {
    if (known.includes(name)) continue
    fields.delete(name)
    const reason = UNBUILT_KEYS[context]?.[name]
    if (reason !== undefined) {
      source.report(offsetOf(key), 'KEY', `"${name}": ${reason}`)
      continue
    }
    const general = ourKey(name, known)
    const meant = general?.word ?? nearestWord(name, known)
    const example = general?.example === undefined ? '' : `, as in ${general.example}`
    const hint = meant === undefined ? `Known keys: ${known.join(', ')}` : `Did you mean "${meant}"${example}?`
    source.report(offsetOf(key), 'UNKNOWN_KEY', `${what} has no "${name}". ${hint}`, fixOf(name, meant))
  }
  return fields
}

/** One word for another, where a nearer one is known. */
export function fixOf(written: string, meant: string | undefined): Fix | undefined {
  return meant === undefined ? undefined : { length: written.length, text: meant }
}

/** The items of a list; what is not a list is reported. */
export function readList(source: Source, node: Node | null, what: string): Node[] {
  if (node === null) return []
  if (!isSeq(node)) {
    source.report(
      offsetOf(node),
      'NOT_A_LIST',
      `${what} must be a list, one item per line after "- "${insteadOf(node)}`,
    )
    return []
  }
  return node.items.filter((item): item is Node => isNodeOrNull(item) && item !== null)
}

/** A scalar that must be there; the traps that turn a text into a map are named. */
export function readScalar(source: Source, field: Field | undefined, what: string): Scalar | undefined {
  if (field === undefined) return undefined
  return scalarOf(source, field.value, what, offsetOf(field.key))
}

export function scalarOf(source: Source, node: Node | null, what: string, at: number): Scalar | undefined {
  if (node !== null && isScalar(node) && node.value !== null) return node
  if (node !== null && isScalar(node) && node.source !== '' && node.source !== undefined) return node
  if (node === null || isScalar(node)) {
    source.report(node === null ? at : offsetOf(node), 'EMPTY', `${what} is empty`)
    return undefined
  }
  const trap = braceTrap(node) ?? splitTrap(source, node)
  source.report(
    offsetOf(node),
    trap === undefined ? 'NOT_TEXT' : 'YAML_TRAP',
    trap ?? `${what} must be a text${insteadOf(node)}`,
    braceTrap(node) === undefined ? undefined : quoted(source, node),
  )
  return undefined
}

export function readText(source: Source, field: Field | undefined, what: string): string | undefined {
  const scalar = readScalar(source, field, what)
  return scalar === undefined ? undefined : writtenText(scalar)
}

/** Reports a file that names no version of the format, or another one. */
export function readVersion(source: Source, field: Field | undefined, what: string): void {
  if (field === undefined) {
    source.report(0, 'VERSION', `${what} has no format version: begin it with jolt: 1`)
    return
  }
  const version = readScalar(source, field, 'jolt')
  if (version !== undefined && writtenText(version) !== '1')
    source.report(offsetOf(version), 'VERSION', `this version reads format 1, found "${writtenText(version)}"`)
}

/** A sentence or quantity; a fault is reported at the very character. */
export function readPhrase<Rule extends SentenceRule>(
  source: Source,
  node: Node | null,
  rule: Rule,
  what: string,
): SentenceOf<Rule> | undefined {
  const scalar = scalarOf(source, node, what, offsetOf(node))
  if (scalar === undefined) return undefined
  const text = writtenText(scalar)
  const parsed: Parsed<SentenceOf<Rule>> = readSentence(rule, text)
  if (parsed.ok) return parsed.value
  const cut = scalar.type === 'PLAIN' && (scalar.comment ?? trailingComment(source, scalar)) !== undefined
  const cure = cut ? '. YAML reads what follows " #" as a comment: put the whole text in single quotes' : ''
  source.report(
    offsetInScalar(scalar, parsed.fault.offset),
    cut ? 'YAML_TRAP' : 'SENTENCE',
    `${what}: ${parsed.fault.message}${cure}`,
    cut ? undefined : parsed.fault.fix,
  )
  return undefined
}

export function readWhole(source: Source, field: Field | undefined, what: string, least: number): number | undefined {
  const text = readText(source, field, what)
  if (text === undefined || field === undefined) return undefined
  const value = Number(text)
  if (/^\d+$/.test(text) && Number.isSafeInteger(value) && value >= least) return value
  source.report(
    offsetOf(field.value),
    'NUMBER',
    `${what} must be a whole number of at least ${String(least)}, found "${text}"`,
  )
  return undefined
}

/** A switch: yes, no, true or false. */
export function readSwitch(source: Source, field: Field | undefined, what: string): boolean | undefined {
  const text = readText(source, field, what)
  if (text === undefined || field === undefined) return undefined
  if (text === 'yes' || text === 'true') return true
  if (text === 'no' || text === 'false') return false
  source.report(offsetOf(field.value), 'SWITCH', `${what} must be yes or no, found "${text}"`)
  return undefined
}

/** `{name}` unquoted: YAML reads a map with one empty entry. */
export function braceTrap(node: Node): string | undefined {
  if (!isMap(node) || node.flow !== true || node.items.length !== 1) return undefined
  const pair = node.items[0]
  if (pair === undefined || !isScalar(pair.key)) return undefined
  const empty = pair.value === null || (isScalar(pair.value) && pair.value.value === null)
  if (!empty) return undefined
  const name = writtenText(pair.key)
  return `YAML reads {${name}} without quotes as a map: write "{${name}}"`
}

/** The same text in double quotes, as `"{name}"`. */
function quoted({ text }: Source, node: Node): Fix {
  const written = text.slice(offsetOf(node), node.range?.[1])
  return { length: written.length, text: `"${written}"` }
}

/** A sentence with ": " in it: YAML reads a map with the first half as its key. */
function splitTrap(source: Source, node: Node): string | undefined {
  if (!isMap(node) || node.flow === true || node.items.length !== 1) return undefined
  const key = node.items[0]?.key
  if (!isScalar(key) || !writtenText(key).includes(' ')) return undefined
  const line = source.text.slice(offsetOf(node), source.text.indexOf('\n', offsetOf(node)) >>> 0)
  return `YAML split this at ": ": put the whole in single quotes, '${line.slice(0, 80)}'`
}

function trailingComment(source: Source, scalar: Scalar): string | undefined {
  const end = scalar.range?.[1] ?? 0
  const line = source.text.slice(end, source.text.indexOf('\n', end) >>> 0)
  return /^\s+#/.test(line) ? line : undefined
}

function insteadOf(node: Node): string {
  if (isMap(node)) return ', but this is a map'
  if (isSeq(node)) return ', but this is a list'
  return isScalar(node) ? `, but "${writtenText(node).slice(0, 40)}" is here` : ''
}

function isNodeOrNull(value: unknown): value is Node | null {
  return value === null || isMap(value) || isSeq(value) || isScalar(value)
}
