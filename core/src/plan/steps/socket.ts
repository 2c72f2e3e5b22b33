// `socket: GET /departures`: a WebSocket with what is said and awaited on it.
import { isMap, type Node } from 'yaml'
import { readCheck } from '../assertions.js'
import type { StepContext } from '../context.js'
import { offsetOf, placeOf, readFields, readList, readSwitch, readText } from '../fields.js'
import type { SocketAct, SocketStep, WaitStep } from '../model.js'
import { readJson, readTextMap, textsOfJson } from '../texts.js'
import { NOTHING_INSIDE, outlineLine, type OutlineLine, type StepKind, type Timed } from './kind.js'
import { readKeeps, readOnFailure, readTimeout } from './shared.js'
import { readWait, WAIT } from './wait.js'

export const SOCKET: StepKind<SocketStep> = {
  read(context, node) {
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
        mayBeSkipped: readSwitch(source, fields.get('may be skipped'), 'may be skipped') ?? false,
        at: placeOf(source, node),
      },
    ]
  },
  ...NOTHING_INSIDE,
  timed: ({ name, acts, mayBeSkipped }) =>
    [{ name, isRequest: true, checks: [], keeps: [] }, ...acts.flatMap(timedAct)].map((timed) => ({
      ...timed,
      reach: mayBeSkipped ? 'may' : 'must',
    })),
  names(step, scope) {
    scope.url(step)
    scope.with(step.with.map(([name]) => name)).texts(
      step.headers.map(([, text]) => text),
      step.at,
    )
    const kept: string[] = []
    for (const act of step.acts) {
      const here = scope.with(kept)
      if (act.kind === 'say') here.texts(act.json === undefined ? [act.text ?? ''] : textsOfJson(act.json), act.at)
      if (act.kind !== 'await') continue
      here.operands(act.check)
      kept.push(...here.keeps(act.keeps))
    }
    return kept
  },
  outline: ({ name, acts, at }) => [
    outlineLine(at, { sort: 'request', method: 'WS', label: name, lines: acts.flatMap(actLines) }),
  ],
}

function timedAct(act: SocketAct | WaitStep): Omit<Timed, 'reach'>[] {
  if (act.kind === 'wait') return []
  return [{ name: act.name, isRequest: true, checks: [], keeps: act.kind === 'await' ? act.keeps : [] }]
}

function actLines(act: SocketAct | WaitStep): OutlineLine[] {
  if (act.kind === 'wait') return WAIT.outline(act)
  return [outlineLine(act.at, { sort: 'request', method: act.kind, label: act.name })]
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
