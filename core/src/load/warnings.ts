// What a plan's author should know before a run: what would make it void, or decide nothing.
import { isUpperLimit } from '../language/comparisons.js'
import { GRADES } from '../language/grades.js'
import { familyOf } from '../plan/measures.js'
import type { Gate, Keep, Plan, Step } from '../plan/model.js'
import { allSteps, sendsOf, timedOf } from '../plan/steps/walk.js'
import { expectedOf, phasesOfGate, sampleWarning, type GateSamples, type LoadedGates } from './gate-samples.js'
import { journeyArrivals } from './journey-arrivals.js'
import type { PhasePreview } from './phase-previews.js'
import { RECOVERED_WINDOWS, REFERENCE_WINDOWS, WINDOW_SECONDS } from './window-sizes.js'

export interface Warning {
  line: number
  message: string
}

/** What is worth knowing of a plan that was read without errors. */
export function warningsOf(loaded: LoadedGates, samples: readonly GateSamples[]): Warning[] {
  const { plan, phases } = loaded
  const { gates } = plan
  const ofGate = (warn: (gate: Gate) => string | undefined) =>
    gates.flatMap((gate) => {
      const message = warn(gate)
      return message === undefined ? [] : [{ line: gate.at.line, message }]
    })
  return [
    ...nothingMeasured(plan, phases),
    ...absentJourneys(plan, phases),
    ...samples.flatMap((one) => {
      const message = sampleWarning(one, plan.strict)
      return message === undefined ? [] : [{ line: one.line, message }]
    }),
    ...gates.flatMap((gate) => unmeasuredPhases(plan, gate)),
    ...spentData(plan, phases),
    ...ofGate(({ measure }) =>
      measure.kind === 'recovery' ? recoveryWarning(plan, phases, measure.phase) : undefined,
    ),
    ...ofGate(alwaysHeld),
    ...ofGate((gate) => withoutWarmUp(loaded, gate)),
    ...shortDrain(plan),
    ...sharedNames(plan),
    ...dispensableKeeps(plan),
  ]
}

function unmeasuredPhases({ load }: Plan, { during, at }: Gate): Warning[] {
  const names = during.filter((name) =>
    load.phases.some((phase) => (phase.name === name || phase.ladder === name) && !phase.measured),
  )
  return names.map((name) => ({
    line: at.line,
    message: `the phase "${name}" is warm-up: this gate would have no samples`,
  }))
}

function spentData(plan: Plan, phases: readonly PhasePreview[]): Warning[] {
  const needed = sumOf(phases, (phase) => phase.arrivals)
  return plan.data.flatMap(({ take, then, rows, file, at }) => {
    if (take !== 'once each' || then !== 'void' || needed <= rows.count) return []
    const message = `${file} has ${String(rows.count)} rows, each taken once, but ${String(needed)} arrivals are due: the run would be void`
    return [{ line: at.line, message }]
  })
}

function absentJourneys(plan: Plan, phases: readonly PhasePreview[]): Warning[] {
  const arrivals = journeyArrivals(
    plan,
    phases.map((phase) => phase.arrivals),
  )
  return plan.journeys.flatMap(({ name, at }, index) =>
    arrivals[index] === 'none'
      ? [
          {
            line: at.line,
            message: `the journey "${name}" is not in this run: no arrival of it is due in a measured phase`,
          },
        ]
      : [],
  )
}

/** A limit that no run can miss is no limit. */
function alwaysHeld({ comparison, limit, measure }: Gate): string | undefined {
  if (limit.kind !== 'fixed') return undefined
  const isUpper = isUpperLimit(comparison)
  const family = familyOf(measure)
  const isShare = limit.unit === 'share' && (family === 'share or count' || family === 'busy share')
  const isOverAll = isUpper && isShare && (comparison === 'under' ? limit.value > 1 : limit.value >= 1)
  const isWorst = family === 'grade' && comparison === 'at most' && limit.value === GRADES.length - 1
  const isNothing = comparison === 'at least' && limit.value === 0 && family !== 'metric'
  return isOverAll || isWorst || isNothing ? 'this limit cannot be missed: the gate decides nothing' : undefined
}

/** Of the load's own rate; under it what is missing at the beginning does not matter. */
const NEAR_THE_RATE = 0.9

/** Requests are counted where they end: in the first moments of a load none does. */
function withoutWarmUp(loaded: LoadedGates, gate: Gate): string | undefined {
  const { measure, comparison, limit } = gate
  if (measure.kind !== 'throughput' || isUpperLimit(comparison) || limit.kind !== 'fixed') return undefined
  const covered = phasesOfGate(loaded, gate)
  const begin = Math.min(...covered.map(({ fromSeconds }) => fromSeconds))
  const seconds = Math.max(...covered.map(({ toSeconds }) => toSeconds)) - begin
  const isLoaded = ({ fromSeconds, toSeconds, rates, users }: PhasePreview) =>
    fromSeconds < begin && toSeconds >= begin && Math.max(...rates, ...users) > 0
  const expected = expectedOf(loaded, gate)
  if (expected === null || expected === 0 || loaded.phases.some(isLoaded)) return undefined
  return limit.value > (NEAR_THE_RATE * expected) / seconds
    ? 'throughput counts requests that end, and none does in the first moments of this load: begin with a phase of warm-up (measure: no)'
    : undefined
}

