// A wait between steps, from a node to the model.
import type { Node } from 'yaml'
import { offsetOf, placeOf, readFields, readPhrase } from './fields.js'
import type { WaitStep } from './model.js'
import type { Source } from './source.js'

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
