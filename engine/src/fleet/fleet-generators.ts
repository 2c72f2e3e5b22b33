// Generators of a fleet, as a run's coordinator asks them.
import { createCurve } from '@nats-io/nkeys'
import { isLoopback, type Deal, type FleetGenerator, type GeneratorFaults } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import type {
  Generators,
  GeneratorsFor,
  GeneratorsMaker,
  Load,
  LoadEvents,
  LoadOrder,
  WalkAsked,
} from '../coordinate/generators.js'
import { nothingOf } from '../coordinate/setup-and-teardown.js'
import type { OnceOutcome } from '../walk/once.js'
import { choose, type Chosen } from './choice.js'
import type { Fleet } from './fleet.js'
import { FleetLoad, type Member } from './fleet-load.js'
import { Inbox, type Arrived } from './inbox.js'
import { Line } from './line.js'
import { readOutcome } from './outcome.js'
import { Parcel } from './parcel.js'
import { LOST_AFTER_MS, RENEWED_EVERY_MS, type Present } from './roster.js'
import { newKey, opened } from './sealing.js'
import { parcelSubject } from './subjects.js'
import { readTold } from './words.js'

/** Between the word to the generators and the first moment of the load. */
const LEAD_MS = 1000
const MET_AGAIN_AFTER_MS = 10_000
const CLOSED_WITHIN_MS = 2000
const OVER = 'fleet: the run is over'
/** A walk that is over by its own time has told so by then. */
const WALK_GRACE_MS = 20_000

export interface FleetRun {
  fleet: Fleet
  /** Who was there when the run was asked for. */
  present: readonly Present[]
  /** How many; all that are free where nothing is said. */
  generators?: number | undefined
  version: string
}

/**
 * Makes the generators of a run of those of a fleet.
 *
 * @param asked - joins the fleet, or has joined it; a run whose fleet cannot be joined is void, and says why
 */
export const fleetGenerators =
  (asked: () => FleetRun | Promise<FleetRun>): GeneratorsMaker =>
  (run) =>
    new FleetGenerators(asked, run)

class FleetGenerators implements Generators {
  readonly leadMs = LEAD_MS
  readonly joined: Promise<string | undefined>
  private readonly key = newKey()
  private members: Member[] = []
  private deal: Deal = []
  private epoch = 0
  private inbox: Inbox | undefined
  private load: FleetLoad | undefined
  private readonly walks = new Map<number, { by: string; end: (outcome: OnceOutcome | undefined) => void }>()
  private nextWalk = 0
  private timer: NodeJS.Timeout | undefined
  private metAtMs = 0
  private stopServing: () => void = () => undefined
  private fleetOfRun: Fleet | undefined
  /** Those that are lost, and why. */
  private readonly gone = new Map<string, string>()
  private hasJoined = false
  private isClosed = false

  constructor(
    private readonly asked: () => FleetRun | Promise<FleetRun>,
    private readonly run: GeneratorsFor,
  ) {
    this.joined = this.join().catch(
      (error: unknown) => `fleet: ${error instanceof Error ? error.message : String(error)}`,
    )
  }

  async walk(asked: WalkAsked): Promise<OnceOutcome> {
    if (this.run.compiled[asked.part].operations.length === 0) return nothingOf(asked, null)
    const none = await this.joined
    if (none !== undefined) return nothingOf(asked, none)
    for (;;) {
      const walker = this.members.find(({ id }) => !this.gone.has(id))
      if (walker === undefined) return nothingOf(asked, 'no generator is left to walk it')
      const outcome = await this.walkBy(walker, asked)
      if (outcome !== undefined) return outcome
      // Teardown moves to the next; what setup has made by one is not made twice.
      this.gone.set(walker.id, 'it did not walk what it was asked to')
      if (asked.part === 'setup') return nothingOf(asked, `generator ${walker.id}, which walked it, is gone`)
    }
  }

  giveUp(): void {
    for (const { line } of this.members) void line.say({ kind: 'give up' })
  }

  prepare(order: LoadOrder, faults: GeneratorFaults, events: LoadEvents): Load {
    const load = new FleetLoad(this.members, this.run.data, this.deal, order, faults, events)
    this.load = load
    for (const [id, why] of this.gone)
      queueMicrotask(() => {
        load.lose(id, why)
      })
    return load
  }

  fleet(): FleetGenerator[] {
    return this.load?.fleet() ?? []
  }

  close(): void {
    this.isClosed = true
    clearInterval(this.timer)
    // An order that is not wanted any more is taken back once it is answered; who does not answer is free by itself.
    const limit = setTimeout(() => {
      for (const { line } of this.members) line.close()
    }, CLOSED_WITHIN_MS)
    const { fleetOfRun: fleet } = this
    fleet?.awaits(this.joined.then(() => this.leave(fleet)).finally(() => clearTimeout(limit)))
    if (fleet === undefined) clearTimeout(limit)
  }

  private async leave(fleet: Fleet): Promise<void> {
    await Promise.all(this.members.map(({ line }) => line.say({ kind: 'close' })))
    for (const { line } of this.members) line.close()
    this.stopServing()
    if (!(await fleet.owns(this.run.data.run.id, this.epoch))) {
      this.inbox?.stop()
      return
    }
    await this.inbox?.close()
    await fleet.disown(this.run.data.run.id).catch(() => undefined)
  }

