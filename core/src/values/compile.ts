// Texts, URLs and bodies of a plan, compiled once to functions of a frame.
import type { Json } from '../language/sentences.js'
import {
  compileUrl,
  encodeUnreserved,
  namesInText,
  namesInUrl,
  splitText,
  type UrlValues,
} from '../language/templates.js'
import type { Body, JsonTemplate, Method, Part, SendStep, Auth, Text } from '../plan/model.js'

/** The values of one iteration, by slot. */
export type Frame = (Json | undefined)[]
export type ValueReader = (frame: Frame) => Json | undefined
/** Finds how a name is read; throws for a name that the plan check would have refused. */
export type Lookup = (name: string) => ValueReader

export type TextMaker = (frame: Frame) => string

/** A value as text: strings as they are, all else as JSON. */
export function asText(value: Json | undefined): string {
  if (typeof value === 'string') return value
  return value === undefined ? '' : JSON.stringify(value)
}

/**
 * Compiles a text with `{name}` places.
 *
 * @param lookup - how each name is read
 * @returns makes the text for a frame; a value that is missing is an empty text
 */
export function compileText(text: Text, lookup: Lookup): TextMaker {
  const parts = splitText(text)
  if (parts.every((part) => part.kind === 'literal')) {
    const literal = parts.map((part) => part.text).join('')
    return () => literal
  }
  const makers = parts.map((part): TextMaker => {
    if (part.kind === 'literal') return () => part.text
    const read = lookup(part.name)
    return (frame) => asText(read(frame))
  })
  const [first, second, third] = makers
  if (makers.length === 1 && first !== undefined) return first
  if (makers.length === 2 && first !== undefined && second !== undefined) return (frame) => first(frame) + second(frame)
  if (makers.length === 3 && first !== undefined && second !== undefined && third !== undefined) {
    return (frame) => first(frame) + second(frame) + third(frame)
  }
  return (frame) => {
    let made = ''
    for (const maker of makers) made += maker(frame)
    return made
  }
}

/**
 * How a name of `with` is read: its text when it holds more than one place, else the value itself.
 *
 * @param lookup - how each name is read
 */
export function compileValue(text: Text, lookup: Lookup): ValueReader {
  const parts = splitText(text)
  const [only] = parts
  return parts.length === 1 && only?.kind === 'name' ? lookup(only.name) : compileText(text, lookup)
}

export interface CompiledRequest {
  method: Method
  /** Path with query, or an absolute URL; undefined when a value of the template is missing. */
  url: (frame: Frame) => string | undefined
  /** Names in lower case, values alternating, as undici takes them. */
  headers: (frame: Frame) => string[]
  body: BodyMaker | undefined
}
export type BodyMaker = (frame: Frame) => string | Uint8Array
/** Gives the bytes of a file of the repository. */
export type FileBytes = (path: string) => Uint8Array

/**
 * Compiles the request of a step.
 *
 * @param targetHeaders - before those of the step, which replace them
 * @param outer - how names are read that `with` does not give
 * @param fileBytes - of the bodies and parts that are files
 */
export function compileRequest(
  step: SendStep,
  targetHeaders: readonly [string, Text][],
  outer: Lookup,
  fileBytes: FileBytes,
): CompiledRequest {
  const local = new Map(step.with.map(([name, text]) => [name, compileValue(text, outer)]))
  const lookup: Lookup = (name) => local.get(name) ?? outer(name)
  const headers = new Map<string, Text>()
  if (step.body !== undefined) headers.set('content-type', CONTENT_TYPES[step.body.kind])
  for (const [name, text] of [...targetHeaders, ...step.headers]) headers.set(name.toLowerCase(), text)
  return {
    method: step.method,
    url: compileTarget(step, lookup),
    headers: compileHeaders(headers, step.auth, lookup),
    body: step.body === undefined ? undefined : compileBody(step.body, lookup, fileBytes),
  }
}

/** RFC 2046, section 5.1.1: a line that stands in no part. */
const BOUNDARY = 'jolt-gate-7f3c9a51e8b24d06'
const CONTENT_TYPES: Record<Body['kind'], string> = {
  json: 'application/json',
  form: 'application/x-www-form-urlencoded',
  text: 'text/plain; charset=utf-8',
  xml: 'application/xml; charset=utf-8',
  file: 'application/octet-stream',
  multipart: `multipart/form-data; boundary=${BOUNDARY}`,
}

