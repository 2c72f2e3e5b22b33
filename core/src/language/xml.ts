// XML by a parser of the DOM, and XPath 3.1 over it; both by libraries.
import * as library from 'fontoxpath'
import { Document, parseXmlDocument, type Node } from 'slimdom'
import type { Json } from './sentences.js'

// Node sees the library's CommonJS build, whose exports stand under `default`; a bundler sees the other.
const { evaluateXPath } = Reflect.has(library, 'evaluateXPath') ? library : library.default

/** Finds what an expression selects: texts of nodes, or the numbers, texts or truths that it works out. */
export type XmlFinder = (document: Document) => Json[]

/** A prefix before a name, but not an axis and not inside quotes. */
const PREFIX = /"[^"]*"|'[^']*'|(?<![\w.:-])([A-Za-z_][\w.-]*):(?=[A-Za-z_*])/g
/** Prefixes that XPath itself knows (XPath 3.1, section 2.1.1). */
const OWN_PREFIXES = new Set(['fn', 'xs', 'math', 'map', 'array'])
/** Errors that lie in the expression alone, whatever the document (XPath 3.1, section 2.3.1). */
const STATIC_ERROR = /XPST\d{4}|FODC000[15]/

/** What is wrong with an XPath expression, or undefined. */
export function xPathFault(path: string, namespaces: Readonly<Record<string, string>>): string | undefined {
  for (const [, prefix] of path.matchAll(PREFIX)) {
    if (prefix !== undefined && !Object.hasOwn(namespaces, prefix) && !OWN_PREFIXES.has(prefix))
      return `the prefix "${prefix}" is unknown: add it to namespaces at the top of the plan`
  }
  try {
    evaluate(path, new Document(), namespaces)
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error)
    if (STATIC_ERROR.test(message)) return firstLine(message)
  }
  return undefined
}

/**
 * Compiles an XPath 3.1 expression. One that a document makes fail, such as a number asked of a text, throws a
 * TypeError: that nothing was found would be a different thing.
 *
 * @param namespaces - prefix to namespace name
 * @throws TypeError for an expression that `xPathFault` finds wrong
 */
export function compileXPath(path: string, namespaces: Readonly<Record<string, string>>): XmlFinder {
  const fault = xPathFault(path, namespaces)
  if (fault !== undefined) throw new TypeError(fault)
  return (document) => {
    try {
      return evaluate(path, document, namespaces).map(valueOf)
    } catch (error) {
      throw new TypeError(firstLine(error instanceof Error ? error.message : String(error)), { cause: error })
    }
  }
}

function evaluate(path: string, document: Document, namespaces: Readonly<Record<string, string>>): unknown[] {
  const found: unknown = evaluateXPath(path, document, null, null, evaluateXPath.ALL_RESULTS_TYPE, {
    namespaceResolver: (prefix) => namespaces[prefix] ?? null,
    language: evaluateXPath.XPATH_3_1_LANGUAGE,
  })
  return Array.isArray(found) ? found : [found]
}

/** A node as its text, anything else as the JSON value it is. */
function valueOf(found: unknown): Json {
  if (typeof found === 'string' || typeof found === 'number' || typeof found === 'boolean') return found
  return isNode(found) ? (found.textContent ?? '') : String(found)
}

function isNode(found: unknown): found is Node {
  return typeof found === 'object' && found !== null && 'nodeType' in found && 'textContent' in found
}

/** Syntax errors of the library come with the expression drawn out; its last line says what is wrong. */
function firstLine(message: string): string {
  const lines = message.split('\n').filter((line) => line.trim() !== '')
  return (lines.find((line) => /[A-Z]{4}\d{4}/.test(line)) ?? lines[0] ?? '').replace(/^Error: /, '').slice(0, 200)
}

/** Parses XML text; undefined when it is not well formed. A document with entities of its own is refused. */
export function parseXml(text: string): Document | undefined {
  if (/<!ENTITY/i.test(text)) return undefined
  try {
    return parseXmlDocument(text)
  } catch {
    return undefined
  }
}

export type { Document as XmlDocument }
