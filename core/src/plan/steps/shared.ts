// The keys that several kinds of steps have, and the defaults for all of them.
import { isSeq, type Node } from 'yaml'
import { readCheck, readKeep, type CheckOptions } from '../assertions.js'
import { readWord, type Defaults, type StepContext } from '../context.js'
import { offsetOf, readEntries, readFields, readList, readPhrase, type Field } from '../fields.js'
import type { Check, Keep, OnFailure, Step } from '../model.js'
import type { Source } from '../source.js'
import { readTextMap } from '../texts.js'
import type { ReadSteps } from './kind.js'

export const NO_DEFAULTS: Defaults = { headers: [], timeoutMs: 30_000, checks: [], onFailure: 'continue' }

/** What every request has unless it says otherwise. */
export function readDefaults(context: StepContext, node: Node | null): Defaults {
  const { source } = context
  const fields = readFields(source, node, 'defaults', 'defaults')
  return {
    headers: readTextMap(source, fields.get('headers')?.value ?? null, 'headers'),
    timeoutMs: readTimeout(source, fields.get('timeout')) ?? NO_DEFAULTS.timeoutMs,
    checks: readChecks(context, fields.get('check')),
    onFailure: readOnFailure(source, fields.get('on failure')) ?? NO_DEFAULTS.onFailure,
  }
}

export function readOnFailure(source: Source, field: Field | undefined): OnFailure | undefined {
  return readWord(source, field, 'on failure', ['continue', 'end iteration'])
}

export function readChecks(context: StepContext, field: Field | undefined, options: CheckOptions = {}): Check[] {
  if (field === undefined) return []
  return readList(context.source, field.value, 'check').flatMap((item) => readCheck(context, item, options) ?? [])
}

export function readKeeps(context: StepContext, field: Field | undefined): Keep[] {
  if (field === undefined) return []
  return [...readEntries(context.source, field.value, 'keep')].flatMap(
    ([name, entry]) => readKeep(context, name, entry) ?? [],
  )
}

export function readTimeout(source: Source, field: Field | undefined, what = 'timeout'): number | undefined {
  return field === undefined ? undefined : readPhrase(source, field.value, 'DurationOnly', what)
}

/** The steps inside a step, of which there must be one. */
export function readInnerSteps(
  context: StepContext,
  node: Node,
  field: Field | undefined,
  what: string,
  readInside: ReadSteps,
): Step[] {
  const steps = readInside(context, field?.value ?? null, 'steps')
  const hasItems = isSeq(field?.value) && field.value.items.length > 0
  if (steps.length === 0 && !hasItems && (field === undefined || offsetOf(field.value) > 0))
    context.source.report(offsetOf(node), 'EMPTY', `${what} has no steps`)
  return steps
}