function compileTarget(step: SendStep, lookup: Lookup): (frame: Frame) => string | undefined {
  const expand = compileUrlTemplate(step.url, lookup)
  const query = step.query.map(([name, text]): [string, TextMaker] => [
    encodeURIComponent(name),
    compileText(text, lookup),
  ])
  if (query.length === 0) return expand
  return (frame) => {
    let url = expand(frame)
    if (url === undefined) return undefined
    for (const [name, text] of query) url += `${url.includes('?') ? '&' : '?'}${name}=${encodeUnreserved(text(frame))}`
    return url
  }
}

/**
 * A URL template over a frame; undefined when one of its values is missing.
 *
 * @param template - by RFC 6570
 * @param lookup - how each name is read
 */
export function compileUrlTemplate(template: string, lookup: Lookup): (frame: Frame) => string | undefined {
  const expand = compileUrl(template)
  const reads = [...new Set(namesInUrl(template))].map((name): [string, ValueReader] => [name, lookup(name)])
  if (reads.length === 0) return () => template
  return (frame) => {
    const values: UrlValues = {}
    for (const [name, read] of reads) {
      const value = read(frame)
      if (value === undefined) return undefined
      values[name] = urlValue(value)
    }
    return expand(values)
  }
}

/** A list stays a list of texts, an object a flat map; deeper levels become JSON text. */
function urlValue(value: Json): UrlValues[string] {
  if (value === null || typeof value !== 'object') return value
  if (Array.isArray(value)) return value.map((item) => asText(item))
  return Object.fromEntries(Object.entries(value).map(([name, item]) => [name, asText(item)]))
}

/**
 * Names and values alternating, the names in lower case.
 *
 * @param headers - in the order in which they are sent
 * @param auth - adds a header `authorization`
 * @param lookup - how each name is read
 */
export function compileHeaders(
  headers: ReadonlyMap<string, Text>,
  auth: Auth | undefined,
  lookup: Lookup,
): (frame: Frame) => string[] {
  const makers = [...headers].map(([name, text]): [string, TextMaker] => [name, compileText(text, lookup)])
  if (auth?.kind === 'bearer') {
    const token = compileText(auth.token, lookup)
    makers.push(['authorization', (frame) => `Bearer ${token(frame)}`])
  }
  if (auth?.kind === 'basic') {
    const user = compileText(auth.user, lookup)
    const password = compileText(auth.password, lookup)
    makers.push(['authorization', (frame) => `Basic ${base64(`${user(frame)}:${password(frame)}`)}`])
  }
  const make = (frame: Frame) => {
    const made: string[] = []
    for (const [name, text] of makers) made.push(name, headerText(text(frame)))
    return made
  }
  // Headers without places are the same in every request, and the list is never changed.
  const isFixed = auth === undefined && [...headers.values()].every((text) => namesInText(text).length === 0)
  if (!isFixed) return make
  const fixed = make([])
  return () => fixed
}

/** RFC 9110, section 5.5: no control characters in a field value; a kept value must not forge a header. */
function headerText(text: string): string {
  // eslint-disable-next-line no-control-regex -- control characters are what is sought
  return /[\0-\x08\x0a-\x1f\x7f]/.test(text) ? text.replaceAll(/[\0-\x08\x0a-\x1f\x7f]/g, ' ') : text
}

/** RFC 7617 sends user and password as UTF-8 in base64. */
export function base64(text: string): string {
  return btoa(String.fromCharCode(...new TextEncoder().encode(text)))
}

function compileBody(body: Body, lookup: Lookup, fileBytes: FileBytes): BodyMaker {
  switch (body.kind) {
    case 'text':
      return compileText(body.text, lookup)
    case 'xml':
      return compileText(body.text, (name) => escapedForXml(lookup(name)))
    case 'form': {
      const fields = body.fields.map(([name, text]): [string, TextMaker] => [name, compileText(text, lookup)])
      return (frame) => new URLSearchParams(fields.map(([name, text]) => [name, text(frame)])).toString()
    }
    case 'json':
      return compileJson(body.json, lookup)
    case 'file': {
      const bytes = fileBytes(body.path)
      return () => bytes
    }
    case 'multipart':
      return compileParts(body.parts, lookup, fileBytes)
    default:
      return body satisfies never
  }
}

