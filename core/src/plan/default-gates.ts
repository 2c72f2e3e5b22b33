// Gates that every run is held to, where its plan has none of its own: without them a run in which everything fails
// could be open.
import { isUpperLimit } from '../language/comparisons.js'
import { readSentence, type Measure } from '../language/sentences.js'
import { allSteps, timedOf } from './steps/walk.js'
import type { Gate, Journey, Phase, Plan } from './model.js'

const MOST_FAILED = 'at most 1 %'

/**
 * The gates that a run of a plan is judged by: its own, then the default ones.
 *
 * A default gate covers the steps or journeys, and the phases, that no gate of the plan on the same measure covers: so
 * a step whose failures the plan allows keeps its own limit, and nothing else goes unseen. A gate against a baseline
 * covers nothing, since it may have none; nor does a lower limit, or a count that a scaled run does not judge.
 */
export function gatesOf(plan: Plan): Gate[] {
  return [...plan.gates, ...defaultRequestGates(plan), ...defaultJourneyGates(plan)]
}

/** What may fail: a step or a journey, with the measured phases in which it comes. */
interface Subject {
  name: string
  phases: Phase[]
}

function defaultRequestGates(plan: Plan): Gate[] {
  const subjects = new Map<string, Subject>()
  for (const journey of plan.journeys) {
    const phases = phasesOf(plan, journey)
    for (const { name, isRequest } of timedOf(journey.steps))
      if (isRequest) subjects.set(name, { name, phases: union(subjects.get(name)?.phases ?? [], phases) })
  }
  const own = gatesOn(plan, 'failed requests').filter(({ journey }) => journey === undefined)
  const left = leftOf([...subjects.values()], own, ({ of }, name) => of.kind !== 'names' || of.names.includes(name))
  return [...grouped(left)].map(([during, names]) => {
    const of = names.length === subjects.size ? '' : ` of ${names.map(quoted).join(', ')}`
    return defaultGate(plan, `failed requests${of}${during} ${MOST_FAILED}`)
  })
}

function defaultJourneyGates(plan: Plan): Gate[] {
  const subjects = plan.journeys
    .filter(({ steps }) => [...allSteps(steps)].length > 0)
    .map((journey) => ({ name: journey.name, phases: phasesOf(plan, journey) }))
  const own = gatesOn(plan, 'failed journeys')
  const left = leftOf(subjects, own, ({ journey }, name) => journey === undefined || journey === name)
  return [...grouped(left)].flatMap(([during, names]) =>
    names.length === subjects.length
      ? [defaultGate(plan, `failed journeys${during} ${MOST_FAILED}`)]
      : names.map((name) => defaultGate(plan, `failed journeys in journey ${quoted(name)}${during} ${MOST_FAILED}`)),
  )
}

/** Gates that would notice too many failures. */
function gatesOn(plan: Plan, kind: Measure['kind']): Gate[] {
  return plan.gates.filter(
    ({ measure, limit, comparison, isScaled }) =>
      measure.kind === kind && limit.kind === 'fixed' && isUpperLimit(comparison) && !isScaled,
  )
}

/** The measured phases in which a journey is walked: those of its own track, or of the common one. */
function phasesOf({ load }: Plan, { name }: Journey): Phase[] {
  const hasOwn = load.phases.some(({ track }) => track === name)
  return load.phases.filter(({ track, measured }) => measured && track === (hasOwn ? name : null))
}

interface Left {
  name: string
  /** The phases that no gate covers, as a gate names them; empty for all of them. */
  during: string
}

function leftOf(
  subjects: readonly Subject[],
  own: readonly Gate[],
  covers: (gate: Gate, name: string) => boolean,
): Left[] {
  return subjects.flatMap(({ name, phases }) => {
    const gates = own.filter((gate) => covers(gate, name))
    const open = phases.filter((phase) => !gates.some((gate) => isDuring(gate, phase)))
    if (open.length === 0 && gates.length > 0) return []
    const during = open.length === phases.length ? '' : ` during ${open.map((phase) => quoted(phase.name)).join(', ')}`
    return [{ name, during }]
  })
}

const isDuring = ({ during }: Gate, { name, ladder }: Phase): boolean =>
  during.length === 0 || during.includes(name) || (ladder !== null && during.includes(ladder))

/** Names by the phases that are left of them: those with the same phases are one gate. */
function grouped(left: readonly Left[]): Map<string, string[]> {
  const groups = new Map<string, string[]>()
  for (const { name, during } of left) groups.set(during, [...(groups.get(during) ?? []), name])
  return groups
}

const union = (one: readonly Phase[], other: readonly Phase[]): Phase[] => [...new Set([...one, ...other])]

/** A gate that stands in no line of the plan. */
function defaultGate({ file }: Plan, rule: string): Gate {
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) throw new Error(`"${rule}" is no gate: ${parsed.fault.message}`)
  const at = { file, line: 0, column: 0 }
  return { ...parsed.value, rule, written: rule, stop: undefined, isScaled: false, isDefault: true, at }
}

/** As the sentences of gates read a name: with every escape of JSON. */
const quoted = (name: string): string => JSON.stringify(name)
