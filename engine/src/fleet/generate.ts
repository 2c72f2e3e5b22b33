// A generator of a fleet: there for whoever coordinates it, one run at a time.
import { randomUUID, type KeyObject } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import { jetstream } from '@nats-io/jetstream'
import { createCurve } from '@nats-io/nkeys'
import type { Msg, NatsConnection } from '@nats-io/transport-node'
import { lastCalibration } from '../calibrate/calibrate.js'
import { monotonicMs } from '../clock/clock.js'
import { connectBus } from './bus.js'
import type { GeneratorKey } from './keys.js'
import { fetchParcel } from './parcel.js'
import { orderFault, ownThreads, Part } from './part.js'
import { LOST_AFTER_MS, removeRow, RENEWED_EVERY_MS, renewRow } from './roster.js'
import { verifyingKey } from './sealing.js'
import { idOf, inboxOf, wordSubject } from './subjects.js'
import { openedWord, readEnvelope, replyBytes, type Envelope, type Order, type Reply } from './words.js'

/** Replies that are kept, since a word may come again when its reply was lost on the way. */
const MOST_REPLIES = 64
const FLUSHED_WITHIN_MS = 500

export interface GenerateOptions {
  address: string
  key: GeneratorKey
  version: string
  threads?: number | undefined
  allowsLoopback: boolean
  /** Told in one line what happens. */
  onNews: (words: string) => void
}

export interface RunningGenerator {
  id: string
  /** Leaves the fleet; a load under way ends. */
  close(): Promise<void>
}

/** What it makes now. */
interface Engaged {
  run: string
  epoch: number
  count: number
  key: Uint8Array
  part: Part
  lastWordMs: number
}

/**
 * Joins a fleet.
 *
 * @throws Error where the bus cannot be reached
 */
export async function joinFleet(options: GenerateOptions): Promise<RunningGenerator> {
  const { key, address } = options
  const id = idOf(key.place, key.name)
  const bus = { address, seed: key.seed, authority: key.authority, inbox: inboxOf(id) }
  const words = await connectBus({ ...bus, name: id })
  // Of its own, so that what waits on a slow link does not keep silent that it is there.
  const renewals = await connectBus({ ...bus, name: `${id} renewals` })
  const member = new Member(options, id, words, renewals)
  member.start()
  return {
    id,
    close: () => member.close(),
  }
}

class Member {
  private readonly curve = createCurve()
  private readonly session = randomUUID()
  private readonly obeys: KeyObject
  private engaged: Engaged | undefined
  private readonly replies = new Map<string, Promise<Reply>>()
  private timer: NodeJS.Timeout | undefined
  /** Runs whose orders were taken: none is made twice. */
  private readonly known = new Map<string, number>()
  private isBusy = false

  constructor(
    private readonly options: GenerateOptions,
    private readonly id: string,
    private readonly bus: NatsConnection,
    private readonly renewals: NatsConnection,
  ) {
    this.obeys = verifyingKey(options.key.obeys)
  }

  start(): void {
    this.bus.subscribe(wordSubject(this.id), {
      callback: (error, message) => {
        if (error === null) void this.hear(message)
      },
    })
    this.beat()
    this.timer = setInterval(() => {
      this.beat()
    }, RENEWED_EVERY_MS)
  }

  async close(): Promise<void> {
    clearInterval(this.timer)
    await this.engaged?.part.leave('it was told to leave')
    if (!this.renewals.isClosed()) {
      removeRow(this.renewals, this.id)
      // Closing waits for nothing; a bus that is away is not waited for.
      await Promise.race([this.renewals.flush().catch(() => undefined), sleep(FLUSHED_WITHIN_MS)])
    }
    this.curve.clear()
    await Promise.allSettled([this.bus.close(), this.renewals.close()])
  }

  private beat(): void {
    const { version, threads = ownThreads(), allowsLoopback } = this.options
    if (!this.renewals.isClosed())
      renewRow(this.renewals, this.id, {
        ...{ version, session: this.session, key: this.curve.getPublicKey(), allowsLoopback, threads },
        ...{ cores: ownThreads() + 1, mostPerSecond: lastCalibration()?.requestsPerSecond ?? null },
        ...{ run: this.engaged?.run ?? null, now: this.engaged?.part.making ?? null },
      })
    const { engaged } = this
    if (engaged !== undefined && monotonicMs() - engaged.lastWordMs > LOST_AFTER_MS) void this.leave(engaged)
  }

