// The users of the closed model whom one thread looks after: each iterations again as its iteration ends.
import TinyQueue from 'tinyqueue'
import { tracksIn, JourneyChoice, type Dealer, UserSchedule, userNumber, type Plan } from '@jolt-gate/core'
import type { Iteration } from '../walk/iteration.js'

interface User {
  slot: number
  track: number
  schedule: UserSchedule
  journeys: JourneyChoice
  /** Iterations begun so far, and those of the present phase. */
  iterations: number
  phase: number
  iterationsInPhase: number
  /** No iteration begins before this: the pacing of the one before. */
  notBeforeMs: number
  /** The last iteration of each journey whose users come back. */
  returning: Map<number, Iteration>
}

/** An iteration that is to begin now. */
export interface NextIteration {
  /** For `ended`, to be given back with the end of the iteration. */
  index: number
  user: number
  iteration: number
  turn: number
  phase: number
  journey: number
  dueMs: number
  previous: Iteration | undefined
}

/** Times are ms from the start of the load. */
export class ClosedUsers {
  private readonly users: User[] = []
  private readonly starts = new TinyQueue<{ atMs: number; phase: number; index: number }>([], (a, b) => a.atMs - b.atMs)
  private readonly tracks: number
  private running = 0
  private isOver = false

  /** @param index - this thread looks after the users that are dealt to this number */
  constructor(
    private readonly plan: Plan,
    index: number,
    dealer: Dealer,
  ) {
    const tracks = tracksIn(plan.load.phases)
    this.tracks = tracks.length
    for (const track of tracks) {
      const schedule = new UserSchedule(track)
      const journeys = new JourneyChoice(plan, track)
      for (let slot = 0; slot < schedule.most; slot++) {
        if (dealer.ownerOf(slot) !== index) continue
        this.users.push({
          slot,
          track: track.number,
          schedule,
          journeys,
          iterations: 0,
          phase: -1,
          iterationsInPhase: 0,
          notBeforeMs: 0,
          returning: new Map(),
        })
      }
    }
    for (const number of this.users.keys()) this.planStart(number, 0)
  }

  nextMs(): number {
    return this.starts.peek()?.atMs ?? Infinity
  }

  /** Whether no iteration is under way and none will begin. */
  get isDone(): boolean {
    return this.running === 0 && (this.isOver || this.starts.length === 0)
  }

  /** No user begins an iteration any more. */
  end(): void {
    this.isOver = true
  }

  /** The next iteration that is due by now, or undefined. */
  take(nowMs: number): NextIteration | undefined {
    const start = this.starts.peek()
    if (this.isOver || start === undefined || start.atMs > nowMs) return undefined
    this.starts.pop()
    return this.begin(start.index, start.phase, start.atMs)
  }

  /** An iteration has ended: the next of the same user, where it is still wanted. */
  ended(index: number, iteration: Iteration | undefined, atMs: number): NextIteration | undefined {
    const user = this.users[index]
    this.running--
    if (user === undefined || this.isOver) return undefined
    if (iteration?.program.returning === true) user.returning.set(iteration.program.journey, iteration)
    const next = this.startOf(user, Math.max(atMs, user.notBeforeMs))
    if (next === undefined) return undefined
    if (next.atMs <= atMs) return this.begin(index, next.phase, atMs)
    this.starts.push({ ...next, index })
    return undefined
  }

  /** A user who was not let in tries again a second later. */
  capped(index: number, atMs: number): void {
    this.running--
    const user = this.users[index]
    if (user === undefined) return
    user.iterationsInPhase--
    this.planStart(index, atMs + 1000)
  }

  private planStart(index: number, fromMs: number): void {
    const user = this.users[index]
    const next = user === undefined ? undefined : this.startOf(user, fromMs)
    if (next !== undefined) this.starts.push({ ...next, index })
  }

  private startOf(user: User, fromMs: number): { atMs: number; phase: number } | undefined {
    const next = user.schedule.nextStart(user.slot, fromMs)
    if (next === undefined) return undefined
    // Iterations are the last phase of their track: once they are made, the user never begins again.
    const isSpent = next.phase === user.phase && user.iterationsInPhase >= user.schedule.iterationsIn(next.phase)
    return isSpent ? undefined : next
  }

  private begin(index: number, phase: number, dueMs: number): NextIteration {
    const user = this.users[index]
    if (user === undefined) throw new RangeError('there is no such user')
    this.running++
    if (user.phase !== phase) {
      user.phase = phase
      user.iterationsInPhase = 0
    }
    user.iterationsInPhase++
    const number = user.iterations++
    const journey = user.journeys.ofIteration(user.slot, number)
    const named = this.plan.journeys[journey]
    const comesBack = named?.returning === true
    user.notBeforeMs = dueMs + (named?.pacingMs ?? 0)
    // Each iteration is a new user, unless the journey's users come back.
    const turn = comesBack ? user.slot : user.slot + number * user.schedule.most
    return {
      index,
      user: userNumber(turn, user.track, this.tracks),
      iteration: comesBack ? number : 0,
      turn: user.slot + number * user.schedule.most,
      phase,
      journey,
      dueMs,
      previous: user.returning.get(journey),
    }
  }
}
