// `wait: 2s to 5s`: think time.
import type { Node } from 'yaml'
import type { WaitSentence } from '../../language/sentences.js'
import { offsetOf, placeOf, readFields, readPhrase } from '../fields.js'
import type { WaitStep } from '../model.js'
import type { Source } from '../source.js'
import { NOT_TIMED, NOTHING_INSIDE, outlineLine, type StepKind } from './kind.js'

export const WAIT: StepKind<WaitStep> = {
  read: ({ source }, node) => readWait(source, node),
  ...NOTHING_INSIDE,
  ...NOT_TIMED,
  names: () => [],
  outline: ({ wait, at }) => [outlineLine(at, { sort: 'wait', label: waitWords(wait) })],
}

/** A wait, which may stand among the acts of a socket, too. */
export function readWait(source: Source, node: Node): WaitStep[] {
  const fields = readFields(source, node, 'this wait step', 'wait')
  const field = fields.get('wait')
  const wait = field === undefined ? undefined : readPhrase(source, field.value, 'WaitOnly', 'wait')
  if (wait === undefined) return []
  if (wait.kind === 'between' && wait.toMs < wait.fromMs) {
    source.report(offsetOf(field?.value ?? null), 'RANGE', 'a range must go from the smaller to the larger number')
  }
  return [{ kind: 'wait', wait, at: placeOf(source, node) }]
}

/** A wait in words, such as "wait 2 s to 5 s". */
export function waitWords(wait: WaitSentence): string {
  const time = (ms: number) => (ms < 1000 ? `${String(ms)} ms` : `${String(ms / 1000)} s`)
  if (wait.kind === 'about') return `wait about ${time(wait.medianMs)}`
  return wait.fromMs === wait.toMs ? `wait ${time(wait.fromMs)}` : `wait ${time(wait.fromMs)} to ${time(wait.toMs)}`
}
