// When arrivals are due: the integral of the rate, never the previous arrival.
import type { Phase } from '../plan/model.js'
import { arrivalsIn, secondsUntil } from '../plan/phases.js'
import type { Draws } from '../values/random.js'

/** The values of the integral are rounded here, so that 0.1 + 0.2 arrivals are 0.3. */
const GRAIN = 1e-9
/** Beyond so many, the arrivals of a random phase are not drawn to count them: the expected number stands in. */
const MOST_COUNTED = 5_000_000
/** Where the draws of arrivals stand among the places of a plan. */
const ARRIVALS_PLACE = -1_000_000

export interface Arrival {
  /** Index of the phase in the plan. */
  phase: number
  /** Due time in ms from the start of the load. */
  dueMs: number
}

/** The phases of one track with their places in the plan. */
export interface Track {
  /** Number of the track, which tells its draws from those of others. */
  number: number
  /** The journey whose own track it is, or null for the common one. */
  name: string | null
  phases: { phase: Phase; index: number }[]
}

/** The tracks of a plan's phases, in the order in which they first appear. */
export function tracksIn(phases: readonly Phase[]): Track[] {
  const tracks: Track[] = []
  for (const [index, phase] of phases.entries()) {
    let track = tracks.find(({ name }) => name === phase.track)
    if (track === undefined) tracks.push((track = { number: tracks.length, name: phase.track, phases: [] }))
    track.phases.push({ phase, index })
  }
  return tracks
}

/**
 * Arrivals of one track, in order of time.
 *
 * Even spacing: one arrival wherever the integral of the rate passes n + ½, counted over the even phases from the start
 * of the track; what is left over carries into the next even phase, and an arrival on the border of two phases belongs
 * to the earlier one. Random spacing: gaps are unit exponentials on the axis of the integral (a Poisson process); a
 * batch sorts uniform draws.
 */
export function* arrivalsOf(track: Track, draws: Draws): Generator<Arrival> {
  let before = 0
  let startMs = 0
  for (const { phase, index } of track.phases) {
    const total = arrivalsIn(phase, phase.seconds)
    if (phase.spacing === 'random' && total > 0) {
      for (const value of randomValues(phase, total, draws.at(track.number, index, ARRIVALS_PLACE)))
        yield { phase: index, dueMs: startMs + 1000 * secondsUntil(phase, value) }
    } else {
      const after = roundToGrain(before + total)
      for (let n = Math.floor(before + 0.5); n + 0.5 <= after; n++)
        yield { phase: index, dueMs: startMs + 1000 * secondsUntil(phase, n + 0.5 - before) }
      before = after
    }
    startMs += phase.seconds * 1000
  }
}

/** Values of the integral, ascending, at which the arrivals of a random phase stand. */
function* randomValues(phase: Phase, total: number, draws: Draws): Generator<number> {
  if (phase.kind === 'batch') {
    yield* Float64Array.from({ length: phase.starts }, () => draws.next() * total).sort()
    return
  }
  for (let at = draws.nextExponential(); at < total; at += draws.nextExponential()) yield at
}

/** Arrivals due in each phase of a plan, by the place of the phase. */
export function arrivalCounts(phases: readonly Phase[], draws: Draws): number[] {
  const counts = new Array<number>(phases.length).fill(0)
  for (const track of tracksIn(phases)) {
    let before = 0
    for (const { phase, index } of track.phases) {
      const total = arrivalsIn(phase, phase.seconds)
      if (phase.spacing === 'random' && phase.kind !== 'batch' && total > 0) {
        counts[index] = total > MOST_COUNTED ? Math.round(total) : countRandom(phase, total, track, index, draws)
        continue
      }
      if (phase.spacing === 'random') {
        counts[index] = total
        continue
      }
      const after = roundToGrain(before + total)
      counts[index] = Math.floor(after + 0.5) - Math.floor(before + 0.5)
      before = after
    }
  }
  return counts
}

function countRandom(phase: Phase, total: number, track: Track, index: number, draws: Draws): number {
  let count = 0
  const values = randomValues(phase, total, draws.at(track.number, index, ARRIVALS_PLACE))
  while (values.next().done !== true) count++
  return count
}

function roundToGrain(value: number): number {
  return Math.round(value / GRAIN) * GRAIN
}
