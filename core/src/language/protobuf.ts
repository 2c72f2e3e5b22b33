// Protocol Buffers, by a library: methods of services from the text of .proto files, messages from JSON to bytes and
// back.
import protobuf from 'protobufjs'
import { parseJson } from './json-path.js'
import { nearestWord, type Json } from './sentences.js'

/** A .proto file by its path in the repository. */
export interface ProtoFile {
  path: string
  text: string
}

/** What is wrong with a file, a method or a message. */
export class ProtoFault extends Error {}

const MOST_FILES = 50
const MOST_LETTERS = 1_000_000
/** Levels of messages in a message. */
const MOST_DEEP = 64
/** The library makes code of names: no other may come to it, whatever its own reader lets pass. */
const NAME = /^[A-Za-z_][A-Za-z0-9_]*$/

/**
 * A file with all that it imports, each once; an import is looked for from the folder of the file, and from each above.
 *
 * @param read - gives the text of a path; undefined where there is no such file
 * @throws ProtoFault where one is missing or cannot be read
 */
export function protoFilesOf(path: string, read: (path: string) => string | undefined): ProtoFile[] {
  const files = new Map<string, ProtoFile>()
  const waiting = [path]
  let letters = 0
  for (let next = waiting.shift(); next !== undefined; next = waiting.shift()) {
    if (files.has(next)) continue
    const text = read(next)
    if (text === undefined) throw new ProtoFault(`no file ${next} in the repository`)
    letters += text.length
    if (files.size >= MOST_FILES || letters > MOST_LETTERS)
      throw new ProtoFault(`more than ${String(MOST_FILES)} files, or a million letters, in ${path} and its imports`)
    files.set(next, { path: next, text })
    for (const wanted of importsOf({ path: next, text })) {
      const found = placesOf(next, wanted).find(
        (one) => files.has(one) || waiting.includes(one) || read(one) !== undefined,
      )
      if (found === undefined) throw new ProtoFault(`${next} imports ${wanted}, which is not in the repository`)
      waiting.push(found)
    }
  }
  return [...files.values()]
}

function importsOf(file: ProtoFile): string[] {
  const { imports = [], weakImports = [] } = parsed(file, new protobuf.Root())
  return [...imports, ...weakImports].filter((one) => protobuf.common.get(one) === null)
}

function placesOf(path: string, wanted: string): string[] {
  const folders = path.split('/').slice(0, -1)
  const all = folders.map((_, depth) => [...folders.slice(0, folders.length - depth), wanted].join('/'))
  return [...all, wanted].filter((one) => !one.split('/').includes('..') && !one.startsWith('/'))
}

function parsed({ path, text }: ProtoFile, root: protobuf.Root): protobuf.IParserResult {
  try {
    return protobuf.parse(text, root, { keepCase: false })
  } catch (error) {
    throw new ProtoFault(`${path}: ${error instanceof Error ? error.message : String(error)}`)
  }
}

/** A method that can be called. */
export interface ProtoMethod {
  /** On the wire: /package.Service/Method */
  path: string
  streamsRequests: boolean
  streamsResponses: boolean
  /** @throws ProtoFault for a message that is none of the method's */
  encode: (message: Json) => Uint8Array
  /** @throws ProtoFault for bytes that are none */
  decode: (bytes: Uint8Array) => Json
  /** What is wrong with the names of fields in a message; undefined where nothing is. */
  nameFault: (fields: FieldNames) => string | undefined
}

/** The names of the fields of a message, as far as they are known: a value that is none is null. */
export type FieldNames = { readonly [name: string]: FieldNames } | null

/**
 * Finds a method.
 *
 * @param called - package.Service/Method
 * @throws ProtoFault where the files cannot be read, or there is no such method
 */
export function protoMethod(files: readonly ProtoFile[], called: string): ProtoMethod {
  const root = new protobuf.Root()
  for (const file of files) {
    const { imports = [], weakImports = [] } = parsed(file, root)
    for (const one of [...imports, ...weakImports]) {
      const common = protobuf.common.get(one)
      if (common?.nested != null) root.addJSON(common.nested)
    }
  }
  try {
    root.resolveAll()
  } catch (error) {
    throw new ProtoFault(error instanceof Error ? error.message : String(error))
  }
  refuseNames(root, 0)
  const [service = '', name = ''] = called.split('/')
  const services = servicesOf(root)
  const found = services.get(service)
  if (found === undefined) throw new ProtoFault(unknown('service', service, services.keys()))
  const method = found.methods[name]
  if (method === undefined) throw new ProtoFault(unknown(`method of ${service}`, name, Object.keys(found.methods)))
  const { resolvedRequestType: request, resolvedResponseType: response } = method
  if (request === null || response === null) throw new ProtoFault(`the messages of ${called} are not in its files`)
  return {
    path: `/${called}`,
    streamsRequests: method.requestStream === true,
    streamsResponses: method.responseStream === true,
    encode: (message) => request.encode(request.fromObject(checked(request, message, 'the message', 0))).finish(),
    decode: (bytes) => decoded(response, bytes),
    nameFault: (fields) => nameFault(request, fields, ''),
  }
}

function unknown(what: string, name: string, known: Iterable<string>): string {
  const all = [...known]
  const meant = nearestWord(name, all)
  const hint = meant === undefined ? `known are ${all.slice(0, 20).join(', ')}` : `did you mean ${meant}?`
  return `there is no ${what} called "${name}": ${all.length === 0 ? 'there are none' : hint}`
}

