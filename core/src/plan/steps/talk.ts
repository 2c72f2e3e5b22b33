// What steps share that open a connection and do something on it: a WebSocket, and a stream of events.
import { type Node, type YAMLMap } from 'yaml'
import { readCheck } from '../assertions.js'
import type { StepContext } from '../context.js'
import { offsetOf, placeOf, readFields, readSwitch, readText, type Field } from '../fields.js'
import type { AwaitAct, SayAct, SocketStep, StreamStep, WaitStep } from '../model.js'
import { readTextMap, textsOfJson } from '../texts.js'
import { outlineLine, type NameScope, type OutlineLine, type Timed } from './kind.js'
import { readKeeps, readOnFailure, readTimeout } from './shared.js'
import { WAIT } from './wait.js'

type Talk = SocketStep | StreamStep
type Act = SayAct | AwaitAct | WaitStep

/** How it is opened, and what holds for all that is done on it; undefined where it cannot be read. */
export function readOpening<Kind extends Talk['kind']>({ source, defaults }: StepContext, node: YAMLMap, kind: Kind) {
  const fields = readFields(source, node, `this ${kind} step`, kind)
  const field = fields.get(kind)
  const written = readText(source, field, kind)
  if (written === undefined || field === undefined) return undefined
  const url = /^GET\s+(\S+)$/.exec(written)?.[1]
  if (url === undefined) {
    source.report(offsetOf(field.value), 'REQUEST', `${kind} needs GET and a URL, found "${written}"`)
    return undefined
  }
  const own = readTextMap(source, fields.get('headers')?.value ?? null, 'headers')
  const opening = {
    kind,
    name: readText(source, fields.get('name'), 'name') ?? `${kind} ${url}`,
    url,
    with: readTextMap(source, fields.get('with')?.value ?? null, 'with'),
    headers: [...new Map([...defaults.headers, ...own])],
    timeoutMs: readTimeout(source, fields.get('timeout')) ?? defaults.timeoutMs,
    onFailure: readOnFailure(source, fields.get('on failure')) ?? defaults.onFailure,
    mayBeSkipped: readSwitch(source, fields.get('may be skipped'), 'may be skipped') ?? false,
    at: placeOf(source, node),
  }
  return { fields, opening }
}

/** What is waited for; `talk` names it where it has no name of its own. */
export function readAwait(
  context: StepContext,
  node: Node,
  kind: 'await' | 'event',
  talk: string,
): { act: AwaitAct; fields: ReadonlyMap<string, Field> } | undefined {
  const { source } = context
  const fields = readFields(source, node, 'this await', kind)
  const check = readCheck(context, fields.get('await')?.value ?? null, { isOfEvent: kind === 'event' })
  if (check === undefined) return undefined
  const act: AwaitAct = {
    kind: 'await',
    name: readText(source, fields.get('name'), 'name') ?? `${talk}: ${check.name}`,
    check,
    withinMs: readTimeout(source, fields.get('within')) ?? 5000,
    keeps: readKeeps(context, fields.get('keep')),
    sentAt: undefined,
    at: placeOf(source, node),
  }
  return { act, fields }
}

/** Its opening and all that is done on it, each under a name of its own. */
export function timedTalk({ name, acts, mayBeSkipped }: Talk): Timed[] {
  const each = acts.flatMap((act: Act) =>
    act.kind === 'wait' ? [] : [{ name: act.name, keeps: act.kind === 'await' ? act.keeps : [] }],
  )
  return [{ name, keeps: [] }, ...each].map((timed) => ({
    ...{ ...timed, isRequest: true, checks: [] },
    reach: mayBeSkipped ? 'may' : 'must',
  }))
}

export function namesInTalk(step: Talk, scope: NameScope): string[] {
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
}

export const outlineOfTalk = ({ name, acts, at }: Talk, method: string): OutlineLine[] => [
  outlineLine(at, { sort: 'request', method, label: name, lines: acts.flatMap(actLines) }),
]

const actLines = (act: Act): OutlineLine[] =>
  act.kind === 'wait'
    ? WAIT.outline(act)
    : [outlineLine(act.at, { sort: 'request', method: act.kind, label: act.name })]
