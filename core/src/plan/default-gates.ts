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
 * covers nothing, since it may have none; nor does one of a place or a network, which is not all, a lower limit, or a
 * count that a scaled run does not judge. Where the plan limits failed requests, the default for journeys leaves out
 * iterations that requests alone failed.
 */
export function gatesOf(plan: Plan): Gate[] {
  return [...plan.gates, ...defaultRequestGates(plan), ...defaultJourneyGates(plan)]
}

/** What may fail: a step of a journey, or a journey, with the measured phases in which it comes. */
interface Subject {
  name: string
  journey: string
  phases: Phase[]
}

function defaultRequestGates(plan: Plan): Gate[] {
  const subjects = stepsOf(plan)
  const left = leftOf(subjects, gatesOn(plan, 'failed requests'), coversStep)
  return [...groupedBy(left, ({ during }) => during)].flatMap(([during, some]) => {
    if (some.length === subjects.length) return [defaultGate(plan, `failed requests${during} ${MOST_FAILED}`)]
    const isWhole = ({ name }: Left) => countOf(some, name) === countOf(subjects, name)
    const whole = [...new Set(some.filter(isWhole).map(({ name }) => name))]
    const parts = groupedBy(
      some.filter((one) => !isWhole(one)),
      ({ journey }) => ` in journey ${quoted(journey)}`,
    )
    return [...(whole.length === 0 ? [] : [{ names: whole, within: '' }]), ...partsOf(parts)].map(({ names, within }) =>
      defaultGate(plan, `failed requests of ${names.map(quoted).join(', ')}${within}${during} ${MOST_FAILED}`),
    )
  })
}

const countOf = (some: readonly { name: string }[], name: string): number =>
  some.filter((one) => one.name === name).length

const partsOf = (parts: ReadonlyMap<string, readonly Left[]>): { names: string[]; within: string }[] =>
  [...parts].map(([within, some]) => ({ names: some.map(({ name }) => name), within }))

/** Each step of each journey, once. */
function stepsOf(plan: Plan): Subject[] {
  return plan.journeys.flatMap((journey) => {
    const phases = phasesOf(plan, journey)
    const names = [...timedOf(journey.steps)].flatMap(({ name, isRequest }) => (isRequest ? [name] : []))
    return [...new Set(names)].map((name) => ({ name, journey: journey.name, phases }))
  })
}

const coversStep = ({ of, journey }: Gate, step: { name: string; journey: string }): boolean =>
  (of.kind !== 'names' || of.names.includes(step.name)) && (journey === undefined || journey === step.journey)

function defaultJourneyGates(plan: Plan): Gate[] {
  const subjects = plan.journeys
    .filter(({ steps }) => [...allSteps(steps)].length > 0)
    .map((journey) => ({ name: journey.name, journey: journey.name, phases: phasesOf(plan, journey) }))
  const left = leftOf(
    subjects,
    gatesOn(plan, 'failed journeys'),
    ({ journey }, { name }) => journey === undefined || journey === name,
  )
  const onRequests = gatesOn(plan, 'failed requests')
  const steps = stepsOf(plan)
  const isLimited = ({ name }: Left) =>
    onRequests.some((gate) => steps.some((step) => step.journey === name && coversStep(gate, step)))
  return [true, false].flatMap((leavesOut) => {
    const some = left.filter((one) => isLimited(one) === leavesOut)
    return [...groupedBy(some, ({ during }) => during)].flatMap(([during, own]) => {
      const rules =
        own.length === subjects.length
          ? [`failed journeys${during} ${MOST_FAILED}`]
          : own.map(({ name }) => `failed journeys in journey ${quoted(name)}${during} ${MOST_FAILED}`)
      return rules.map((rule) => ({ ...defaultGate(plan, rule), leavesOutRequests: leavesOut }))
    })
  })
}

/** Gates that would notice too many failures. */
function gatesOn(plan: Plan, kind: Measure['kind']): Gate[] {
  return plan.gates.filter(
    ({ measure, limit, comparison, isScaled, place, network }) =>
      place === undefined &&
      network === undefined &&
      measure.kind === kind &&
      limit.kind === 'fixed' &&
      isUpperLimit(comparison) &&
      !isScaled,
  )
}

/** The measured phases in which a journey is walked: those of its own track, or of the common one. */
function phasesOf({ load }: Plan, { name }: Journey): Phase[] {
  const hasOwn = load.phases.some(({ track }) => track === name)
  return load.phases.filter(({ track, measured }) => measured && track === (hasOwn ? name : null))
}

interface Left {
  name: string
  journey: string
  /** The phases that no gate covers, as a gate names them; empty for all of them. */
  during: string
}

function leftOf(
  subjects: readonly Subject[],
  own: readonly Gate[],
  covers: (gate: Gate, subject: Subject) => boolean,
): Left[] {
  return subjects.flatMap((subject) => {
    const { name, journey, phases } = subject
    const gates = own.filter((gate) => covers(gate, subject))
    const open = phases.filter((phase) => !gates.some((gate) => isDuring(gate, phase)))
    if (open.length === 0 && gates.length > 0) return []
    const during = open.length === phases.length ? '' : ` during ${open.map((phase) => quoted(phase.name)).join(', ')}`
    return [{ name, journey, during }]
  })
}

const isDuring = ({ during }: Gate, { name, ladder }: Phase): boolean =>
  during.length === 0 || during.includes(name) || (ladder !== null && during.includes(ladder))

/** What is left by something that one gate can say of all of it. */
function groupedBy(left: readonly Left[], keyOf: (one: Left) => string): Map<string, Left[]> {
  const groups = new Map<string, Left[]>()
  for (const one of left) groups.set(keyOf(one), [...(groups.get(keyOf(one)) ?? []), one])
  return groups
}

/** A gate that stands in no line of the plan. */
function defaultGate({ file }: Plan, rule: string): Gate {
  const parsed = readSentence('Gate', rule)
  if (!parsed.ok) throw new Error(`"${rule}" is no gate: ${parsed.fault.message}`)
  const at = { file, line: 0, column: 0 }
  return {
    ...parsed.value,
    rule,
    written: rule,
    stop: undefined,
    isScaled: false,
    isDefault: true,
    leavesOutRequests: false,
    at,
  }
}

/** As the sentences of gates read a name: with every escape of JSON. */
const quoted = (name: string): string => JSON.stringify(name)
