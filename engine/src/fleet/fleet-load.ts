// The load of a run that generators of a fleet make together.
import {
  arrivalsFrom,
  phaseRanges,
  type Bucket,
  type Deal,
  type FleetGenerator,
  type GeneratorFaults,
  type Loss,
} from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import type { Load, LoadEvents, LoadOrder, LoadWord } from '../coordinate/generators.js'
import { BucketMerger } from '../coordinate/merger.js'
import { RowLeases } from '../coordinate/row-leases.js'
import type { ThreadData } from '../generate/sender-protocol.js'
import { CLOCK_NOTED_MS, CLOCK_VOID_MS } from './clock-meeting.js'
import type { Chosen } from './choice.js'
import type { Line } from './line.js'
import type { Told } from './words.js'

/** What has not come by so long after the last that came will not come. */
const STILL_FOR_MS = 60_000
const MOST_OVERTIME_MS = 600_000
/** A generator clears up for so long beyond what it was given. */
const GRACE_MS = 15_000

/** A generator as it takes part in a load. */
export interface Member extends Chosen {
  line: Line
}

interface Made {
  requests: number
  busy: number
  lostSeconds: number
  /** The last second that it told of. */
  second: number
  /** Requests in flight at its end, and users within it. */
  inFlight: number
  users: number
  isReady: boolean
  isEnded: boolean
}

const NOTHING_MADE: Made = {
  ...{ requests: 0, busy: 0, lostSeconds: 0, second: -1, inFlight: 0, users: 0 },
  ...{ isReady: false, isEnded: false },
}

export class FleetLoad implements Load {
  readonly ready: Promise<unknown>
  readonly ended: Promise<unknown>
  readonly counts = { started: 0, ended: 0, recorded: 0 }
  killed = 0
  private readonly made = new Map<string, Made>()
  private readonly merger: BucketMerger
  private readonly leases: RowLeases
  /** What is to be acknowledged once its second is handed on. */
  private readonly unacknowledged = new Map<number, (() => void)[]>()
  private readonly mostSecond: number
  private lastHeardMs = monotonicMs()
  private isStopping = false
  private limit: NodeJS.Timeout | undefined
  private resolveReady: () => void = () => undefined
  private resolveEnded: () => void = () => undefined

  /** When the load began, in our own clock; undefined before. */
  private begunMs: number | undefined
  /** Arrivals that are still due in each phase: by those that are left. */
  private readonly left: number[]

  constructor(
    private readonly members: readonly Member[],
    private readonly data: ThreadData,
    private readonly deal: Deal,
    order: LoadOrder,
    private readonly faults: GeneratorFaults,
    private readonly events: LoadEvents,
  ) {
    const { plan } = data
    this.left = data.shape.phases.map(({ arrivalsDue }) => arrivalsDue)
    const seconds = Math.max(0, ...data.shape.phases.map((phase) => phase.seconds))
    // Phases come one after another; what ends later than all of them and the drain is none of this run.
    this.mostSecond =
      data.shape.phases.reduce((sum, phase) => sum + phase.seconds, 0) + seconds + plan.load.drainMs / 1000 + 600
    this.ready = new Promise<void>((resolve) => (this.resolveReady = resolve))
    this.ended = new Promise<void>((resolve) => (this.resolveEnded = resolve))
    const emit = (bucket: Bucket) => {
      events.onBucket(bucket)
      this.acknowledge(bucket.second)
    }
    const names = data.shape.places
    this.merger = new BucketMerger(members.length, emit, (index) => names?.indexOf(members[index]?.place ?? ''))
    const threads = members.reduce((sum, { count }) => sum + count, 0)
    this.leases = new RowLeases(plan, threads, (sender, word) => {
      const owner = members.find(({ first, count }) => sender >= first && sender < first + count)
      void owner?.line.say({ kind: 'rows', sender, word })
    })
    for (const [index, member] of members.entries()) {
      this.made.set(member.id, { ...NOTHING_MADE })
      void member.line.say({ kind: 'prepare', order: { ...order, readsMetrics: index === 0 } })
    }
  }

