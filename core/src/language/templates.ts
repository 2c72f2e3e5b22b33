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

/** What stands in braces, looks like a name, and is none that a value can have; an identifier of RFC 9562 is a text. */
const LOOKS_LIKE_NAME = /(?<!\{)\{([\p{L}\d_](?:[\p{L}\d_.-]*[\p{L}\d_])?)\}/gu
const UUID = /^[\da-f]{8}(-[\da-f]{4}){3}-[\da-f]{12}$/i

/** The names in braces that no value can have, such as `passengers-web.people`: they would be sent as they stand. */
export function misnamedIn(text: string): string[] {
  return [...text.matchAll(LOOKS_LIKE_NAME)].flatMap(([, name = '']) =>
    /^[A-Za-z0-9_.]+$/.test(name) || UUID.test(name) ? [] : [name],
  )
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

type Composite = PrimitiveValue[] | Record<string, PrimitiveValue>
export type UrlValues = Record<string, PrimitiveValue | Composite>

/** How RFC 6570, appendix A, joins the values of an expression, and which characters it lets through. */
interface Operator {
  first: string
  separator: string
  isNamed: boolean
  ifEmpty: string
  encode: (text: string) => string
}
const plain = { isNamed: false, ifEmpty: '', encode: encodeUnreserved }
const named = { isNamed: true, encode: encodeUnreserved }
const OPERATORS: Record<string, Operator> = {
  '': { first: '', separator: ',', ...plain },
  '.': { first: '.', separator: '.', ...plain },
  '/': { first: '/', separator: '/', ...plain },
  ';': { first: ';', separator: ';', ifEmpty: '', ...named },
  '?': { first: '?', separator: '&', ifEmpty: '=', ...named },
  '&': { first: '&', separator: '&', ifEmpty: '=', ...named },
  '+': { first: '', separator: ',', ...plain, encode: encodeReserved },
  '#': { first: '#', separator: ',', ...plain, encode: encodeReserved },
}
type Expand = (values: UrlValues) => string

/**
 * Compiles a URL template; the returned function escapes the values as RFC 6570 says, for any values.
 *
 * Texts and numbers, which are nearly all that a load sends, take a short way of our own: the library would be the
 * dearest part of a request, and its prefixes cut a character in two. Lists and maps are the library's.
 */
export function compileUrl(template: string): Expand {
  if (!template.includes('{')) return () => template
  const pieces: (string | Expand)[] = []
  let last = 0
  for (const match of template.matchAll(/\{([+#./;?&]?)([^{}]*)\}/g)) {
    if (match.index > last) pieces.push(template.slice(last, match.index))
    last = match.index + match[0].length
    pieces.push(compileExpression(match[1] ?? '', (match[2] ?? '').split(',')))
  }
  if (last < template.length) pieces.push(template.slice(last))
  return (values) => {
    let url = ''
    for (const piece of pieces) url += typeof piece === 'string' ? piece : piece(values)
    return url
  }
}

function compileExpression(operator: string, variables: string[]): Expand {
  const { first, separator, isNamed, ifEmpty, encode } = OPERATORS[operator] ?? { ...plain, first: '', separator: ',' }
  const parts = variables.map((variable) => {
    const [, name = variable, length] = /^(.*?)(?:\*|:(\d+))?$/.exec(variable) ?? []
    return {
      name,
      most: length === undefined ? undefined : Number(length),
      library: parseTemplate(`{${operator}${variable}}`),
    }
  })
  return (values) => {
    let made = ''
    let isFirst = true
    for (const { name, most, library } of parts) {
      const value = values[name]
      if (value === undefined || value === null) continue
      let text: string
      if (typeof value === 'object') {
        const expanded = library.expand({ [name]: wellFormed(value) })
        if (expanded === '' && !hasMembers(value)) continue
        text = expanded.slice(first.length)
      } else {
        text = encode(most === undefined ? String(value) : prefix(String(value), most))
        if (isNamed) text = text === '' ? name + ifEmpty : `${name}=${text}`
      }
      made += (isFirst ? first : separator) + text
      isFirst = false
    }
    return made
  }
}

/** RFC 6570, section 2.4.1, counts characters of Unicode, not their halves. */
function prefix(text: string, most: number): string {
  return text.length <= most ? text : Array.from(text).slice(0, most).join('')
}

/** RFC 6570, section 3.2.1: a list or map without members is undefined. */
function hasMembers(value: Composite): boolean {
  return Object.values(value).some((member) => member !== null)
}

function wellFormed(value: Composite): Composite {
  const whole = (member: PrimitiveValue) => (typeof member === 'string' ? withoutHalves(member) : member)
  if (Array.isArray(value)) return value.map(whole)
  return Object.fromEntries(Object.entries(value).map(([name, member]) => [withoutHalves(name), whole(member)]))
}

const UNRESERVED = /^[A-Za-z0-9._~-]*$/

/** Half a surrogate pair is no character, and no URL can hold it. */
function withoutHalves(text: string): string {
  return text.replaceAll(/\p{Surrogate}/gu, '\ufffd')
}

/** All but the unreserved characters of RFC 3986, section 2.3, percent-encoded. */
export function encodeUnreserved(text: string): string {
  if (UNRESERVED.test(text)) return text
  return encodeURIComponent(withoutHalves(text)).replaceAll(
    /[!'()*]/g,
    (char) => `%${char.charCodeAt(0).toString(16).toUpperCase()}`,
  )
}

/** RFC 6570, section 3.2.3: reserved characters and percent-encoded triplets pass as they are. */
function encodeReserved(text: string): string {
  return withoutHalves(text)
    .split(/(%[\da-f]{2})/i)
    .map((part, index) => (index % 2 === 1 ? part : encodeURI(part).replaceAll('%5B', '[').replaceAll('%5D', ']')))
    .join('')
}
