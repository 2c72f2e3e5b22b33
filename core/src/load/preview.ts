// What a plan would send, worked out before anything is sent.
import { RECOVERED_WINDOWS, REFERENCE_WINDOWS, WINDOW_SECONDS } from './window-sizes.js'
import type { Gate, Phase, Plan } from '../plan/model.js'
import { expectedRequestsIn } from '../plan/steps/walk.js'
import { samplesNeeded } from '../numbers/percentiles.js'
import { MEASURES } from '../plan/measures.js'
import { Draws } from '../values/random.js'
import { rateAt, usersAt } from '../plan/phases.js'
import { arrivalCounts, tracksIn } from './arrivals.js'
import { loadSeconds } from './schedule.js'

export interface PhasePreview {
  name: string
  kind: Phase['kind']
  /** The journey whose own track this is, or null for the common one. */
  track: string | null
  measured: boolean
  fromSeconds: number
  toSeconds: number
  /** Arrivals due; 0 where users come again by themselves, since their number depends on the target. */
  arrivals: number
  /** Arrivals per second at the beginning and at the end. */
  rates: [number, number]
  /** Users of the closed model at the beginning and at the end. */
  users: [number, number]
}

export interface TrackPreview {
  /** The journey, or null for the common track. */
  name: string | null
  seconds: number
  arrivals: number
  peakRate: number
  mostUsers: number
  /** Mean time of its journeys, where they are known. */
  journeySeconds: number | null
}

export interface Preview {
  seconds: number
  arrivals: number
  /** Expected requests of the arrivals due, each step sent once. */
  requests: number
  /** Most arrivals a second, all tracks together. */
  peakRate: number
  peakRequestRate: number
  /** Most users of the closed model. */
  mostUsers: number
  /** Users in flight at the highest arrival rate, by Little's law, where journey times are known. */
  usersInFlight: number | null
  tracks: TrackPreview[]
  phases: PhasePreview[]
  warnings: { line: number; message: string }[]
}

/**
 * Works out the load of a plan that was read without errors.
 *
 * @param journeyMs - mean time of each journey in the last rehearsal or run, for the users in flight
 */
export function previewOf(plan: Plan, journeyMs: ReadonlyMap<string, number> = new Map()): Preview {
  const phases = phasesOf(plan)
  const arrivals = sumOf(phases, (phase) => phase.arrivals)
  const sends = (track: string | null) => requestsPerArrival(plan, track, () => true)
  const peakRate = peakOf(plan, phases, (rate) => rate)
  const inFlight = peakOf(plan, phases, (rate, track) => rate * ((meanJourneyMs(plan, track, journeyMs) ?? NaN) / 1000))
  return {
    seconds: loadSeconds(plan),
    arrivals,
    requests: sumOf(phases, (phase) => phase.arrivals * sends(phase.track)),
    peakRate,
    peakRequestRate: peakOf(plan, phases, (rate, track) => rate * sends(track)),
    mostUsers: sumOf(tracksIn(plan.load.phases), ({ name }) =>
      Math.max(...phases.filter((phase) => phase.track === name).flatMap((phase) => phase.users)),
    ),
    usersInFlight: Number.isFinite(inFlight) ? inFlight : null,
    tracks: tracksIn(plan.load.phases).map(({ name }) => {
      const own = phases.filter((phase) => phase.track === name)
      return {
        name,
        seconds: Math.max(...own.map((phase) => phase.toSeconds)),
        arrivals: sumOf(own, (phase) => phase.arrivals),
        peakRate: Math.max(...own.flatMap((phase) => phase.rates)),
        mostUsers: Math.max(...own.flatMap((phase) => phase.users)),
        journeySeconds: secondsOf(meanJourneyMs(plan, name, journeyMs)),
      }
    }),
    phases,
    warnings: warningsOf(plan, phases),
  }
}

const secondsOf = (ms: number | undefined) => (ms === undefined ? null : ms / 1000)

function phasesOf(plan: Plan): PhasePreview[] {
  const counts = arrivalCounts(plan.load.phases, new Draws(plan.seed))
  const starts = new Map<string | null, number>()
  return plan.load.phases.map((phase, index) => {
    const fromSeconds = starts.get(phase.track) ?? 0
    const toSeconds = fromSeconds + phase.seconds
    starts.set(phase.track, toSeconds)
    return {
      name: phase.name,
      kind: phase.kind,
      track: phase.track,
      measured: phase.measured,
      fromSeconds,
      toSeconds,
      arrivals: counts[index] ?? 0,
      rates: [rateAt(phase, 0), rateAt(phase, phase.seconds)],
      users: [usersAt(phase, 0), usersAt(phase, phase.seconds)],
    }
  })
}

/**
 * The highest sum over all tracks of something that goes with the arrival rate; rates are linear, so it lies at an end
 * of a phase.
 */
