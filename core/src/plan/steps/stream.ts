// `stream: GET /departures`: server-sent events, and what is awaited of them.
import { isMap, type Node } from 'yaml'
import { readKeep } from '../assertions.js'
import type { StepContext } from '../context.js'
import { offsetOf, readList } from '../fields.js'
import type { AwaitAct, StreamStep, WaitStep } from '../model.js'
import { NOTHING_INSIDE, type StepKind } from './kind.js'
import { readTimeout } from './shared.js'
import { namesInTalk, outlineOfTalk, readAwait, readOpening, timedTalk } from './talk.js'
import { readWait } from './wait.js'

/** Under which a stream that was lost is opened again: from its loss until it is there. */
export const reconnectName = ({ name }: Pick<StreamStep, 'name'>): string => `${name}: reconnect`

export const STREAM: StepKind<StreamStep> = {
  read(context, node) {
    const read = readOpening(context, node, 'stream')
    if (read === undefined) return []
    const { fields, opening } = read
    const items = readList(context.source, fields.get('steps')?.value ?? null, 'steps')
    const acts = items.flatMap((item) => readAct(context, item, opening.name))
    const staysMs = readTimeout(context.source, fields.get('for'), 'for')
    if (acts.length === 0 && staysMs === undefined && items.length === 0)
      context.source.report(offsetOf(node), 'EMPTY', 'a stream needs steps to await, or for: how long it stays open')
    return [{ ...opening, acts, staysMs }]
  },
  ...NOTHING_INSIDE,
  timed: (step) => [
    ...timedTalk(step),
    { name: reconnectName(step), isRequest: true, reach: 'not counted', checks: [], keeps: [] },
  ],
  names: namesInTalk,
  outline: (step) => outlineOfTalk(step, 'SSE'),
}

function readAct(context: StepContext, node: Node, stream: string): (AwaitAct | WaitStep)[] {
  const { source } = context
  if (isMap(node) && node.has('wait')) return readWait(source, node)
  if (isMap(node) && node.has('await')) {
    const read = readAwait(context, node, 'event', stream)
    const sentAt = read?.fields.get('sent at')
    if (read === undefined) return []
    return [{ ...read.act, sentAt: sentAt === undefined ? undefined : readKeep(context, 'sentAt', sentAt) }]
  }
  source.report(offsetOf(node), 'STEP', 'a step of a stream is await or wait')
  return []
}