  begin(startMs: number): void {
    this.begunMs = startMs
    for (const { line, id } of this.members) {
      const theirs = line.clock.theirsOf(startMs)
      if (theirs === undefined) this.lose(id, 'its clock was not met')
      else void line.say({ kind: 'begin', startMs: theirs })
    }
  }

  send(word: LoadWord): void {
    if (word.kind === 'stop') {
      this.isStopping = true
      this.lookFrom(0)
    }
    for (const { line } of this.members) void line.say({ kind: 'say', word })
  }

  endWithin(ms: number, why: string): void {
    // A stop is sooner than any limit.
    if (this.isStopping) return
    for (const { line } of this.members) void line.say({ kind: 'end within', ms, why })
    this.lookFrom(ms)
  }

  /** From then on, with some grace, those are lost that tell nothing for long, or take much too long. */
  private lookFrom(ms: number): void {
    clearTimeout(this.limit)
    const fromMs = monotonicMs() + ms + GRACE_MS
    const look = () => {
      if (this.underWay().length === 0) return
      const now = monotonicMs()
      const isStill = now - this.lastHeardMs > STILL_FOR_MS || now - fromMs > MOST_OVERTIME_MS
      if (!isStill) {
        this.limit = setTimeout(look, 1000)
        return
      }
      for (const { id } of this.underWay()) this.lose(id, 'what it had to tell did not come in time')
    }
    if (this.underWay().length > 0) this.limit = setTimeout(look, ms + GRACE_MS)
  }

  /** Takes what a generator tells; acknowledges it when it is safe. */
  take(id: string, told: Exclude<Told, { kind: 'walked' }>, acknowledge: () => void): void {
    const index = this.members.findIndex((member) => member.id === id)
    const [member, made] = [this.members[index], this.made.get(id)]
    if (member === undefined || made === undefined || made.isEnded) {
      acknowledge()
      return
    }
    this.lastHeardMs = monotonicMs()
    if (told.kind === 'bucket') {
      this.takeBucket(index, member, told.bucket, acknowledge)
      return
    }
    const isOwn = (sender: number) => sender >= member.first && sender < member.first + member.count
    switch (told.kind) {
      case 'ready':
        made.isReady = true
        this.settle()
        break
      case 'samples':
        this.events.onSamples(told.text, told.count)
        break
      case 'fault':
        this.note(this.faults.local, `${id}: ${told.detail}`)
        break
      case 'death':
        this.note(this.faults.deaths, `generator ${id}: ${told.detail}`)
        this.stopAll()
        break
      case 'spent':
        this.events.onDataSpent(told.name, told.then, told.isClosed)
        break
      case 'wanted':
        if (isOwn(told.sender)) this.leases.want(told.sender, told.set)
        break
      case 'back':
        if (isOwn(told.sender)) this.leases.giveBack(told.sender, told.set, told.leases)
        break
      case 'over':
        if (isOwn(told.sender)) this.leases.end(told.sender)
        break
      case 'made':
        this.events.onIterationsMade(told.atMs)
        break
      case 'done':
        for (const name of ['started', 'ended', 'recorded'] as const) this.counts[name] += told.counts[name]
        this.killed += told.killed
        made.lostSeconds = told.lost
        if (told.lost > 0)
          this.note(this.faults.deaths, `generator ${id}: ${String(told.lost)} of its seconds did not fit and are gone`)
        this.end(index, made)
        break
      default:
        told satisfies never
    }
    acknowledge()
  }

  /**
   * A generator is gone, or not to be believed: what it had not told is lost.
   *
   * @param isBelieved - whether what it had told stands
   */
  lose(id: string, why: string, isBelieved = true): void {
    const index = this.members.findIndex((member) => member.id === id)
    const [member, made] = [this.members[index], this.made.get(id)]
    if (member === undefined || made === undefined || made.isEnded) return
    const loss = isBelieved ? this.lossOf(member, made, why) : undefined
    this.killed++
    for (let thread = 0; thread < member.count; thread++) this.leases.end(member.first + thread)
    if (loss === undefined) this.note(this.faults.deaths, `generator ${id} was lost: ${why}`)
    else this.events.onLoss(loss)
    this.end(index, made)
    if (loss === undefined) this.stopAll()
  }

