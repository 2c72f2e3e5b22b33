// Checks, compiled once to functions of a response.
import { holds } from '../language/comparisons.js'
import { compilePath, parseJson } from '../language/json-path.js'
import { compileSchema, type SchemaTest } from '../language/json-schema.js'
import type { Json, KeepSource, Operand, Subject, Test } from '../language/sentences.js'
import { compileXPath } from '../language/xml.js'
import type { Check } from '../plan/model.js'
import { asText, type Frame, type Lookup, type Reading } from '../values/compile.js'
import type { Received } from './received.js'

export type Verify = (received: Received, frame: Frame) => boolean
/** The nodes that a subject or a source finds. */
export type Finder = (received: Received, frame: Frame) => Json[]

/** What compiling a check or a keep needs to know. */
export interface AssessContext {
  lookup: Lookup
  namespaces: Readonly<Record<string, string>>
}

/** Compiles a check: true when at least one node is found and all of them satisfy it. */
export function compileCheck(check: Check, context: AssessContext): Verify {
  const find = compileFinder(check.subject, context)
  const { test } = check
  switch (test.kind) {
    case 'exists':
      return (received, frame) => find(received, frame).length > 0
    case 'missing':
      return (received, frame) => find(received, frame).length === 0
    case 'items':
      return (received, frame) => holdsCount(itemsOf(find(received, frame)), test)
    default: {
      const satisfies = testOf(check, test, context.lookup)
      return (received, frame) => {
        const nodes = find(received, frame)
        return nodes.length > 0 && nodes.every((node) => satisfies(node, frame))
      }
    }
  }
}

/** Compiles what finds the nodes of a subject or source. */
export function compileFinder(subject: Subject | KeepSource, { lookup, namespaces }: AssessContext): Finder {
  switch (subject.kind) {
    case 'status':
      return (received) => [received.status]
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
      return (received) => {
        const json = received.json()
        return json === undefined ? [] : find(json)
      }
    }
    case 'xml': {
      const find = compileXPath(subject.path, namespaces)
      return (received) => {
        const document = received.xml()
        return document === undefined ? [] : find(document)
      }
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

/** How the value of a sentence is read. */
export function operandOf(operand: Operand, lookup: Lookup): Reading {
  if (operand.kind === 'name') return lookup(operand.name)
  return () => operand.json
}

type NodeTest = Exclude<Test, { kind: 'exists' | 'missing' | 'items' }>
function testOf(check: Check, test: NodeTest, lookup: Lookup): (node: Json, frame: Frame) => boolean {
  const equals = check.subject.kind === 'json' ? isEqualJson : isEqualText
  switch (test.kind) {
    case 'is': {
      const read = operandOf(test.value, lookup)
      return (node, frame) => equals(node, read(frame))
    }
    case 'is not': {
      const read = operandOf(test.value, lookup)
      return (node, frame) => !equals(node, read(frame))
    }
    case 'one of': {
      const reads = test.values.map((value) => operandOf(value, lookup))
      return (node, frame) => reads.some((read) => equals(node, read(frame)))
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
