// What the generators of a run tell, as it comes from the bus: put together from its parts, each thing once, in order.
import { AckPolicy, jetstreamManager, type ConsumerMessages, type JsMsg } from '@nats-io/jetstream'
import { nanos, type NatsConnection } from '@nats-io/transport-node'
import { partAddress, runSubjects, STREAM, type PartAddress } from './subjects.js'

/** Told again where it is not acknowledged by then: by a coordinator that has gone, to the next. */
const ACKNOWLEDGED_WITHIN_MS = 60_000
/** Of one thing told, and of all that one generator has told ahead of what is missing. */
const MOST_PARTS = 1024
const MOST_AHEAD_BYTES = 64 * 1024 * 1024

/** One thing told; it is acknowledged once it is safe. */
export interface Arrived {
  kind: string
  bytes: Uint8Array
  acknowledge: () => void
}

export interface InboxListener {
  onTold: (id: string, arrived: Arrived) => void
  /** What a generator sends is none of a run, too large or too much. */
  onRefused: (id: string, why: string) => void
}

export class Inbox {
  private readonly tellers = new Map<string, Teller>()
  private messages: ConsumerMessages | undefined
  private isClosed = false

  private constructor(
    private readonly bus: NatsConnection,
    private readonly run: string,
    ids: readonly string[],
    private readonly listener: InboxListener,
  ) {
    for (const id of ids) this.tellers.set(id, new Teller())
  }

  /** Listens to some generators in a run. */
  static async open(bus: NatsConnection, run: string, ids: readonly string[], listener: InboxListener): Promise<Inbox> {
    const inbox = new Inbox(bus, run, ids, listener)
    const manager = await jetstreamManager(bus)
    await manager.consumers.add(STREAM, {
      ...{ durable_name: consumerOf(run), filter_subject: runSubjects(run), ack_policy: AckPolicy.Explicit },
      ...{ ack_wait: nanos(ACKNOWLEDGED_WITHIN_MS), max_ack_pending: 20_000 },
    })
    const consumer = await manager.jetstream().consumers.get(STREAM, consumerOf(run))
    inbox.messages = await consumer.consume({ max_messages: 500 })
    void inbox.listen(inbox.messages)
    return inbox
  }

  /** Takes no more; what is left of the run on the bus is gone. */
  async close(): Promise<void> {
    this.stop()
    await Inbox.forget(this.bus, this.run)
  }

  /** Takes no more; what is on the bus is another's. */
  stop(): void {
    this.isClosed = true
    this.messages?.stop()
  }

  /** What was told in a run, and not taken, is gone: numbers of another epoch would be taken for those of this one. */
  static async forget(bus: NatsConnection, run: string): Promise<void> {
    try {
      const manager = await jetstreamManager(bus)
      await manager.consumers.delete(STREAM, consumerOf(run)).catch(() => undefined)
      await manager.streams.purge(STREAM, { filter: runSubjects(run) })
    } catch {
      // A bus that is away forgets by itself, after an hour.
    }
  }

  private async listen(messages: ConsumerMessages): Promise<void> {
    for await (const message of messages) {
      if (this.isClosed) return
      this.take(message)
    }
  }

  private take(message: JsMsg): void {
    const address = partAddress(message.subject)
    const teller = address === undefined ? undefined : this.tellers.get(address.id)
    if (address === undefined || teller === undefined || address.parts > MOST_PARTS || teller.isRefused) {
      message.ack()
      if (address === undefined || teller?.isRefused === true) return
      this.refuse(address.id, teller, teller === undefined ? 'it is not of this run' : 'a part of something too large')
      return
    }
    if (!teller.add(address, message)) {
      this.refuse(address.id, teller, `more than ${String(MOST_AHEAD_BYTES / 1048576)} MB, ahead of what is missing`)
      return
    }
    for (let next = teller.take(); next !== undefined; next = teller.take()) this.listener.onTold(address.id, next)
  }

  private refuse(id: string, teller: Teller | undefined, why: string): void {
    if (teller !== undefined) teller.isRefused = true
    this.listener.onRefused(id, why)
  }
}

const consumerOf = (run: string): string => `run-${run}`

interface Parts {
  kind: string
  messages: Map<number, JsMsg>
  parts: number
  /** Parts that came more than once. */
  again: JsMsg[]
}

/** What one generator has told. */
class Teller {
  isRefused = false
  private next = 0
  private aheadBytes = 0
  private readonly told = new Map<number, Parts>()
  /** Of what was taken, and is not safe yet. */
  private readonly unacknowledged = new Map<number, JsMsg[]>()

  /** Adds a part; false where it is too much. */
  add({ kind, number, part, parts }: PartAddress, message: JsMsg): boolean {
    if (number < this.next) {
      // Told again, since an acknowledgement was lost on the way; it is safe once the first is.
      const first = this.unacknowledged.get(number)
      if (first === undefined) message.ack()
      else first.push(message)
      return true
    }
    const known = this.told.get(number) ?? { kind, parts, messages: new Map<number, JsMsg>(), again: [] }
    if (known.messages.has(part)) {
      known.again.push(message)
      return true
    }
    if (known.kind !== kind || known.parts !== parts) return false
    this.told.set(number, known)
    known.messages.set(part, message)
    this.aheadBytes += message.data.length
    return this.aheadBytes <= MOST_AHEAD_BYTES
  }

  /** The next thing in order; undefined where it, or a part of it, is not there yet. */
  take(): Arrived | undefined {
    const first = this.told.get(this.next)
    if (first === undefined || first.messages.size < first.parts) return undefined
    const number = this.next++
    this.told.delete(number)
    const messages = [...first.messages].toSorted(([one], [other]) => one - other).map(([, message]) => message)
    const bytes = Buffer.concat(messages.map(({ data }) => data))
    this.aheadBytes -= bytes.length
    const unacknowledged = [...messages, ...first.again]
    this.unacknowledged.set(number, unacknowledged)
    const acknowledge = () => {
      this.unacknowledged.delete(number)
      for (const message of unacknowledged) message.ack()
    }
    return { kind: first.kind, bytes, acknowledge }
  }
}