  private async join(): Promise<string | undefined> {
    const { fleet, present, generators, version } = await this.asked()
    if (this.isOver()) return OVER
    this.fleetOfRun = fleet
    const { data, mostSenders: mostThreads } = this.run
    // Those of a coordinator that is gone are taken over: they end what it had asked for.
    const isTakenOver = present.some((one) => one.run === data.run.id)
    const free = present.map((one) => (one.run === data.run.id ? { ...one, run: null } : one))
    const choice = choose(free, { places: data.plan.places, generators, mostThreads, version })
    if (typeof choice === 'string') return `fleet: ${choice}`
    const { id } = data.run
    const epoch = await fleet.own(id)
    this.epoch = epoch
    const options = {
      ...{ bus: fleet.bus, signs: fleet.signs, run: id, epoch, key: this.key },
      onFailed: (failed: string, why: string, isBelieved: boolean) => {
        this.lose(failed, why, isBelieved)
      },
    }
    const members = choice.generators.map((one): Member => ({ ...one, line: new Line(one.id, options) }))
    const unfit = members.find((one) => this.isUnfit(one))
    if (unfit !== undefined) return `fleet: generator ${unfit.id}: a loopback target would be its own machine`
    const parcel = await Parcel.of(data, this.key)
    this.serve(fleet, members, parcel)
    if (this.isOver()) return OVER
    this.members = members
    this.deal = choice.deal
    this.timer = setInterval(() => {
      this.watch()
    }, RENEWED_EVERY_MS)
    const curve = createCurve()
    const refusals = await Promise.all(
      members.map(async ({ line, key, first, count, id: to }) => {
        const order = {
          ...{ version, key: curve.seal(this.key, key), from: curve.getPublicKey(), parcel: parcel.facts },
          share: { deal: choice.deal, first, count },
        }
        const why = await line.order(order)
        return why === undefined ? [] : [`fleet: generator ${to} refuses: ${why}`]
      }),
    )
    const [refusal] = refusals.flat()
    if (refusal !== undefined) return this.lostWords() ?? refusal
    if (isTakenOver) await Inbox.forget(fleet.bus, id)
    await this.listen(fleet, members)
    await Promise.all(members.map(({ line }) => line.meet()))
    this.metAtMs = monotonicMs()
    this.hasJoined = true
    return this.lostWords()
  }

  private serve({ bus }: Fleet, members: readonly Member[], parcel: Parcel): void {
    const serving = members.map((one) =>
      bus.subscribe(parcelSubject(one.id), {
        callback: (error, message) => {
          if (error === null) parcel.answer(message)
        },
      }),
    )
    this.stopServing = () => {
      for (const subscription of serving) subscription.unsubscribe()
    }
  }

  private async listen({ bus }: Fleet, members: readonly Member[]): Promise<void> {
    this.inbox = await Inbox.open(
      bus,
      this.run.data.run.id,
      members.map((one) => one.id),
      {
        onTold: (from, arrived) => {
          this.take(from, arrived)
        },
        onRefused: (from, why) => {
          this.lose(from, why, false)
        },
      },
    )
  }

  private isOver(): boolean {
    return this.isClosed
  }

  private lostWords(): string | undefined {
    const [lost] = this.gone
    return lost === undefined ? undefined : `fleet: generator ${lost[0]} was lost: ${lost[1]}`
  }

  private isUnfit({ allowsLoopback }: Chosen): boolean {
    const { origin } = this.run.data.target
    return !allowsLoopback && origin !== '' && isLoopback(origin)
  }

  /** That we are there, each second; and whether they are. */
  private watch(): void {
    const now = monotonicMs()
    const isToMeet = now - this.metAtMs > MET_AGAIN_AFTER_MS
    if (isToMeet) this.metAtMs = now
    for (const { id, session, line } of this.members) {
      if (this.gone.has(id)) continue
      const row = this.fleetOfRun?.roster.of(id)
      if (row !== undefined && row.session !== session) this.lose(id, 'it was started anew')
      else if (row === undefined) this.lose(id, 'it has left the fleet')
      else if (now - row.seenAtMs > LOST_AFTER_MS) this.lose(id, 'nothing was heard of it for 10 s')
      else if (this.hasJoined) void (isToMeet ? line.meet() : this.beat(id, line))
    }
  }

  /** One that obeys us no more makes its part for another coordinator, or for nobody. */
  private async beat(id: string, line: Line): Promise<void> {
    const reply = await line.say({ kind: 'beat' })
    if (reply?.kind === 'refused' && !this.isOver()) this.lose(id, reply.why, false)
  }

  private lose(id: string, why: string, isBelieved = true): void {
    const member = this.members.find((one) => one.id === id)
    if (member === undefined || this.gone.has(id)) return
    this.gone.set(id, why)
    member.line.close()
    for (const { by, end } of [...this.walks.values()]) if (by === id) end(undefined)
    this.load?.lose(id, why, isBelieved)
  }

  private walkBy({ id: by, line }: Member, asked: WalkAsked): Promise<OnceOutcome | undefined> {
    const id = this.nextWalk++
    return new Promise((resolve) => {
      const limit = setTimeout(() => {
        end(undefined)
      }, asked.withinMs + WALK_GRACE_MS)
      const end = (outcome: OnceOutcome | undefined) => {
        clearTimeout(limit)
        this.walks.delete(id)
        resolve(outcome)
      }
      this.walks.set(id, { by, end })
      void line.say({ kind: 'walk', id, asked })
    })
  }

  private take(id: string, { kind, bytes, acknowledge }: Arrived): void {
    try {
      const told = readTold(kind, bytes)
      if (told.kind !== 'walked') {
        if (this.load === undefined) acknowledge()
        else this.load.take(id, told, acknowledge)
        return
      }
      acknowledge()
      const walk = this.walks.get(told.id)
      if (walk?.by === id) walk.end(readOutcome(opened(told.outcome, this.key), this.run.compiled.slotCount))
    } catch (error) {
      acknowledge()
      const why = `what it tells cannot be read: ${error instanceof Error ? error.message : String(error)}`
      this.lose(id, why, false)
    }
  }
}