function peakOf(plan: Plan, phases: PhasePreview[], value: (rate: number, track: string | null) => number): number {
  const moments = new Set(phases.flatMap((phase) => [phase.fromSeconds, phase.toSeconds]))
  let most = 0
  for (const moment of moments) {
    for (const side of [-1e-9, 1e-9]) {
      const at = moment + side
      const sum = sumOf(phases, (phase, index) => {
        const model = plan.load.phases[index]
        if (model === undefined || at < phase.fromSeconds || at > phase.toSeconds) return 0
        const rate = rateAt(model, at - phase.fromSeconds)
        return rate === 0 ? 0 : value(rate, phase.track)
      })
      if (Number.isNaN(sum)) return NaN
      most = Math.max(most, sum)
    }
  }
  return most
}

/** Mean time of a journey of a track by the weights, or undefined when one of them is not known. */
function meanJourneyMs(plan: Plan, track: string | null, journeyMs: ReadonlyMap<string, number>): number | undefined {
  const journeys = journeysOf(plan, track)
  const weights = sumOf(journeys, ({ weight }) => weight)
  const times = journeys.map(({ journey, weight }) =>
    weight === 0 ? 0 : weight * (journeyMs.get(journey.name) ?? NaN),
  )
  const mean = sumOf(times, (time) => time) / weights
  return Number.isFinite(mean) ? mean : undefined
}

/** The journeys that arrivals of a track walk, with their weights. */
function journeysOf(plan: Plan, track: string | null): { journey: Plan['journeys'][number]; weight: number }[] {
  if (track !== null)
    return plan.journeys.filter((journey) => journey.name === track).map((journey) => ({ journey, weight: 1 }))
  return plan.journeys.map((journey) => ({ journey, weight: journey.weight }))
}

/** Mean number of requests of an arrival, over the weights of the journeys. */
function requestsPerArrival(plan: Plan, track: string | null, counts: (step: string) => boolean): number {
  const journeys = journeysOf(plan, track)
  const weights = sumOf(journeys, ({ weight }) => weight)
  return weights === 0
    ? 0
    : sumOf(journeys, ({ journey, weight }) => weight * expectedRequestsIn(journey.steps, counts)) / weights
}

function warningsOf(plan: Plan, phases: PhasePreview[]): Preview['warnings'] {
  const tooFew = plan.gates.flatMap((gate) => {
    const warning = sampleWarning(gate, expectedSamples(plan, phases, gate))
    return warning === undefined ? [] : [{ line: gate.at.line, message: warning }]
  })
  const unjudged = plan.gates.flatMap((gate) => {
    const names = gate.during.filter((name) =>
      plan.load.phases.some((phase) => (phase.name === name || phase.ladder === name) && !phase.measured),
    )
    return names.map((name) => ({
      line: gate.at.line,
      message: `the phase "${name}" is not measured: this gate would be unmeasured in it`,
    }))
  })
  const spent = plan.data.flatMap((data) => {
    const needed = sumOf(phases, (phase) => phase.arrivals)
    if (data.take !== 'once each' || data.then !== 'void' || needed <= data.rows.length) return []
    return [
      {
        line: data.at.line,
        message: `${data.file} has ${String(data.rows.length)} rows, each taken once, but ${String(needed)} arrivals are due: the run would be void`,
      },
    ]
  })
  const unrecovered = plan.gates.flatMap((gate) => {
    const message = gate.measure.kind === 'recovery' ? recoveryWarning(plan, phases, gate.measure.phase) : undefined
    return message === undefined ? [] : [{ line: gate.at.line, message }]
  })
  return [...nothingMeasured(plan, phases), ...tooFew, ...unjudged, ...spent, ...unrecovered]
}

function nothingMeasured(plan: Plan, phases: readonly PhasePreview[]): Preview['warnings'] {
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

/** Samples that a gate may expect; undefined where users come by themselves, and nobody knows how often. */
function expectedSamples(plan: Plan, phases: PhasePreview[], gate: Gate): number | undefined {
  const { of, during, journey } = gate
  const scope = phases.filter((phase, index) => {
    const ladder = plan.load.phases[index]?.ladder ?? ''
    return phase.measured && (during.length === 0 || during.includes(phase.name) || during.includes(ladder))
  })
  if (scope.some((phase) => Math.max(...phase.users) > 0)) return undefined
  if (journey !== undefined || MEASURES[gate.measure.kind].of !== 'steps') return undefined
  return sumOf(
    scope,
    (phase) =>
      phase.arrivals * requestsPerArrival(plan, phase.track, (step) => of.kind !== 'names' || of.names.includes(step)),
  )
}

function sampleWarning(gate: Gate, expected: number | undefined): string | undefined {
  const { statistic } = gate
  const percent = statistic?.kind === 'percentile' ? statistic.percent : statistic?.kind === 'median' ? 50 : undefined
  if (percent === undefined || expected === undefined) return undefined
  const needed = samplesNeeded(percent)
  if (Math.floor(expected) >= needed) return undefined
  return `p${String(percent)} needs ${String(needed)} samples, and this load makes about ${String(Math.floor(expected))}: the gate would be unmeasured`
}

function sumOf<T>(items: readonly T[], value: (item: T, index: number) => number): number {
  return items.reduce((total, item, index) => total + value(item, index), 0)
}
