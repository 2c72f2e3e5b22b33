// `socket: GET /departures`: a WebSocket with what is said and awaited on it.
import { isMap, type Node } from 'yaml'
import type { StepContext } from '../context.js'
import { offsetOf, placeOf, readFields, readList, readText } from '../fields.js'
import type { AwaitAct, SayAct, SocketStep, WaitStep } from '../model.js'
import { readJson } from '../texts.js'
import { NOTHING_INSIDE, type StepKind } from './kind.js'
import { namesInTalk, outlineOfTalk, readAwait, readOpening, timedTalk } from './talk.js'
import { readWait } from './wait.js'

export const SOCKET: StepKind<SocketStep> = {
  read(context, node) {
    const read = readOpening(context, node, 'socket')
    if (read === undefined) return []
    const { fields, opening } = read
    const items = readList(context.source, fields.get('steps')?.value ?? null, 'steps')
    return [{ ...opening, acts: items.flatMap((item) => readAct(context, item, opening.name)) }]
  },
  ...NOTHING_INSIDE,
  timed: timedTalk,
  names: namesInTalk,
  outline: (step) => outlineOfTalk(step, 'WS'),
}

function readAct(context: StepContext, node: Node, socket: string): (SayAct | AwaitAct | WaitStep)[] {
  const { source } = context
  if (isMap(node) && node.has('wait')) return readWait(source, node)
  if (isMap(node) && node.has('say')) return [readSay(context, node, socket)]
  if (isMap(node) && node.has('await')) return [readAwait(context, node, 'await', socket)?.act ?? []].flat()
  source.report(offsetOf(node), 'STEP', 'a step of a socket is say, await or wait')
  return []
}

function readSay({ source }: StepContext, node: Node, socket: string): SayAct {
  const fields = readFields(source, node, 'this say', 'say')
  const name = readText(source, fields.get('name'), 'name') ?? `${socket}: say`
  const [said, at] = [fields.get('say'), placeOf(source, node)]
  if (said === undefined || !isMap(said.value))
    return { kind: 'say', name, json: undefined, text: readText(source, said, 'say'), at }
  const inner = readFields(source, said.value, 'say', 'message')
  const json = inner.get('json')
  return json === undefined
    ? { kind: 'say', name, json: undefined, text: readText(source, inner.get('text'), 'text'), at }
    : { kind: 'say', name, json: readJson(source, json.value), text: undefined, at }
}
