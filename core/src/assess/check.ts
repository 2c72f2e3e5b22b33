// Checks, compiled once to functions of a response.
import { holds } from '../language/comparisons.js'
import { compilePath, parseJson } from '../language/json-path.js'
import { compileSchema, type SchemaTest } from '../language/json-schema.js'
import type { Json, KeepSource, Operand, Subject, Test } from '../language/sentences.js'
import { compileXPath } from '../language/xml.js'
import type { Check } from '../plan/model.js'
import { asText, type Frame, type Lookup, type ValueReader } from '../values/compile.js'
import type { Received } from './received.js'

export type Verify = (received: Received, frame: Frame) => boolean
/** The nodes that a subject or a source finds. */
export type Finder = (received: Received, frame: Frame) => Json[]

/** What compiling a check or a keep needs to know. */
export interface AssessContext {
  lookup: Lookup
  namespaces: Readonly<Record<string, string>>
}

/**
 * Compiles a check: true when at least one node is found and all of them satisfy it.
 *
 * @returns a function that throws UnreadableBody where the subject reads JSON or XML, and the body is none
 */
export function compileCheck(check: Check, context: AssessContext): Verify {
  const find = compileFinder(check.subject, context)
  const { test } = check
  switch (test.kind) {
    case 'exists':
      return (received, frame) => find(received, frame).length > 0
    case 'missing':
      return (received, frame) => find(received, frame).length === 0
    case 'items':
      return (received, frame) =>
        !(isParsed(check.subject) && received.isBodiless) && holdsCount(itemsOf(find(received, frame)), test)
    default: {
      const satisfies = testOf(check, test, context.lookup)
      return (received, frame) => {
        const nodes = find(received, frame)
        return nodes.length > 0 && nodes.every((node) => satisfies(node, frame, received))
      }
    }
  }
}

/** Whether a subject or source reads the body as JSON or XML. */
const isParsed = ({ kind }: Subject | KeepSource): boolean => kind === 'json' || kind === 'xml'

/**
 * Compiles what finds the nodes of a subject or source.
 *
 * @returns a function that throws UnreadableBody where it reads JSON or XML, and the body is none
 */
export function compileFinder(subject: Subject | KeepSource, { lookup, namespaces }: AssessContext): Finder {
  switch (subject.kind) {
    case 'status':
      return (received) => [received.status]
    case 'event':
      return (received) => listOf(received.facts.event)
    case 'data':
    case 'body':
      return (received) => [received.body]
    case 'size':
      return (received) => [received.facts.size]
    case 'response time':
      return (received) => [received.facts.timeMs]
    case 'header':
      return (received) => listOf(received.facts.header(subject.name))
    case 'cookie':
      return (received) => listOf(received.cookie(subject.name))
    case 'value': {
      const read = lookup(subject.name)
      return (_, frame) => listOf(read(frame))
    }
    case 'json': {
      const find = compilePath(subject.path)
      if (typeof find === 'string') throw new TypeError(find)
      return (received) => (received.isBodiless ? [] : find(received.json()))
    }
    case 'xml': {
      const find = compileXPath(subject.path, namespaces)
      return (received) => (received.isBodiless ? [] : find(received.xml()))
    }
    case 'match': {
      const regex = new RegExp(subject.regex.source, `${subject.regex.flags.replaceAll(/[gy]/g, '')}g`)
      return (received) => [...received.body.matchAll(regex)].map((match) => match[1] ?? match[0])
    }
    default:
      return subject satisfies never
  }
}

/**
 * Compiles what says why a check failed beyond its own words; undefined where those say all.
 *
 * @returns a function that gives the rule of a schema that was broken
 */
export function compileReason(check: Check, context: AssessContext): Reason | undefined {
  if (check.test.kind !== 'schema') return undefined
  const find = compileFinder(check.subject, context)
  const { brokenRule } = schemaOf(check)
  return (received, frame) => {
    const nodes = find(received, frame)
    if (nodes.length === 0) return 'nothing is there'
    for (const node of nodes) {
      const json = jsonIn(check, node)
      const rule = json === undefined ? 'it is not JSON' : brokenRule(json)
      if (rule !== '') return rule
    }
    return ''
  }
}
export type Reason = (received: Received, frame: Frame) => string

/** Large schemas take their time: each is compiled once. */
const compiledSchemas = new WeakMap<Check, SchemaTest>()