/** XML 1.0, section 2.4: a value becomes text, never markup. */
function escapedForXml(read: ValueReader): ValueReader {
  return (frame) => asText(read(frame)).replaceAll(/[&<>"']/g, (char) => `&#${String(char.charCodeAt(0))};`)
}

/** RFC 7578: one part a field; quotes and line ends of names are percent-encoded. */
function compileParts(parts: readonly Part[], lookup: Lookup, fileBytes: FileBytes): BodyMaker {
  const encoder = new TextEncoder()
  const quoted = (name: string) =>
    name.replaceAll(/["\r\n]/g, (char) => `%${char.charCodeAt(0).toString(16).padStart(2, '0').toUpperCase()}`)
  const pieces = parts.map((part): ((frame: Frame) => Uint8Array[]) => {
    const head = `--${BOUNDARY}\r\nContent-Disposition: form-data; name="${quoted(part.name)}"`
    if (part.kind === 'text') {
      const text = compileText(part.text, lookup)
      return (frame) => [encoder.encode(`${head}\r\n\r\n${text(frame)}\r\n`)]
    }
    const file = quoted(part.path.replace(/^.*\//, ''))
    const type = part.type ?? 'application/octet-stream'
    const begin = encoder.encode(`${head}; filename="${file}"\r\nContent-Type: ${type}\r\n\r\n`)
    const bytes = [begin, fileBytes(part.path), encoder.encode('\r\n')]
    return () => bytes
  })
  const end = encoder.encode(`--${BOUNDARY}--\r\n`)
  return (frame) => joinBytes([...pieces.flatMap((piece) => piece(frame)), end])
}

function joinBytes(pieces: readonly Uint8Array[]): Uint8Array {
  const joined = new Uint8Array(pieces.reduce((length, piece) => length + piece.length, 0))
  let at = 0
  for (const piece of pieces) {
    joined.set(piece, at)
    at += piece.length
  }
  return joined
}

/**
 * JSON text with places: literal pieces are written once, a text that is one `{name}` keeps the value's type.
 *
 * @param lookup - how each name is read
 */
export function compileJson(json: JsonTemplate, lookup: Lookup): TextMaker {
  const pieces: (string | TextMaker)[] = []
  const put = (piece: string | TextMaker) => {
    const last = pieces.at(-1)
    if (typeof piece === 'string' && typeof last === 'string') pieces[pieces.length - 1] = last + piece
    else pieces.push(piece)
  }
  const putText = (text: Text) => {
    const parts = splitText(text)
    const [only] = parts
    if (parts.every((part) => part.kind === 'literal')) put(JSON.stringify(parts.map((part) => part.text).join('')))
    else if (parts.length === 1 && only?.kind === 'name') {
      const read = lookup(only.name)
      put((frame) => JSON.stringify(read(frame) ?? null))
    } else {
      const make = compileText(text, lookup)
      put((frame) => JSON.stringify(make(frame)))
    }
  }
  const write = (node: JsonTemplate): void => {
    switch (node.kind) {
      case 'text':
        putText(node.text)
        return
      case 'number':
        put(node.written)
        return
      case 'literal':
        put(String(node.value))
        return
      case 'list':
        put('[')
        node.items.forEach((item, index) => {
          if (index > 0) put(',')
          write(item)
        })
        put(']')
        return
      case 'object':
        put('{')
        node.fields.forEach(([name, value], index) => {
          const key = compileText(name, lookup)
          put(index > 0 ? ',' : '')
          if (splitText(name).every((part) => part.kind === 'literal')) put(`${JSON.stringify(key([]))}:`)
          else put((frame) => `${JSON.stringify(key(frame))}:`)
          write(value)
        })
        put('}')
        return
      default:
        node satisfies never
    }
  }
  write(json)
  return (frame) => {
    let made = ''
    for (const piece of pieces) made += typeof piece === 'string' ? piece : piece(frame)
    return made
  }
}
