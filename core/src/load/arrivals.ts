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
 * Walks the arrivals of one track in order of time; its fields describe the present one, so that none is allocated for
 * each.
 *
 * Even spacing: one arrival wherever the integral of the rate passes n + ½, counted over the even phases from the start
 * of the track; what is left over carries into the next even phase, and an arrival on the border of two phases belongs
 * to the earlier one. Random spacing: gaps are unit exponentials on the axis of the integral (a Poisson process); a
 * batch sorts uniform draws.
 */
export class TrackArrivals implements Arrival {
  phase = -1
  dueMs = 0
  private within: ArrivalsWithin | undefined
  private place = -1
  /** Where the present phase begins: in time, and on the axis of the even integral. */
  private startMs = 0
  private before = 0

  /** @param draws - of this track alone: random arrivals keep their place in it */
  constructor(
    private readonly track: Track,
    private readonly draws: Draws,
  ) {}

  /** Moves on by so many arrivals, without working out those between; false where the track ends before. */
  advance(by = 1): boolean {
    for (let left = by; ;) {
      const phase = this.track.phases[this.place]?.phase
      if (this.within !== undefined && phase !== undefined) {
        left -= this.within.pass(left)
        if (left === 0) {
          this.dueMs = this.startMs + 1000 * secondsUntil(phase, this.within.value)
          return true
        }
        this.startMs += phase.seconds * 1000
      }
      if (!this.enterNextPhase()) return false
    }
  }

  private enterNextPhase(): boolean {
    const entered = this.track.phases[++this.place]
    if (entered === undefined) {
      this.within = undefined
      return false
    }
    const { phase, index } = entered
    this.phase = index
    const total = arrivalsIn(phase, phase.seconds)
    if (phase.spacing === 'random' && total > 0) {
      const draws = this.draws.at(this.track.number, index, ARRIVALS_PLACE)
      this.within =
        phase.kind === 'batch' ? new DrawnBatch(phase.starts, total, draws) : new PoissonArrivals(total, draws)
    } else {
      const after = roundToGrain(this.before + total)
      this.within = new EvenArrivals(this.before, after)
      this.before = after
    }
    return true
  }
}

/** The arrivals of a phase, by the values of the integral of its rate at which they stand. */
interface ArrivalsWithin {
  /** Of the arrival that was passed last. */
  readonly value: number
  /** Passes so many arrivals; returns how many of them there were. */
  pass: (count: number) => number
}

class EvenArrivals implements ArrivalsWithin {
  private readonly first: number
  private readonly count: number
  private passed = 0

  constructor(
    private readonly before: number,
    after: number,
  ) {
    this.first = Math.floor(before + 0.5)
    this.count = Math.floor(after + 0.5) - this.first
  }

  get value(): number {
    return this.first + this.passed - 0.5 - this.before
  }

  pass(count: number): number {
    const had = Math.min(count, this.count - this.passed)
    this.passed += had
    return had
  }
}

class PoissonArrivals implements ArrivalsWithin {
  value = 0

  constructor(
    private readonly total: number,
    private readonly draws: Draws,
  ) {}

  pass(count: number): number {
    for (let had = 0; had < count; had++) {
      this.value += this.draws.nextExponential()
      if (this.value >= this.total) return had
    }
    return count
  }
}

class DrawnBatch implements ArrivalsWithin {
  private readonly values: Float64Array
  private passed = 0

  constructor(starts: number, total: number, draws: Draws) {
    this.values = Float64Array.from({ length: starts }, () => draws.next() * total).sort()
  }

  get value(): number {
    return this.values[this.passed - 1] ?? 0
  }

  pass(count: number): number {
    const had = Math.min(count, this.values.length - this.passed)
    this.passed += had
    return had
  }
}

/**
 * Arrivals due in each phase of a plan, by the place of the phase.
 *
 * @param phases - of all tracks, in the order of the plan
 * @param draws - of phases with random spacing, by the seed of the run
 */
export function arrivalCounts(phases: readonly Phase[], draws: Draws): number[] {
  const counts = new Array<number>(phases.length).fill(0)
  for (const track of tracksIn(phases)) {
    let before = 0
    for (const { phase, index } of track.phases) {
      const total = arrivalsIn(phase, phase.seconds)
      if (phase.spacing === 'random' && phase.kind !== 'batch' && total > 0) {
        counts[index] =
          total > MOST_COUNTED
            ? Math.round(total)
            : new PoissonArrivals(total, draws.at(track.number, index, ARRIVALS_PLACE)).pass(Infinity)
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

function roundToGrain(value: number): number {
  return Math.round(value / GRAIN) * GRAIN
}
