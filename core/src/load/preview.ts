// What a plan would send, worked out before anything is sent.
import { gatesOf } from '../plan/default-gates.js'
import type { Plan } from '../plan/model.js'
import { expectedRequestsIn } from '../plan/steps/walk.js'
import { rateAt } from '../plan/phases.js'
import { tracksIn } from './arrivals.js'
import { loadSeconds } from './schedule.js'
import { phasePreviews, type PhasePreview } from './phase-previews.js'
import { gateRepeats, type GateRepeats } from './gate-repeats.js'
import { gateSamples, type GateSamples, type LoadedGates } from './gate-samples.js'
import { warningsOf, type Warning } from './warnings.js'

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
  /** What the gates on times and shares get and need. */
  samples: GateSamples[]
  /** What the gates against a baseline need. */
  repeats: GateRepeats[]
  warnings: Warning[]
}

/**
 * Works out the load of a plan that was read without errors.
 *
 * @param journeyMs - mean time of each journey in the last rehearsal or run, for the users in flight
 */
export function previewOf(plan: Plan, journeyMs: ReadonlyMap<string, number> = new Map()): Preview {
  const phases = phasePreviews(plan)
  const arrivals = sumOf(phases, (phase) => phase.arrivals)
  const sends = (track: string | null) => requestsPerArrival(plan, track, () => true)
  const peakRate = peakOf(plan, phases, (rate) => rate)
  const loaded: LoadedGates = {
    ...{ plan, phases, gates: gatesOf(plan) },
    requestsPerArrival: (track, counts) => requestsPerArrival(plan, track, counts),
  }
  const samples = gateSamples(loaded)
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
    samples,
    repeats: gateRepeats(loaded.gates),
    warnings: warningsOf(loaded, samples),
  }
}

const secondsOf = (ms: number | undefined) => (ms === undefined ? null : ms / 1000)

/**
 * The highest sum over all tracks of something that goes with the arrival rate; rates are linear, so it lies at an end
 * of a phase.
 */
function peakOf(plan: Plan, phases: PhasePreview[], value: (rate: number, track: string | null) => number): number {
  const moments = new Set(phases.flatMap((phase) => [phase.fromSeconds, phase.toSeconds]))
  const tracks = tracksIn(plan.load.phases).map(({ name }) => ({ name, phases: inOrder(plan, phases, name), next: 0 }))
  let most = 0
  for (const moment of [...moments].sort((one, other) => one - other)) {
    for (const side of [-1e-9, 1e-9]) {
      const at = moment + side
      const sum = sumOf(tracks, (track) => {
        // Moments come in order: what has ended is not looked at again.
        let phase = track.phases[track.next]
        while (phase !== undefined && phase.toSeconds < at) phase = track.phases[++track.next]
        if (phase === undefined || at < phase.fromSeconds) return 0
        const rate = rateAt(phase.model, at - phase.fromSeconds)
        return rate === 0 ? 0 : value(rate, track.name)
      })
      if (Number.isNaN(sum)) return NaN
      most = Math.max(most, sum)
    }
  }
  return most
}

/** The phases of a track with what they were made of, as they follow each other. */
function inOrder({ load }: Plan, phases: PhasePreview[], track: string | null) {
  return phases.flatMap(({ track: of, fromSeconds, toSeconds }, index) => {
    const model = load.phases[index]
    return model === undefined || of !== track ? [] : [{ fromSeconds, toSeconds, model }]
  })
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

function sumOf<T>(items: readonly T[], value: (item: T, index: number) => number): number {
  return items.reduce((total, item, index) => total + value(item, index), 0)
}
