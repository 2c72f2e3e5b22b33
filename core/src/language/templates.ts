// Texts with {name} places, and URL templates (RFC 6570, by a library).
import { parseTemplate, type PrimitiveValue } from 'url-template'

const PLACE = /\{\{|\{([A-Za-z0-9_.]+)\}/g

export type TextPart = { kind: 'literal'; text: string } | { kind: 'name'; name: string }

/**
 * Splits a text at its `{name}` places. `{{` is a plain brace, and every other brace is itself.
 *
 * @example splitText('Bearer {token}') // [{ literal 'Bearer ' }, { name 'token' }]
 */
export function splitText(text: string): TextPart[] {
  const parts: TextPart[] = []
  let literal = ''
  let last = 0
  for (const match of text.matchAll(PLACE)) {
    literal += text.slice(last, match.index)
    last = match.index + match[0].length
    const name = match[1]
    if (name === undefined) {
      literal += '{'
      continue
    }
    if (literal !== '') parts.push({ kind: 'literal', text: literal })
    literal = ''
    parts.push({ kind: 'name', name })
  }
  literal += text.slice(last)
  if (literal !== '') parts.push({ kind: 'literal', text: literal })
  return parts
}

/** The names used in a text. */
export function namesInText(text: string): string[] {
  return splitText(text).flatMap((part) => (part.kind === 'name' ? [part.name] : []))
}

/** The names used in the expressions of a URL template. */
export function namesInUrl(template: string): string[] {
  return [...template.matchAll(/\{[+#./;?&]?([^{}]*)\}/g)].flatMap((match) =>
    (match[1] ?? '').split(',').map((variable) => variable.replace(/(\*|:\d+)$/, '')),
  )
}

/** What is wrong with a URL template, or undefined. */
export function urlTemplateFault(template: string): string | undefined {
  const rest = template.replaceAll(
    /\{[+#./;?&]?[A-Za-z0-9_.%]+(\*|:[1-9]\d{0,3})?(,[A-Za-z0-9_.%]+(\*|:[1-9]\d{0,3})?)*\}/g,
    '',
  )
  const brace = /[{}]/.exec(rest)
  return brace === null ? undefined : `"${template}" is not a URI template (RFC 6570): check its braces`
}

export type UrlValues = Record<string, PrimitiveValue | PrimitiveValue[] | Record<string, PrimitiveValue>>

/**
 * How RFC 6570, appendix A, joins the values of an expression; those that let reserved characters through are rarer.
 */
const OPERATORS: Record<string, { first: string; separator: string; isNamed: boolean; ifEmpty: string }> = {
  '': { first: '', separator: ',', isNamed: false, ifEmpty: '' },
  '.': { first: '.', separator: '.', isNamed: false, ifEmpty: '' },
  '/': { first: '/', separator: '/', isNamed: false, ifEmpty: '' },
  ';': { first: ';', separator: ';', isNamed: true, ifEmpty: '' },
  '?': { first: '?', separator: '&', isNamed: true, ifEmpty: '=' },
  '&': { first: '&', separator: '&', isNamed: true, ifEmpty: '=' },
}
type Expand = (values: UrlValues) => string

/**
 * Compiles a URL template; the returned function escapes the values as RFC 6570 says.
 *
 * Texts and numbers in plain expressions, which are nearly all that a load sends, take a short way of our own: the
 * library would be the dearest part of a request. Lists, maps, modifiers and reserved expansion are the library's.
 */
export function compileUrl(template: string): Expand {
  if (!template.includes('{')) return () => template
  const pieces: (string | Expand)[] = []
  let last = 0
  for (const match of template.matchAll(/\{([+#./;?&]?)([^{}]*)\}/g)) {
    if (match.index > last) pieces.push(template.slice(last, match.index))
    last = match.index + match[0].length
    pieces.push(compileExpression(match[0], match[1] ?? '', (match[2] ?? '').split(',')))
  }
  if (last < template.length) pieces.push(template.slice(last))
  return (values) => {
    let url = ''
    for (const piece of pieces) url += typeof piece === 'string' ? piece : piece(values)
    return url
  }
}

function compileExpression(written: string, operator: string, names: string[]): Expand {
  const library = parseTemplate(written)
  const rules = OPERATORS[operator]
  if (rules === undefined || names.some((name) => /[*:]/.test(name))) return (values) => library.expand(values)
  const { first, separator, isNamed, ifEmpty } = rules
  return (values) => {
    let made = ''
    let isFirst = true
    for (const name of names) {
      const value = values[name]
      if (value === undefined || value === null) continue
      if (typeof value === 'object') return library.expand(values)
      const text = encodeUnreserved(String(value))
      made += isFirst ? first : separator
      made += !isNamed ? text : text === '' ? name + ifEmpty : `${name}=${text}`
      isFirst = false
    }
    return made
  }
}

const UNRESERVED = /^[A-Za-z0-9._~-]*$/

/**
 * All but the unreserved characters of RFC 3986, section 2.3, percent-encoded; half a surrogate pair is no character.
 */
export function encodeUnreserved(text: string): string {
  if (UNRESERVED.test(text)) return text
  return encodeURIComponent(text.replaceAll(/\p{Surrogate}/gu, '\ufffd')).replaceAll(
    /[!'()*]/g,
    (char) => `%${char.charCodeAt(0).toString(16).toUpperCase()}`,
  )
}
