// What a run can measure: the names behind the numbers in its buckets.
import { isUpperLimit } from '../language/comparisons.js'
import type { Check, Phase, Plan } from '../plan/model.js'
import type { Target } from '../plan/target-model.js'
import { groupsOf, mostRequestsIn, reachOf, timedOf } from '../plan/steps/walk.js'
import { journeyArrivals, type JourneyArrivals } from '../load/journey-arrivals.js'
import type { PhasePreview } from '../load/phase-previews.js'

export interface ShapePhase {
  name: string
  kind: Phase['kind']
  /** The journey whose own track this is, or null for the common one. */
  track: string | null
  /** The ladder of which it is a level. */
  ladder: string | null
  seconds: number
  measured: boolean
  arrivalsDue: number
  rates: [number, number]
  users: [number, number]
}

export interface RunShape {
  phases: ShapePhase[]
  /** Steps of the same name pool their samples. */
  steps: {
    name: string
    journeys: string[]
    group: string | null
    /** A call into a script loads no target: it is listed only when it fails. */
    isRequest: boolean
  }[]
  groups: string[]
  journeys: string[]
  /** Those of the response time know its upper limit. */
  checks: { step: number; name: string; limitMs?: number }[]
  /** Requests one after another in one walk through each group and journey, at most; runs of old have none. */
  requestsIn?: { groups: number[]; journeys: number[] }
  /** What each journey comes to, and which part of its iterations; runs of old have none. */
  reach?: { step: number; share: number | null }[][]
  /** Whether arrivals of each journey are due in measured phases; runs of old do not know. */
  journeyArrivals?: JourneyArrivals[]
  /** Data sets with their number of rows; runs of old have none. */
  data?: { name: string; rows: number }[]
  /** Where its load is made; of a run without places undefined. */
  places?: string[]
  /** What its users come over; of a run without networks undefined. */
  networks?: string[]
  metrics: { name: string; unit: string; ceiling: number | null }[]
  /** Where a person opens a trace, where the target says it: an address with {trace}. */
  traces?: string | undefined
  drainMs: number
}

/**
 * The shape of a plan; the indices of its lists are the numbers in buckets.
 *
 * @param previews - of its phases, for their lengths and rates
 * @param target - for its metrics and where its traces are read
 */
export function shapeOf(
  plan: Plan,
  previews: readonly PhasePreview[],
  { metrics, traces }: Pick<Target, 'metrics' | 'traces'> = { metrics: [], traces: undefined },
): RunShape {
  const groups = plan.journeys.flatMap((journey) => [...groupsOf(journey.steps)])
  const groupNames = [...new Set(groups.map((group) => group.name))]
  const shape: RunShape = {
    phases: plan.load.phases.map((phase, index) => ({
      name: phase.name,
      kind: phase.kind,
      track: phase.track,
      ladder: phase.ladder,
      seconds: phase.seconds,
      measured: phase.measured,
      arrivalsDue: previews[index]?.arrivals ?? 0,
      rates: previews[index]?.rates ?? [0, 0],
      users: previews[index]?.users ?? [0, 0],
    })),
    steps: [],
    groups: groupNames,
    journeys: plan.journeys.map((journey) => journey.name),
    checks: [],
    requestsIn: {
      groups: groupNames.map((name) =>
        Math.max(...groups.filter((group) => group.name === name).map(({ steps }) => mostRequestsIn(steps))),
      ),
      journeys: plan.journeys.map(({ steps }) => mostRequestsIn(steps)),
    },
    reach: [],
    journeyArrivals: journeyArrivals(
      plan,
      previews.map(({ arrivals }) => arrivals),
    ),
    data: plan.data.map(({ name, rows }) => ({ name, rows: rows.count })),
    metrics: metrics.map(({ name, unit, ceiling }) => ({ name, unit, ceiling: ceiling ?? null })),
    ...(plan.places === undefined ? {} : { places: plan.places.map((place) => place.name) }),
    ...(plan.networks === undefined ? {} : { networks: plan.networks.map((network) => network.name) }),
    traces,
    drainMs: plan.load.drainMs,
  }
  for (const journey of plan.journeys) {
    for (const timed of timedOf(journey.steps)) {
      const step = stepIndex(shape, timed.name)
      const entry = shape.steps[step]
      if (entry !== undefined) entry.isRequest = timed.isRequest
      if (entry !== undefined && !entry.journeys.includes(journey.name)) entry.journeys.push(journey.name)
      for (const check of timed.checks) addCheck(shape, step, check)
    }
    shape.reach?.push(reachOf(journey.steps).map(({ name, share }) => ({ step: stepIndex(shape, name), share })))
    for (const group of groupsOf(journey.steps)) {
      for (const timed of timedOf(group.steps)) {
        const entry = shape.steps[stepIndex(shape, timed.name)]
        if (entry !== undefined) entry.group = group.name
      }
    }
  }
  return shape
}

/** Begin and end of each phase in ms from the start of the load; every track begins at 0. */
export function phaseRanges(shape: Pick<RunShape, 'phases'>): { fromMs: number; toMs: number }[] {
  const reached = new Map<string | null, number>()
  return shape.phases.map((phase) => {
    const fromMs = reached.get(phase.track) ?? 0
    const toMs = fromMs + phase.seconds * 1000
    reached.set(phase.track, toMs)
    return { fromMs, toMs }
  })
}

/** Number of a step, by name; adds it when it is new. */
function stepIndex(shape: RunShape, name: string): number {
  const found = shape.steps.findIndex((step) => step.name === name)
  return found >= 0 ? found : shape.steps.push({ name, journeys: [], group: null, isRequest: true }) - 1
}

function addCheck(shape: RunShape, step: number, { name, subject, test }: Check): void {
  if (shape.checks.some((check) => check.step === step && check.name === name)) return
  const isUpper = subject.kind === 'response time' && test.kind === 'bound' && isUpperLimit(test.comparison)
  shape.checks.push({ step, name, ...(isUpper ? { limitMs: test.limit.value } : {}) })
}

/** What is not in the shape, such as a step of setup, has this number: nothing is recorded of it. */
export const NOT_MEASURED = -1

/** The numbers of steps and checks in a shape, by name. */
export class Numbers {
  private readonly steps: ReadonlyMap<string, number>
  private readonly checks: ReadonlyMap<string, number>

  constructor({ steps, checks }: RunShape) {
    this.steps = new Map(steps.map(({ name }, number) => [name, number]))
    this.checks = new Map(checks.map(({ step, name }, number) => [`${String(step)} ${name}`, number]))
  }

  ofStep(name: string): number {
    return this.steps.get(name) ?? NOT_MEASURED
  }

  ofCheck(step: number, name: string): number {
    return this.checks.get(`${String(step)} ${name}`) ?? NOT_MEASURED
  }
}
