// Gates that every run is held to, where its plan has none of its own: without them a run in which everything fails
// could be open.
import { readSentence, type Measure } from '../language/sentences.js'
import { allSteps, timedOf } from './walk.js'
import type { Gate, Plan } from './model.js'

const MOST_FAILED = 'at most 1 %'

/**
 * The gates that a run of a plan is judged by: its own, then the default ones.
 *
 * A default gate covers what no gate of the plan on the same measure covers, so that a step whose failures the plan
 * allows keeps its own limit. A gate against a baseline covers nothing, since it may have none.
 */
export function gatesOf(plan: Plan): Gate[] {
  return [...plan.gates, ...defaultRequestGates(plan), ...defaultJourneyGates(plan)]
}

function defaultRequestGates(plan: Plan): Gate[] {
  const steps = plan.journeys.flatMap(({ steps }) => [...timedOf(steps)])
  const names = [...new Set(steps.flatMap(({ name, isRequest }) => (isRequest ? [name] : [])))]
  const own = gatesOn(plan, 'failed requests').filter(({ journey }) => journey === undefined)
  const left = names.filter((name) => !own.some(({ of }) => of.kind !== 'names' || of.names.includes(name)))
  if (left.length === 0) return []
  const of = left.length === names.length ? '' : ` of ${left.map(quoted).join(', ')}`
  return [defaultGate(plan, `failed requests${of} ${MOST_FAILED}`)]
}

function defaultJourneyGates(plan: Plan): Gate[] {
  const names = plan.journeys.filter(({ steps }) => [...allSteps(steps)].length > 0).map(({ name }) => name)
  const own = gatesOn(plan, 'failed journeys')
  const left = names.filter((name) => !own.some(({ journey }) => journey === undefined || journey === name))
  if (left.length === names.length && names.length > 0) return [defaultGate(plan, `failed journeys ${MOST_FAILED}`)]
  return left.map((name) => defaultGate(plan, `failed journeys in journey ${quoted(name)} ${MOST_FAILED}`))
}

function gatesOn(plan: Plan, kind: Measure['kind']): Gate[] {
  return plan.gates.filter(({ measure, limit }) => measure.kind === kind && limit.kind === 'fixed')
}

/** A gate that stands in no line of the plan. */
function defaultGate({ file }: Plan, rule: string): Gate {
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) throw new Error(`"${rule}" is no gate: ${parsed.fault.message}`)
  const at = { file, line: 0, column: 0 }
  return { ...parsed.value, rule, written: rule, stop: undefined, isScaled: false, isDefault: true, at }
}

/** As the sentences of gates read a name: with every escape of JSON. */
const quoted = (name: string): string => JSON.stringify(name)
