// Steps that are no HTTP request: a call into a script, a socket, a statement to a database.
import { isMap, type Node, type YAMLMap } from 'yaml'
import { readCheck } from './assertions.js'
import { fileTextAt, type StepContext } from './context.js'
import { offsetOf, placeOf, readEntries, readFields, readList, readText, scalarOf, type Field } from './fields.js'
import type { CallStep, SocketAct, SocketStep, SqlStep, WaitStep } from './model.js'
import { readKeeps, readOnFailure, readTimeout } from './send.js'
import { writtenText } from './source.js'
import { readJson, readTextMap } from './texts.js'
import { readWait } from './wait.js'

/** `call: fares.ts#choose`: a function of a script of the repository. */
export function readCall(context: StepContext, node: YAMLMap): CallStep[] {
  const { source, defaults } = context
  const fields = readFields(source, node, 'this call step', 'call')
  const field = fields.get('call')
  const written = readText(source, field, 'call')
  if (written === undefined || field === undefined) return []
  const [, file, name] = /^([^#]+\.(?:ts|js))#([A-Za-z_$][\w$]*)$/.exec(written) ?? []
  if (file === undefined || name === undefined) {
    source.report(
      offsetOf(field.value),
      'CALL',
      `call needs a script and a function such as fares.ts#choose, found "${written}"`,
    )
    return []
  }
  const script = fileTextAt(context, offsetOf(field.value), file)
  if (script === undefined) return []
  return [
    {
      kind: 'call',
      name: readText(source, fields.get('name'), 'name') ?? `call ${written}`,
      file,
      script,
      export: name,
      with: [...readEntries(source, fields.get('with')?.value ?? null, 'with')].map(([key, entry]) => [
        key,
        readJson(source, entry.value),
      ]),
      keeps: readKeeps(context, fields.get('keep')),
      onFailure: readOnFailure(source, fields.get('on failure')) ?? defaults.onFailure,
      at: placeOf(source, node),
    },
  ]
}

/** `socket: GET /departures`: a WebSocket with what is said and awaited on it. */
export function readSocket(context: StepContext, node: YAMLMap): SocketStep[] {
  const { source, defaults } = context
  const fields = readFields(source, node, 'this socket step', 'socket')
  const field = fields.get('socket')
  const written = readText(source, field, 'socket')
  if (written === undefined || field === undefined) return []
  const url = /^GET\s+(\S+)$/.exec(written)?.[1]
  if (url === undefined) {
    source.report(offsetOf(field.value), 'REQUEST', `socket needs GET and a URL, found "${written}"`)
    return []
  }
  const name = readText(source, fields.get('name'), 'name') ?? `socket ${url}`
  const headers = new Map([
    ...defaults.headers,
    ...readTextMap(source, fields.get('headers')?.value ?? null, 'headers'),
  ])
  return [
    {
      kind: 'socket',
      name,
      url,
      with: readTextMap(source, fields.get('with')?.value ?? null, 'with'),
      headers: [...headers],
      acts: readList(source, fields.get('steps')?.value ?? null, 'steps').flatMap((item) =>
        readAct(context, item, name),
      ),
      timeoutMs: readTimeout(source, fields.get('timeout')) ?? defaults.timeoutMs,
      onFailure: readOnFailure(source, fields.get('on failure')) ?? defaults.onFailure,
      at: placeOf(source, node),
    },
  ]
}

function readAct(context: StepContext, node: Node, socket: string): (SocketAct | WaitStep)[] {
  const { source } = context
  const at = placeOf(source, node)
  if (isMap(node) && node.has('wait')) return readWait(source, node)
  if (isMap(node) && node.has('say')) {
    const fields = readFields(source, node, 'this say', 'say')
    const name = readText(source, fields.get('name'), 'name') ?? `${socket}: say`
    const said = fields.get('say')
    if (said === undefined || !isMap(said.value))
      return [{ kind: 'say', name, json: undefined, text: readText(source, said, 'say'), at }]
    const inner = readFields(source, said.value, 'say', 'message')
    const json = inner.get('json')
    return json === undefined
      ? [{ kind: 'say', name, json: undefined, text: readText(source, inner.get('text'), 'text'), at }]
      : [{ kind: 'say', name, json: readJson(source, json.value), text: undefined, at }]
  }
  if (isMap(node) && node.has('await')) {
    const fields = readFields(source, node, 'this await', 'await')
    const check = readCheck(context, fields.get('await')?.value ?? null)
    if (check === undefined) return []
    const name = readText(source, fields.get('name'), 'name') ?? `${socket}: ${check.name}`
    const withinMs = readTimeout(source, fields.get('within')) ?? 5000
    return [{ kind: 'await', name, check, withinMs, keeps: readKeeps(context, fields.get('keep')), at }]
  }
  source.report(offsetOf(node), 'STEP', 'a step of a socket is say, await or wait')
  return []
}

/** `sql: "{secret.database}"`, for what is prepared and cleared away outside the load. */
export function readSql(context: StepContext, node: YAMLMap): SqlStep[] {
  const { source, defaults } = context
  const fields = readFields(source, node, 'this sql step', 'sql')
  if (!context.isOnce) source.report(offsetOf(node), 'SQL', 'an sql step is allowed in setup and teardown only')
  const database = readText(source, fields.get('sql'), 'sql')
  const statement = readText(source, fields.get('run'), 'run')
  if (!fields.has('run'))
    source.report(offsetOf(node), 'SQL', 'this sql step has no statement: add run: and a statement')
  if (database === undefined || statement === undefined) return []
  return [
    {
      kind: 'sql',
      name: readText(source, fields.get('name'), 'name') ?? `sql ${statement.slice(0, 40)}`,
      database,
      statement,
      with: readTexts(context, fields.get('with')),
      timeoutMs: readTimeout(source, fields.get('timeout')) ?? defaults.timeoutMs,
      at: placeOf(source, node),
    },
  ]
}

function readTexts({ source }: StepContext, field: Field | undefined): string[] {
  return readList(source, field?.value ?? null, 'with').flatMap((item) => {
    const scalar = scalarOf(source, item, 'a parameter', offsetOf(item))
    return scalar === undefined ? [] : [writtenText(scalar)]
  })
}