  private async leave(engaged: Engaged): Promise<void> {
    engaged.lastWordMs = Infinity
    this.options.onNews(`run ${engaged.run}: nothing was heard of its coordinator for 10 s: its load ends`)
    await engaged.part.leave('nothing was heard of the coordinator for 10 s')
    if (this.engaged === engaged) this.engaged = undefined
  }

  /** Answers a word that is signed, meant for this generator, and not of a coordinator that was replaced. */
  private async hear(message: Msg): Promise<void> {
    const envelope = readEnvelope(message.data, this.obeys)
    if (envelope?.to !== this.id) return
    if ('meet' in envelope.body) {
      message.respond(replyBytes({ kind: 'done', atMs: monotonicMs() }))
      return
    }
    const name = `${envelope.run} ${String(envelope.epoch)} ${String(envelope.count)}`
    const said = this.replies.get(name)
    const reply =
      said ?? this.obey(envelope).catch((error: unknown): Reply => ({ kind: 'refused', why: wordsOf(error) }))
    if (said === undefined) this.remember(name, reply)
    const answer = await reply
    message.respond(replyBytes(answer.kind === 'done' ? { ...answer, atMs: monotonicMs() } : answer))
  }

  private remember(name: string, reply: Promise<Reply>): void {
    this.replies.set(name, reply)
    const [oldest] = this.replies.keys()
    if (this.replies.size > MOST_REPLIES && oldest !== undefined) this.replies.delete(oldest)
  }

  private async obey(envelope: Envelope): Promise<Reply> {
    const { run, epoch, count, body } = envelope
    if ('meet' in body) return refused('its clock is met by itself')
    if ('order' in body) return this.engage(envelope, body.order)
    const { engaged } = this
    if (engaged?.run !== run) return refused(`it makes no part of run ${run}`)
    if (epoch < engaged.epoch) return refused('another coordinator has taken the run')
    if (epoch === engaged.epoch && count <= engaged.count) return refused('this word was heard before')
    const asked = openedWord(body.sealed, engaged.key)
    Object.assign(engaged, { epoch, count, lastWordMs: monotonicMs() })
    engaged.part.take(asked)
    if (asked.kind === 'close') {
      this.engaged = undefined
      this.beat()
      this.options.onNews(`run ${run}: done`)
    }
    return { kind: 'done', atMs: 0 }
  }

  /** The coordinator that had the run until now is replaced: what it had asked for ends. */
  private async giveUp(engaged: Engaged | undefined): Promise<void> {
    if (engaged === undefined) return
    await engaged.part.replace()
    this.options.onNews(`run ${engaged.run}: another coordinator has taken it`)
    if (this.engaged === engaged) this.engaged = undefined
  }

  private async engage({ run, epoch, count }: Envelope, order: Order): Promise<Reply> {
    if (order.version !== this.options.version)
      return refused(`it is of version ${this.options.version}, and the coordinator of ${order.version}`)
    if (this.isBusy || (this.engaged !== undefined && this.engaged.run !== run))
      return refused('it makes a part of another run')
    if ((this.known.get(run) ?? -1) >= epoch) return refused(`it has made its part of run ${run}`)
    this.isBusy = true
    try {
      await this.giveUp(this.engaged)
      const key = this.curve.open(order.key, order.from)
      if (key === null) return refused('the order is sealed to another')
      const data = await fetchParcel(this.bus, this.id, order.parcel, key)
      const fault = await orderFault(data, {
        ...{ allowsLoopback: this.options.allowsLoopback, parcelBytes: order.parcel.bytes },
        threads: order.share.count,
      })
      if (fault !== undefined) return refused(fault)
      const part = new Part(jetstream(this.bus), { id: this.id, run, key }, data, order.share)
      this.known.set(run, epoch)
      this.engaged = { run, epoch, count, key, part, lastWordMs: monotonicMs() }
      this.beat()
      this.options.onNews(`run ${run}: ${data.plan.name} against ${data.target.origin}`)
      return { kind: 'done', atMs: 0 }
    } finally {
      this.isBusy = false
    }
  }
}

const refused = (why: string): Reply => ({ kind: 'refused', why })
const wordsOf = (error: unknown): string => (error instanceof Error ? error.message : String(error))