function servicesOf(root: protobuf.Root): Map<string, protobuf.Service> {
  const services = new Map<string, protobuf.Service>()
  const look = (space: protobuf.NamespaceBase) => {
    for (const one of space.nestedArray) {
      if (one instanceof protobuf.Service) services.set(one.fullName.replace(/^\./, ''), one)
      if (one instanceof protobuf.Namespace) look(one)
    }
  }
  look(root)
  return services
}

function refuseNames(space: protobuf.NamespaceBase, deep: number): void {
  if (deep > MOST_DEEP) throw new ProtoFault(`messages in messages, more than ${String(MOST_DEEP)} deep`)
  for (const one of space.nestedArray) {
    const names = [one.name]
    if (one instanceof protobuf.Type)
      names.push(...one.fieldsArray.map(({ name }) => name), ...one.oneofsArray.map(({ name }) => name))
    if (one instanceof protobuf.Enum) names.push(...Object.keys(one.values))
    const bad = names.find((name) => !NAME.test(name))
    if (bad !== undefined) throw new ProtoFault(`"${bad.slice(0, 60)}" is no name`)
    if (one instanceof protobuf.Namespace) refuseNames(one, deep + 1)
  }
}

function nameFault(type: protobuf.Type, names: FieldNames, at: string): string | undefined {
  for (const [name, inner] of Object.entries(names ?? {})) {
    // A name that is made of values is known when it is sent.
    if (name.includes('{')) continue
    const field = Object.hasOwn(type.fields, name) ? type.fields[name] : undefined
    if (field === undefined) return unknown(`field of ${type.name}`, `${at}${name}`, Object.keys(type.fields))
    if (field.resolvedType instanceof protobuf.Type && !(field instanceof protobuf.MapField)) {
      const fault = nameFault(field.resolvedType, inner, '')
      if (fault !== undefined) return fault
    }
  }
  return undefined
}

// ---------- values

/** A message whose every field is what it is declared as: the library would make 0 of what is no number. */
function checked(type: protobuf.Type, json: Json, at: string, deep: number): { [name: string]: unknown } {
  if (typeof json !== 'object' || json === null || Array.isArray(json)) throw new ProtoFault(`${at} is no object`)
  if (deep > MOST_DEEP) throw new ProtoFault(`${at} is too deep`)
  const message: { [name: string]: unknown } = {}
  for (const [name, value] of Object.entries(json)) {
    const field = Object.hasOwn(type.fields, name) ? type.fields[name] : undefined
    if (field === undefined) throw new ProtoFault(unknown(`field of ${type.name}`, name, Object.keys(type.fields)))
    // Left out, by the mapping of Protocol Buffers to JSON.
    if (value === null) continue
    message[name] = valueOf(field, value, `${at}, ${name}`, deep)
  }
  return message
}

function valueOf(field: protobuf.Field, value: Json, at: string, deep: number): unknown {
  if (field instanceof protobuf.MapField) {
    if (typeof value !== 'object' || value === null || Array.isArray(value)) throw new ProtoFault(`${at} is no object`)
    return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, oneOf(field, one, `${at}.${key}`, deep)]))
  }
  if (!field.repeated) return oneOf(field, value, at, deep)
  if (!Array.isArray(value)) throw new ProtoFault(`${at} is no list`)
  return value.map((one, index) => oneOf(field, one, `${at}[${String(index)}]`, deep))
}

function oneOf(field: protobuf.Field, value: Json, at: string, deep: number): unknown {
  const { resolvedType, type } = field
  if (resolvedType instanceof protobuf.Type) return checked(resolvedType, value, at, deep + 1)
  if (resolvedType instanceof protobuf.Enum) {
    const isKnown = typeof value === 'string' ? Object.hasOwn(resolvedType.values, value) : Number.isInteger(value)
    if (isKnown) return value
    throw new ProtoFault(
      `${at}: ${unknown(`value of ${resolvedType.name}`, JSON.stringify(value), Object.keys(resolvedType.values))}`,
    )
  }
  if (type === 'bool' && typeof value === 'boolean') return value
  if (type === 'string' && typeof value !== 'object') return String(value)
  if (type === 'bytes' && typeof value === 'string' && /^[A-Za-z0-9+/_-]*=*$/.test(value)) return value
  if (isNumber(type, value)) return value
  throw new ProtoFault(`${at} is no ${type}`)
}

const isNumber = (type: string, value: Json): boolean => {
  if (!/^(?:double|float|s?u?int(?:32|64)|s?fixed(?:32|64))$/.test(type)) return false
  if (typeof value !== 'number' && !(typeof value === 'string' && value !== '' && Number.isFinite(Number(value))))
    return false
  return type === 'double' || type === 'float' || /^-?\d+$/.test(String(value))
}

function decoded(type: protobuf.Type, bytes: Uint8Array): Json {
  try {
    const options = { longs: String, enums: String, bytes: String, defaults: true, arrays: true, json: true }
    const text = JSON.stringify(type.toObject(type.decode(bytes), options))
    return parseJson(text) ?? null
  } catch (error) {
    throw new ProtoFault(`no ${type.name}: ${error instanceof Error ? error.message : String(error)}`)
  }
}