  /** What is lost with a generator where the others go on; undefined where they do not. */
  private lossOf({ id, place, first, count }: Member, made: Made, why: string): Loss | undefined {
    const { plan, shape } = this.data
    const goesOn = plan.onLoss === 'continue at less' && this.begunMs !== undefined && !this.isStopping
    if (!goesOn || this.underWay().length < 2) return undefined
    const atMs = 1000 * (made.second + 1)
    const ranges = phaseRanges(shape)
    const phases = shape.phases.map(({ arrivalsDue, rates }, index) => ({
      ...{ arrivalsDue, rates },
      ...(ranges[index] ?? { fromMs: 0, toMs: 0 }),
    }))
    const sharers = Array.from({ length: count }, (_, thread) => first + thread)
    const arrivals = arrivalsFrom(plan, this.deal, sharers, phases, atMs)
    for (const [phase, missing] of arrivals.entries()) this.left[phase] = (this.left[phase] ?? 0) - missing
    const at = shape.places?.indexOf(place) ?? -1
    return {
      ...{ generator: id, why, place: at < 0 ? null : at, atMs, arrivals, left: [...this.left] },
      ...{ requests: made.inFlight, journeys: made.users },
    }
  }

  /** Those that have not ended. */
  underWay(): readonly Member[] {
    return this.members.filter(({ id }) => this.made.get(id)?.isEnded === false)
  }

  /** What each made, and how well its clock was met. */
  fleet(): FleetGenerator[] {
    return this.members.map(({ id, place, count, line }) => {
      const { requests = 0, busy = 0, lostSeconds = 0 } = this.made.get(id) ?? {}
      return { id, place, threads: count, clockErrorMs: line.clock.errorMs, requests, busy, lostSeconds }
    })
  }

  /** What clocks put in doubt. */
  noteClocks(): void {
    for (const { id, line } of this.members) {
      const { errorMs } = line.clock
      if (errorMs === null || errorMs > CLOCK_VOID_MS)
        this.note((this.faults.clockFaults ??= []), `the clock of generator ${id} ${clockWords(errorMs)}`)
      else if (errorMs > CLOCK_NOTED_MS)
        this.note((this.faults.clockNotes ??= []), `the clock of generator ${id} ${clockWords(errorMs)}`)
    }
  }

  private takeBucket(index: number, { id }: Member, bucket: Bucket, acknowledge: () => void): void {
    const made = this.made.get(id)
    if (made === undefined) return
    if (bucket.second > this.mostSecond || bucket.second <= made.second) {
      acknowledge()
      const why = bucket.second <= made.second ? 'after a later one' : 'which this run does not have'
      this.lose(id, `it told of second ${String(bucket.second)}, ${why}`, false)
      return
    }
    made.second = bucket.second
    made.requests += bucket.steps.reduce((sum, { requests }) => sum + requests, 0)
    made.busy = Math.max(made.busy, bucket.busy)
    made.inFlight = bucket.inFlight
    made.users = bucket.users
    const waiting = this.unacknowledged.get(bucket.second)
    if (waiting === undefined) this.unacknowledged.set(bucket.second, [acknowledge])
    else waiting.push(acknowledge)
    this.merger.add(index, { ...bucket, places: [] })
  }

  private acknowledge(second: number): void {
    for (const acknowledge of this.unacknowledged.get(second) ?? []) acknowledge()
    this.unacknowledged.delete(second)
  }

  /** The run is void, and the others need not go on. */
  private stopAll(): void {
    if (this.isStopping) return
    this.events.onDeath()
    this.send({ kind: 'stop' })
  }

  private end(index: number, made: Made): void {
    made.isEnded = true
    this.merger.end(index)
    this.settle()
  }

  private settle(): void {
    const all = [...this.made.values()]
    if (all.every(({ isReady, isEnded }) => isReady || isEnded)) this.resolveReady()
    if (!all.every(({ isEnded }) => isEnded)) return
    clearTimeout(this.limit)
    this.noteClocks()
    this.resolveEnded()
  }

  private note(reasons: string[], words: string): void {
    if (!reasons.includes(words)) reasons.push(words)
  }
}

const clockWords = (errorMs: number | null): string =>
  errorMs === null ? 'was not met' : `may be ${String(Math.round(errorMs))} ms from that of the coordinator`