function schemaOf(check: Check): SchemaTest {
  const known = compiledSchemas.get(check)
  if (known !== undefined) return known
  const compiled = compileSchema(check.schema ?? null)
  if (typeof compiled === 'string') throw new TypeError(compiled)
  compiledSchemas.set(check, compiled)
  return compiled
}

/** A body is text; what it must fit is the JSON in it. */
function jsonIn({ subject }: Check, node: Json): Json | undefined {
  return subject.kind === 'json' ? node : parseJson(asText(node))
}

const listOf = (value: Json | undefined): Json[] => (value === undefined ? [] : [value])

/** The nodes found, or the items where one array is found. */
export function itemsOf(nodes: Json[]): Json[] {
  const [only] = nodes
  return nodes.length === 1 && Array.isArray(only) ? only : nodes
}

/** How the value of a sentence is read, and how it is written where that is known. */
interface Wanted {
  read: ValueReader
  written: string | undefined
}
function wantedOf(operand: Operand, lookup: Lookup): Wanted {
  return { read: operandOf(operand, lookup), written: operand.kind === 'json' ? operand.written : undefined }
}

/** How the value of a sentence is read. */
export function operandOf(operand: Operand, lookup: Lookup): ValueReader {
  if (operand.kind === 'name') return lookup(operand.name)
  return () => operand.json
}

type NodeTest = Exclude<Test, { kind: 'exists' | 'missing' | 'items' }>
type TestNode = (node: Json, frame: Frame, received: Received) => boolean
function testOf(check: Check, test: NodeTest, lookup: Lookup): TestNode {
  switch (test.kind) {
    case 'is':
      return equalityOf(check.subject, wantedOf(test.value, lookup))
    case 'is not': {
      const equals = equalityOf(check.subject, wantedOf(test.value, lookup))
      return (node, frame, received) => !equals(node, frame, received)
    }
    case 'one of': {
      const each = test.values.map((value) => equalityOf(check.subject, wantedOf(value, lookup)))
      return (node, frame, received) => each.some((equals) => equals(node, frame, received))
    }
    case 'class':
      return (node) => Math.floor(Number(node) / 100) === test.hundreds
    case 'contains':
      return (node) => asText(node).includes(test.text)
    case 'matches': {
      const regex = new RegExp(test.regex.source, test.regex.flags.replaceAll(/[gy]/g, ''))
      return (node) => regex.test(asText(node))
    }
    case 'bound':
      return (node) => isNumeric(node) && holds(Number(node), test.comparison, test.limit.value)
    case 'schema': {
      const { fits } = schemaOf(check)
      return (node) => {
        const json = jsonIn(check, node)
        return json !== undefined && fits(json)
      }
    }
    default:
      return test satisfies never
  }
}

function holdsCount(items: Json[], test: Extract<Test, { kind: 'items' }>): boolean {
  if (test.bound === 'exactly') return items.length === test.count
  return holds(items.length, test.bound, test.count)
}

function isNumeric(node: Json): boolean {
  return typeof node === 'number' || (typeof node === 'string' && node.trim() !== '' && Number.isFinite(Number(node)))
}

/** By JSON type and content, or as text; numbers of which a double cannot hold each digit by what is written. */
function equalityOf({ kind }: Subject, { read, written }: Wanted): TestNode {
  const equals = kind === 'json' ? isEqualJson : isEqualText
  return (node, frame, received) => {
    const value = read(frame)
    if (!equals(node, value)) return false
    if (typeof value !== 'number' || Math.abs(value) <= Number.MAX_SAFE_INTEGER) return true
    const texts = typeof node === 'number' ? received.writtenAs(node) : new Set([asText(node).trim()])
    return written === undefined || (texts.size === 1 && texts.has(written))
  }
}

/** As text, or as number when the value given is one. */
function isEqualText(node: Json, value: Json | undefined): boolean {
  return typeof value === 'number' ? isNumeric(node) && Number(node) === value : asText(node) === asText(value)
}

/** By JSON type and content; the order of an object's names does not count. */
function isEqualJson(a: Json, b: Json | undefined): boolean {
  if (a === b) return true
  if (a === null || b === null || typeof a !== 'object' || typeof b !== 'object') return false
  if (Array.isArray(a) || Array.isArray(b)) {
    return (
      Array.isArray(a) &&
      Array.isArray(b) &&
      a.length === b.length &&
      a.every((item, index) => isEqualJson(item, b[index]))
    )
  }
  const names = Object.keys(a)
  return (
    names.length === Object.keys(b).length &&
    names.every((name) => Object.hasOwn(b, name) && isEqualJson(a[name] ?? null, b[name]))
  )
}
