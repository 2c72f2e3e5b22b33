// XML by a parser of the DOM, and XPath 1.0 over it; both by libraries.
import { DOMParser, ParseError, type Document } from '@xmldom/xmldom'
import xpath from 'xpath'
import type { Json } from './sentences.js'

// The library's own types leave out what compiles an expression once.
interface Result {
  stringValue(): string
  numberValue(): number
  booleanValue(): boolean
}
type Nodes = { toArray(): { textContent: string | null; nodeValue: string | null }[] }
interface Compiler {
  parse: (expression: string) => {
    evaluate(options: { node: unknown; namespaces: Record<string, string> }): Nodes | Result
  }
  XNumber: { [Symbol.hasInstance](value: unknown): boolean }
  XBoolean: { [Symbol.hasInstance](value: unknown): boolean }
}

const { parse, XNumber, XBoolean } = compilerOf(xpath)

function compilerOf(library: object): Compiler {
  if (!isCompiler(library)) throw new Error('this version of xpath compiles no expressions')
  return library
}

function isCompiler(library: object): library is Compiler {
  return 'parse' in library && 'XNumber' in library && 'XBoolean' in library
}

/** Finds what an expression selects: texts of nodes, or the one number, text or truth it works out. */
export type XmlFinder = (document: Document) => Json[]

/** A prefix before a name, but not an axis and not inside quotes. */
const PREFIX = /"[^"]*"|'[^']*'|(?<![\w.:-])([A-Za-z_][\w.-]*):(?=[A-Za-z_*])/g

/** What is wrong with an XPath expression, or undefined. */
export function xPathFault(path: string, namespaces: Readonly<Record<string, string>>): string | undefined {
  try {
    parse(path)
  } catch (error) {
    return error instanceof Error ? (error.message.split('\n')[0] ?? '') : 'it cannot be read'
  }
  for (const [, prefix] of path.matchAll(PREFIX)) {
    if (prefix !== undefined && !Object.hasOwn(namespaces, prefix))
      return `the prefix "${prefix}" stands for nothing: add it to namespaces at the top of the plan`
  }
  return undefined
}

/**
 * Compiles an XPath 1.0 expression.
 *
 * @param namespaces - prefix to namespace name
 * @throws TypeError for an expression that `xPathFault` finds wrong
 */
export function compileXPath(path: string, namespaces: Readonly<Record<string, string>>): XmlFinder {
  const fault = xPathFault(path, namespaces)
  if (fault !== undefined) throw new TypeError(fault)
  const parsed = parse(path)
  const named = { ...namespaces }
  return (document) => {
    const result = parsed.evaluate({ node: document, namespaces: named })
    if ('toArray' in result) return result.toArray().map((node) => node.textContent ?? node.nodeValue ?? '')
    if (XNumber[Symbol.hasInstance](result)) return [result.numberValue()]
    return [XBoolean[Symbol.hasInstance](result) ? result.booleanValue() : result.stringValue()]
  }
}

/** Parses XML text; undefined when it is not well formed. Entities of its own are never expanded. */
export function parseXml(text: string): Document | undefined {
  try {
    return new DOMParser({ onError: refuse }).parseFromString(text, 'text/xml')
  } catch (error) {
    if (error instanceof ParseError) return undefined
    throw error
  }
}

function refuse(level: 'warning' | 'error' | 'fatalError', message: string): void {
  if (level !== 'warning') throw new ParseError(message)
}

export type { Document as XmlDocument }
