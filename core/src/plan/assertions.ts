// Checks and keeps, from nodes to the model.
import { isMap, isScalar, type Node } from 'yaml'
import { GRPC_STATUSES } from '../language/grpc-status.js'
import { parseJson } from '../language/json-path.js'
import { compileSchema } from '../language/json-schema.js'
import type { Json, KeepSource, Subject, Test } from '../language/sentences.js'
import { checkValueName, fileTextAt, type StepContext } from './context.js'
import { offsetOf, placeOf, readFields, readPhrase, readText, type Field } from './fields.js'
import type { Check, Keep } from './model.js'
import { writtenText, type Source } from './source.js'
import { regexFault, subjectFault, SUBJECTS } from './subjects.js'

/** What a check looks at, where that is no response. */
export interface CheckOptions {
  /** A condition may look at a value instead. */
  mayBeOnValue?: boolean
  /** It looks at an event of a stream. */
  isOfEvent?: boolean
  /** It looks at what a call came to. */
  isOfCall?: boolean
}

/** One check: a sentence, or the long form with a name of its own. */
export function readCheck(
  context: StepContext,
  node: Node | null,
  { mayBeOnValue = false, isOfEvent = false, isOfCall = false }: CheckOptions = {},
): Check | undefined {
  const { source } = context
  const long = isMap(node) && node.has('that')
  const fields = long ? readFields(source, node, 'this check', 'check') : undefined
  const sentenceNode = fields === undefined ? node : (fields.get('that')?.value ?? null)
  const isOnValue = mayBeOnValue && isScalar(sentenceNode) && /^\s*value\s/.test(writtenText(sentenceNode))
  const sentence = isOnValue
    ? readPhrase(source, sentenceNode, 'ValueCheck', 'check')
    : readPhrase(source, sentenceNode, 'Check', 'check')
  if (sentence === undefined) return undefined
  const at = offsetOf(sentenceNode)
  const { subject, test } = sentence
  if (!isValidSource(context, at, subject) || !isValidTest(source, at, subject, test)) return undefined
  if ((subject.kind === 'event' || subject.kind === 'data') && !isOfEvent) {
    source.report(at, 'SUBJECT', `${subject.kind} is a subject of what is awaited on a stream`)
    return undefined
  }
  const statusFault = subject.kind === 'status' ? callStatusFault(test, isOfCall) : undefined
  if (statusFault !== undefined) {
    source.report(at, 'SUBJECT', statusFault)
    return undefined
  }
  const schema = test.kind === 'schema' ? readSchema(context, at, test.at) : undefined
  if (test.kind === 'schema' && schema === undefined) return undefined
  const written = isScalar(sentenceNode) ? writtenText(sentenceNode) : ''
  return {
    ...sentence,
    name: readText(source, fields?.get('called'), 'called') ?? written.trim(),
    schema,
    at: placeOf(source, sentenceNode),
  }
}

/** Statuses of calls have names, those of HTTP are numbers. */
function callStatusFault(test: Test, isOfCall: boolean): string | undefined {
  const written = (test.kind === 'is' || test.kind === 'is not') && test.value.kind === 'json' ? test.value.written : ''
  const isNamed = GRPC_STATUSES.some((name) => name === written)
  if (isNamed && !isOfCall) return `${written} is a status of a grpc step; here it is a number, such as status is 200`
  if (!isNamed && isOfCall) return 'the status of a call is a name: write status is OK, or status is not UNAVAILABLE'
  return undefined
}

/** One keep: a name and where its value comes from. */
export function readKeep(context: StepContext, name: string, field: Field): Keep | undefined {
  const { source } = context
  checkValueName(source, field, name)
  const sentence = readPhrase(source, field.value, 'Keep', `keep ${name}`)
  if (sentence === undefined) return undefined
  if (!isValidSource(context, offsetOf(field.value), sentence.source)) return undefined
  return { ...sentence, name, at: placeOf(source, field.key) }
}

function isValidSource(context: StepContext, at: number, from: Subject | KeepSource): boolean {
  const fault = subjectFault(from, context.namespaces)
  if (fault !== undefined) context.source.report(at, fault.code, fault.message)
  return fault === undefined
}

function isValidTest(source: Source, at: number, subject: Subject, test: Test): boolean {
  if (test.kind === 'bound') {
    const { units, words } = SUBJECTS[subject.kind].bound
    if (units.includes(test.limit.unit)) return true
    source.report(at, 'UNIT', `${subject.kind} is compared with ${words}`)
    return false
  }
  if (subject.kind === 'response time') {
    source.report(
      at,
      'UNIT',
      'response time is checked with under, over, at least or at most, and a time such as 300 ms',
    )
    return false
  }
  if (test.kind === 'class' && subject.kind !== 'status') {
    source.report(at, 'CLASS', 'only status can be a class such as 2xx')
    return false
  }
  const fault = test.kind === 'matches' ? regexFault(test.regex) : undefined
  if (fault !== undefined) source.report(at, 'REGEX', fault)
  return fault === undefined
}

/** The schema at `FILE#POINTER`, as a schema of its own that still finds its neighbours. */
function readSchema(context: StepContext, at: number, where: string): Json | undefined {
  const { source } = context
  const [path = '', pointer = ''] = where.split('#', 2)
  const text = fileTextAt(context, at, path)
  if (text === undefined) return undefined
  const document = parseJson(text)
  const fault =
    document === undefined || document === null || typeof document !== 'object' || Array.isArray(document)
      ? `${path} is not a JSON object`
      : undefined
  if (fault !== undefined || document === undefined) {
    source.report(at, 'SCHEMA', fault ?? '')
    return undefined
  }
  const schema: Json = { document, pointer }
  const compiled = compileSchema(schema)
  if (typeof compiled !== 'string') return schema
  source.report(at, 'SCHEMA', `${where}: ${compiled}`)
  return undefined
}
