// What a request carries: its body and its authentication, from nodes to the model.
import { isMap } from 'yaml'
import { readRepositoryFile, type StepContext } from '../context.js'
import { offsetOf, readEntries, readFields, readList, readText, scalarOf, type Field } from '../fields.js'
import type { Auth, Body, Part } from '../model.js'
import { writtenText, type Source } from '../source.js'
import { readJson, readTextMap } from '../texts.js'

const BODIES = ['json', 'form', 'text', 'xml', 'file', 'multipart']

export function readBody(context: StepContext, fields: Map<string, Field>): Body | undefined {
  const { source } = context
  const kinds = BODIES.filter((kind) => fields.has(kind))
  const second = fields.get(kinds[1] ?? '')
  if (second !== undefined)
    source.report(offsetOf(second.key), 'BODY', `a request has one body, found ${kinds.join(' and ')}`)
  const [kind] = kinds
  const field = fields.get(kind ?? '')
  if (kind === undefined || field === undefined) return undefined
  switch (kind) {
    case 'json':
      return { kind, json: readJson(source, field.value) }
    case 'form':
      return { kind, fields: readTextMap(source, field.value, 'form') }
    case 'text':
    case 'xml': {
      const text = readText(source, field, kind)
      return text === undefined ? undefined : { kind, text }
    }
    case 'file': {
      const path = readRepositoryFile(context, field, 'file')
      return path === undefined ? undefined : { kind, path }
    }
    default:
      return { kind: 'multipart', parts: readParts(context, field) }
  }
}

function readParts(context: StepContext, field: Field): Part[] {
  const { source } = context
  return [...readEntries(source, field.value, 'multipart')].flatMap(([name, entry]): Part[] => {
    if (!isMap(entry.value)) {
      const text = readText(source, entry, `"${name}" in multipart`)
      return text === undefined ? [] : [{ kind: 'text', name, text }]
    }
    const fields = readFields(source, entry.value, `"${name}" in multipart`, 'part')
    const path = readRepositoryFile(context, fields.get('file'), 'file')
    return path === undefined ? [] : [{ kind: 'file', name, path, type: readText(source, fields.get('type'), 'type') }]
  })
}

export function readAuth(source: Source, field: Field | undefined): Auth | undefined {
  if (field === undefined) return undefined
  const fields = readFields(source, field.value, 'auth', 'auth')
  const basic = fields.get('basic')
  if (basic !== undefined) {
    const [user, password] = readList(source, basic.value, 'basic').map((item) =>
      scalarOf(source, item, 'basic', offsetOf(item)),
    )
    if (user !== undefined && password !== undefined)
      return { kind: 'basic', user: writtenText(user), password: writtenText(password) }
    source.report(
      offsetOf(basic.value),
      'AUTH',
      'basic needs a user and a password: basic: ["{secret.user}", "{secret.password}"]',
    )
    return undefined
  }
  const token = readText(source, fields.get('bearer'), 'bearer')
  return token === undefined ? undefined : { kind: 'bearer', token }
}
