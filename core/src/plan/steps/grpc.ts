// `grpc: package.Service/Method`: a call of a method, with its messages, as its .proto file has them.
import type { Node } from 'yaml'
import { ProtoFault, protoFilesOf, protoMethod, type FieldNames, type ProtoMethod } from '../../language/protobuf.js'
import { fileTextAt, type StepContext } from '../context.js'
import { offsetOf, placeOf, readFields, readSwitch, readText, type Field } from '../fields.js'
import type { Check, GrpcStep, JsonTemplate } from '../model.js'
import { readJson, readTextMap, textsOfJson } from '../texts.js'
import { NOTHING_INSIDE, outlineLine, type StepKind } from './kind.js'
import { readChecks, readKeeps, readOnFailure, readTimeout } from './shared.js'

const CALLED = /^[A-Za-z_][\w]*(?:\.[A-Za-z_]\w*)*\/[A-Za-z_]\w*$/

export const GRPC: StepKind<GrpcStep> = {
  read(context, node) {
    const { source, defaults } = context
    const fields = readFields(source, node, 'this grpc step', 'grpc')
    const field = fields.get('grpc')
    const called = readText(source, field, 'grpc')
    if (called === undefined || field === undefined) return []
    if (!CALLED.test(called)) {
      source.report(offsetOf(field.value), 'REQUEST', `grpc needs package.Service/Method, found "${called}"`)
      return []
    }
    const read = readMethod(context, node, fields.get('proto'), called)
    const messages = messagesOf(readJson(source, fields.get('message')?.value ?? null))
    if (read === undefined) return []
    checkMessages(context, fields.get('message'), messages, read.method)
    return [
      {
        kind: 'grpc',
        name: readText(source, fields.get('name'), 'name') ?? called,
        called,
        proto: read.files,
        messages,
        metadata: readTextMap(source, fields.get('metadata')?.value ?? null, 'metadata'),
        checks: [...defaults.checks.filter(isOfCalls), ...readChecks(context, fields.get('check'), { isOfCall: true })],
        keeps: readKeeps(context, fields.get('keep')),
        timeoutMs: readTimeout(source, fields.get('timeout')) ?? defaults.timeoutMs,
        onFailure: readOnFailure(source, fields.get('on failure')) ?? defaults.onFailure,
        mayBeSkipped: readSwitch(source, fields.get('may be skipped'), 'may be skipped') ?? false,
        at: placeOf(source, node),
      },
    ]
  },
  ...NOTHING_INSIDE,
  timed: ({ name, checks, keeps, mayBeSkipped }) => [
    { name, isRequest: true, reach: mayBeSkipped ? 'may' : 'must', checks, keeps },
  ],
  names(step, scope) {
    for (const message of step.messages) scope.texts(textsOfJson(message), step.at)
    scope.texts(
      step.metadata.map(([, text]) => text),
      step.at,
    )
    for (const check of step.checks) scope.operands(check)
    return scope.keeps(step.keeps)
  },
  outline: ({ name, at }) => [outlineLine(at, { sort: 'request', method: 'gRPC', label: name })],
}

/** Defaults are for HTTP: a status of it is none of a call. */
const isOfCalls = ({ subject }: Check): boolean => subject.kind === 'response time'

function readMethod(
  context: StepContext,
  node: Node,
  field: Field | undefined,
  called: string,
): { files: GrpcStep['proto']; method: ProtoMethod } | undefined {
  const { source } = context
  if (field === undefined) {
    source.report(offsetOf(node), 'MISSING_KEY', 'this grpc step has no file of its service: add proto: FILE.proto')
    return undefined
  }
  const path = readText(source, field, 'proto')
  if (path === undefined || fileTextAt(context, offsetOf(field.value), path) === undefined) return undefined
  try {
    const files = protoFilesOf(path, (one) => context.files(one))
    return { files, method: protoMethod(files, called) }
  } catch (error) {
    if (!(error instanceof ProtoFault)) throw error
    source.report(offsetOf(field.value), 'PROTO', error.message)
    return undefined
  }
}

/** One message, or a list of them where the client streams. */
const messagesOf = (json: JsonTemplate): JsonTemplate[] =>
  json.kind === 'list' ? json.items : json.kind === 'literal' ? [{ kind: 'object', fields: [] }] : [json]

function checkMessages(
  { source }: StepContext,
  field: Field | undefined,
  messages: readonly JsonTemplate[],
  method: ProtoMethod,
): void {
  const at = offsetOf(field?.value ?? null)
  if (!method.streamsRequests && messages.length !== 1)
    source.report(at, 'PROTO', `${method.path.slice(1)} takes one message, not a list of them`)
  for (const message of messages) {
    const fault = message.kind === 'object' ? method.nameFault(namesIn(message)) : 'a message is a map of its fields'
    if (fault !== undefined) source.report(at, 'PROTO', fault)
  }
}

function namesIn(json: JsonTemplate): FieldNames {
  if (json.kind === 'list') return json.items.reduce<FieldNames>((names, item) => ({ ...names, ...namesIn(item) }), {})
  return json.kind === 'object' ? Object.fromEntries(json.fields.map(([name, value]) => [name, namesIn(value)])) : null
}
