// The schedule of a run: every arrival with its number, moment, phase and journey.
import type { Journey, Plan } from '../plan/model.js'
import { Draws } from '../values/random.js'
import { TrackArrivals, tracksIn, type Track } from './arrivals.js'
import { Dealer, UNDIVIDED, type Deal } from './deal.js'
import { JourneyMix } from './mix.js'

type Loaded = Pick<Plan, 'load' | 'journeys' | 'seed'>

/** Where the draw of a journey stands among the places of a plan. */
const MIX_PLACE = -1_000_001

/** Which arrivals of a run are walked. */
export interface Share {
  /** Of those that share the load, the one with this number walks here. */
  index: number
  deal: Deal
  /** Whether the arrivals of all tracks are counted in order of time; otherwise each track is walked by itself. */
  isOrdered: boolean
}

const WHOLE: Share = { index: 0, deal: UNDIVIDED, isOrdered: true }

/**
 * Walks the arrivals of all tracks by time, or a share of them; its fields describe the present one, so that none is
 * allocated for each.
 *
 * The arrivals of each journey are dealt in turn to those who share the load, so that none gets one journey alone. What
 * is dealt to others is counted and passed, without working out when it is due.
 */
export class ScheduleCursor {
  /** Number of the user: from 0 in its track, and unlike that of any user of another track. */
  user = 0
  /** From 0 in the track. */
  inTrack = 0
  track = 0
  dueMs = 0
  phase = 0
  journey = 0
  /**
   * Arrivals of each journey until now, the present one and those of others included. Where tracks are walked by
   * themselves, those of journeys of other tracks may be ahead.
   */
  readonly arrivals: number[]

  private readonly walks: TrackWalk[]
  private present: TrackWalk | undefined

  constructor(plan: Loaded, share: Share = WHOLE) {
    const tracks = tracksIn(plan.load.phases)
    this.arrivals = plan.journeys.map(() => 0)
    const dealt = {
      ...{ index: share.index, dealer: new Dealer(share.deal) },
      ...{ isOrdered: share.isOrdered && tracks.length > 1, arrivals: this.arrivals },
    }
    this.walks = tracks.map((track) => new TrackWalk(plan, track, tracks.length, dealt))
    this.isOrdered = dealt.isOrdered
    for (const walk of this.walks) walk.advance()
  }
  private readonly isOrdered: boolean

  /** Moves to the next arrival of the share; false when there is none left. */
  advance(): boolean {
    for (;;) {
      this.present?.advance()
      const soonest = this.soonest()
      this.present = soonest
      if (soonest === undefined) return false
      if (this.isOrdered && !soonest.deal()) continue
      this.inTrack = soonest.inTrack
      this.track = soonest.track
      this.user = soonest.user
      this.dueMs = soonest.times.dueMs
      this.phase = soonest.times.phase
      this.journey = soonest.journey
      return true
    }
  }

  private soonest(): TrackWalk | undefined {
    let soonest: TrackWalk | undefined
    for (const walk of this.walks)
      if (!walk.isOver && (soonest === undefined || walk.times.dueMs < soonest.times.dueMs)) soonest = walk
    return soonest
  }
}

/** The arrivals of one track, each with its user and journey. */
class TrackWalk {
  readonly track: number
  readonly times: TrackArrivals
  isOver = false
  inTrack = -1
  user = 0
  journey = 0
  private readonly choice: JourneyChoice

  constructor(
    plan: Loaded,
    track: Track,
    private readonly tracks: number,
    private readonly dealt: { index: number; dealer: Dealer; isOrdered: boolean; arrivals: number[] },
  ) {
    this.track = track.number
    this.times = new TrackArrivals(track, new Draws(plan.seed))
    this.choice = new JourneyChoice(plan, track)
  }

  /** Moves to the next arrival: of the share, or of all where they are dealt in order of time. */
  advance(): void {
    if (this.isOver) return
    let by = 0
    do {
      by++
      this.user = userNumber(++this.inTrack, this.track, this.tracks)
      this.journey = this.choice.ofArrival(this.inTrack, this.user)
    } while (!this.dealt.isOrdered && !this.deal())
    this.isOver = !this.times.advance(by)
  }

  /** Counts the present arrival, and tells whether it is of the share. */
  deal(): boolean {
    const { arrivals, index, dealer } = this.dealt
    const before = arrivals[this.journey] ?? 0
    arrivals[this.journey] = before + 1
    return dealer.ownerOf(before + this.journey) === index
  }
}

/**
 * A number for the nth user of a track that no user of another track has.
 *
 * @param inTrack - from 0, among the users of its track
 * @param track - place of the track among all
 * @param tracks - how many there are
 */
export function userNumber(inTrack: number, track: number, tracks: number): number {
  return inTrack * tracks + track
}

/** Which journey a user of a track walks. */
export class JourneyChoice {
  private readonly own: number
  private readonly weights: number[]
  private readonly total: number
  private readonly mix: JourneyMix
  private readonly sequence: number[] = []
  private readonly draws: Draws
  private readonly isDrawn: boolean

  constructor(plan: Loaded, track: Track) {
    this.own = plan.journeys.findIndex((journey: Journey) => journey.name === track.name)
    const own = new Set(plan.load.phases.map((phase) => phase.track))
    this.weights = plan.journeys.map((journey) => (own.has(journey.name) ? 0 : journey.weight))
    this.total = sumOf(this.weights)
    this.mix = new JourneyMix(this.weights)
    this.draws = new Draws(plan.seed)
    this.isDrawn = plan.load.mix === 'drawn'
  }

  /** Of an arrival of the open model, by its number in the track. */
  ofArrival(inTrack: number, user: number): number {
    if (this.own >= 0) return this.own
    return this.isDrawn ? this.drawn(user, 0) : this.inMix(inTrack)
  }

  /**
   * Of an iteration of the closed model: each user goes through the mix from a place of its own, so that every user
   * alone keeps the weights, however long the journeys last, and no two workers need to agree.
   */
  ofIteration(user: number, iteration: number): number {
    if (this.own >= 0) return this.own
    if (this.isDrawn) return this.drawn(user, iteration)
    return this.inMix(user + iteration)
  }

  /** After as many turns as the sum of the weights, each journey has had its own, and the mix begins again. */
  private inMix(turn: number): number {
    const at = turn % this.total
    while (this.sequence.length <= at) this.sequence.push(this.mix.next())
    return this.sequence[at] ?? 0
  }

  private drawn(user: number, iteration: number): number {
    let left = this.draws.at(user, iteration, MIX_PLACE).next() * this.total
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

/** Tells one load from another: phases, cap, mix and spacing, whatever stands where in the file. */
export function loadFingerprint({ load, journeys, networks }: Pick<Plan, 'load' | 'journeys' | 'networks'>): string {
  const pacing = journeys.map(({ pacingMs }) => pacingMs)
  const described = {
    ...load,
    ...(pacing.some((ms) => ms > 0) ? { pacing } : {}),
    ...(networks === undefined ? {} : { networks }),
    phases: load.phases.map((phase) => ({ ...phase, at: undefined })),
  }
  let [low, high] = [0x811c9dc5, 0x1b873593]
  for (const char of JSON.stringify(described)) {
    low = Math.imul(low ^ (char.codePointAt(0) ?? 0), 0x01000193)
    high = Math.imul(high ^ low, 0x85ebca6b)
  }
  return [low, high].map((word) => (word >>> 0).toString(16).padStart(8, '0')).join('')
}