/** A drain in which not all that is under way can end. */
function shortDrain({ load, journeys }: Plan): Warning[] {
  const steps = journeys.flatMap((journey) => [...allSteps(journey.steps)])
  const longest = (ms: readonly number[]) => Math.max(0, ...ms)
  const wait = longest(steps.map(longestWaitMs))
  const timeout = longest(steps.map((step) => ('timeoutMs' in step ? step.timeoutMs : 0)))
  const line = load.phases.at(-1)?.at.line
  const [what, ms] = wait > timeout ? ['longest wait', wait] : ['longest time limit of a request', timeout]
  if (line === undefined || load.drainMs >= ms) return []
  const message = `the drain (${secondsWords(load.drainMs)}) is shorter than the ${what} (${secondsWords(ms)}): what is under way when the load ends may be cut off`
  return [{ line, message }]
}

const secondsWords = (ms: number): string => (ms < 1000 ? `${String(ms)} ms` : `${String(ms / 1000)} s`)

function longestWaitMs(step: Step): number {
  if (step.kind !== 'wait') return 0
  return step.wait.kind === 'about' ? step.wait.medianMs : step.wait.toMs
}

/** Steps of one name in several journeys: one may fail unseen among the others. */
function sharedNames(plan: Plan): Warning[] {
  const journeysBy = new Map<string, Set<string>>()
  for (const { name: journey, steps } of plan.journeys)
    for (const { name } of timedOf(steps)) journeysBy.set(name, (journeysBy.get(name) ?? new Set()).add(journey))
  const shared = [...journeysBy].filter(([, journeys]) => journeys.size > 1)
  const [first] = shared
  const line = plan.journeys[1]?.at.line
  if (first === undefined || line === undefined) return []
  const names = shared.map(([name]) => `"${name}"`).join(', ')
  const [journey = ''] = first[1]
  return [
    {
      line,
      message: `${shared.length === 1 ? 'a step' : 'steps'} of one name in several journeys (${names}): their samples count together; give them names of their own, or say in journey "${journey}" in a gate`,
    },
  ]
}

/** Keeps that find nothing end an iteration; those that only a query needs could do without. */
function dispensableKeeps(plan: Plan): Warning[] {
  return plan.journeys.flatMap(({ steps }) => {
    const sends = [...sendsOf(steps)]
    const queries = new Set(sends.flatMap(({ url }) => [...url.matchAll(QUERY)].flatMap(namesOf)))
    const rest = JSON.stringify(steps).replaceAll(QUERY, '')
    const isNeeded = ({ name }: Keep) => rest.includes(`{${name}}`) || rest.includes(`"kind":"name","name":"${name}"`)
    return sends
      .flatMap(({ keeps }) => keeps)
      .filter(
        (keep) => keep.or === undefined && queries.has(keep.name) && !isNeeded(keep) && keep.at.file === plan.file,
      )
      .map(({ name, at }) => ({
        line: at.line,
        message: `where "${name}" is not found the iteration ends; only a query needs it: to go on without it, add or ""`,
      }))
  })
}

const QUERY = /\{[?&]([^{}]*)\}/g
const namesOf = ([, names = '']: RegExpMatchArray): string[] =>
  names.split(',').map((name) => name.replace(/[*:].*$/, ''))

function nothingMeasured(plan: Plan, phases: readonly PhasePreview[]): Warning[] {
  const isMeasured = phases.some(({ measured, arrivals, users }) => measured && arrivals + Math.max(...users) > 0)
  const line = plan.load.phases[0]?.at.line
  if (isMeasured || line === undefined) return []
  return [{ line, message: 'no arrival is due in a measured phase: the run would be void' }]
}

/** What keeps a recovery from being measured, as far as the load tells. */
function recoveryWarning(plan: Plan, phases: readonly PhasePreview[], name: string): string | undefined {
  const number = plan.load.phases.findLastIndex((phase) => phase.name === name || phase.ladder === name)
  const peak = phases[number]
  if (peak === undefined) return undefined
  const highest = (phase: PhasePreview) => Math.max(...phase.rates, ...phase.users)
  const windows = (fromSeconds: number, toSeconds: number) =>
    Math.floor(toSeconds / WINDOW_SECONDS) - Math.ceil(fromSeconds / WINDOW_SECONDS)
  const isReference = (phase: PhasePreview) =>
    phase.measured &&
    phase.toSeconds <= peak.fromSeconds &&
    highest(phase) <= highest(peak) &&
    windows(phase.fromSeconds, phase.toSeconds) >= REFERENCE_WINDOWS
  if (!phases.some(isReference))
    return `recovery after "${name}" needs a measured phase of a minute or more before it, of no higher rate: the gate would be unmeasured`
  const end = Math.max(0, ...phases.flatMap((phase) => (phase.measured ? [phase.toSeconds] : [])))
  return windows(peak.toSeconds, end) >= RECOVERED_WINDOWS
    ? undefined
    : `recovery after "${name}" needs 25 seconds of measured load after it: the gate would be unmeasured`
}

function sumOf<T>(items: readonly T[], value: (item: T, index: number) => number): number {
  return items.reduce((total, item, index) => total + value(item, index), 0)
}
