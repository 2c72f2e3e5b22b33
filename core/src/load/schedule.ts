// The schedule of a run: every arrival with its number, moment, phase and journey.
import type { Journey, Plan } from '../plan/model.js'
import { Draws } from '../values/random.js'
import { arrivalsOf, tracksIn, type Arrival, type Track } from './arrivals.js'
import { JourneyMix } from './mix.js'

type Loaded = Pick<Plan, 'load' | 'journeys' | 'seed'>

/** Where the draw of a journey stands among the places of a plan. */
const MIX_PLACE = -1_000_001

interface Lane {
  track: Track
  arrivals: Iterator<Arrival>
  journeys: JourneyChoice
  next: Arrival | undefined
  count: number
}

/**
 * Walks the arrivals of all tracks by time; its fields describe the present one, so that none is allocated for each.
 */
export class ScheduleCursor {
  /** From 0 over the whole run, in order of time. */
  ordinal = -1
  /** Number of the user: from 0 in its track, and unlike that of any user of another track. */
  user = 0
  /** From 0 in the track. */
  inTrack = 0
  track = 0
  dueMs = 0
  phase = 0
  journey = 0

  private readonly lanes: Lane[]

  constructor(plan: Loaded) {
    this.lanes = tracksIn(plan.load.phases).map((track) => {
      // A generator keeps its place in its draws, so each track has a stream of its own.
      const arrivals = arrivalsOf(track, new Draws(plan.seed))
      return { track, arrivals, journeys: new JourneyChoice(plan, track), next: valueOf(arrivals.next()), count: 0 }
    })
  }

  /** Moves to the next arrival; false when there is none left. */
  advance(): boolean {
    let soonest: Lane | undefined
    for (const lane of this.lanes) {
      if (lane.next === undefined) continue
      if (soonest?.next === undefined || lane.next.dueMs < soonest.next.dueMs) soonest = lane
    }
    if (soonest?.next === undefined) return false
    const { track, next } = soonest
    this.ordinal++
    this.inTrack = soonest.count++
    this.track = track.number
    this.user = userNumber(this.inTrack, track.number, this.lanes.length)
    this.dueMs = next.dueMs
    this.phase = next.phase
    this.journey = soonest.journeys.ofArrival(this.user)
    soonest.next = valueOf(soonest.arrivals.next())
    return true
  }
}

/** A number for the nth user of a track that no user of another track has. */
export function userNumber(inTrack: number, track: number, tracks: number): number {
  return inTrack * tracks + track
}

/** Which journey a user of a track walks. */
export class JourneyChoice {
  private readonly own: number
  private readonly weights: number[]
  private readonly mix: JourneyMix
  private readonly sequence: number[] = []
  private readonly draws: Draws
  private readonly isDrawn: boolean

  constructor(plan: Loaded, track: Track) {
    this.own = plan.journeys.findIndex((journey: Journey) => journey.name === track.name)
    const own = new Set(plan.load.phases.map((phase) => phase.track))
    this.weights = plan.journeys.map((journey) => (own.has(journey.name) ? 0 : journey.weight))
    this.mix = new JourneyMix(this.weights)
    this.draws = new Draws(plan.seed)
    this.isDrawn = plan.load.mix === 'drawn'
  }

  /** Of the next arrival of the open model, in order. */
  ofArrival(user: number): number {
    if (this.own >= 0) return this.own
    return this.isDrawn ? this.drawn(user, 0) : this.mix.next()
  }

  /**
   * Of an iteration of the closed model: each user goes through the mix from a place of its own, so that every user
   * alone
   * keeps the weights, however long the journeys last, and no two workers need to agree.
   */
  ofIteration(user: number, iteration: number): number {
    if (this.own >= 0) return this.own
    if (this.isDrawn) return this.drawn(user, iteration)
    const at = (user + iteration) % sumOf(this.weights)
    while (this.sequence.length <= at) this.sequence.push(this.mix.next())
    return this.sequence[at] ?? 0
  }

  private drawn(user: number, iteration: number): number {
    let left = this.draws.at(user, iteration, MIX_PLACE).next() * sumOf(this.weights)
    for (const [index, weight] of this.weights.entries()) {
      left -= weight
      if (left < 0) return index
    }
    return this.weights.length - 1
  }
}

/** Length of the load in seconds, the drain left out: that of the longest track. */
export function loadSeconds(plan: Pick<Plan, 'load'>): number {
  const lengths = tracksIn(plan.load.phases).map(({ phases }) =>
    phases.reduce((sum, { phase }) => sum + phase.seconds, 0),
  )
  return Math.max(0, ...lengths)
}

function sumOf(weights: readonly number[]): number {
  let total = 0
  for (const weight of weights) total += weight
  return total
}

function valueOf(result: IteratorResult<Arrival>): Arrival | undefined {
  return result.done === true ? undefined : result.value
}

/** Tells one load from another: phases, cap, mix and spacing, whatever stands where in the file. */
export function loadFingerprint({ load, journeys }: Pick<Plan, 'load' | 'journeys'>): string {
  const pacing = journeys.map(({ pacingMs }) => pacingMs)
  const told = {
    ...load,
    ...(pacing.some((ms) => ms > 0) ? { pacing } : {}),
    phases: load.phases.map((phase) => ({ ...phase, at: undefined })),
  }
  let [low, high] = [0x811c9dc5, 0x1b873593]
  for (const char of JSON.stringify(told)) {
    low = Math.imul(low ^ (char.codePointAt(0) ?? 0), 0x01000193)
    high = Math.imul(high ^ low, 0x85ebca6b)
  }
  return [low, high].map((word) => (word >>> 0).toString(16).padStart(8, '0')).join('')
}
