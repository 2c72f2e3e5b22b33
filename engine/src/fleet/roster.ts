// Who is there: each generator writes its own row each second, and a coordinator reads them all.
import { Kvm } from '@nats-io/kv'
import { StorageType } from '@nats-io/jetstream'
import { headers, type NatsConnection } from '@nats-io/transport-node'
import { boolean, number, object, string, type InferType } from 'yup'
import { parseJson } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import { placeOf, ROSTER, rowSubject } from './subjects.js'

export const RENEWED_EVERY_MS = 1000
/** Silence for so long is shown, and then it is loss. */
export const SILENT_AFTER_MS = 3000
export const LOST_AFTER_MS = 10_000
const MOST_BYTES = 4096
const MOST_GENERATORS = 10_000

/** No figure of a row is larger: a page shows them. */
const MOST = 1e9

/** What a generator makes, in its last second. */
const making = object({
  requests: number().min(0).max(MOST).required(),
  /** Busy share of its busiest sender. */
  busy: number().min(0).max(MOST).required(),
  /** How late a sender was, at most. */
  latenessMs: number().min(0).max(MOST).required(),
  /** Share of the second in which its host held the processor. */
  steal: number().min(0).max(MOST).required(),
})
export type Making = InferType<typeof making>

const row = object({
  version: string().required().max(100),
  /** Of the process: one that was started anew has lost what the one before was about. */
  session: string().required().max(100),
  /** To which secrets are sealed. */
  key: string().required().max(200),
  cores: number().integer().min(1).max(4096).required(),
  threads: number().integer().min(1).max(4096).required(),
  /** Requests a second that it was last found able to make; null where it was never measured. */
  mostPerSecond: number().min(0).max(MOST).nullable().defined(),
  allowsLoopback: boolean().required(),
  /** The run that it makes a part of. */
  run: string().max(100).nullable().defined(),
  /** Null where it makes none. */
  now: making.nullable().defined(),
})
export type RosterRow = InferType<typeof row>

/** A generator that is there. */
export interface Present extends RosterRow {
  id: string
  place: string
  /** When its row was last renewed, by the monotonic clock of who reads. */
  seenAtMs: number
}

/** Writes a row; it is gone where it is not renewed. */
export function renewRow(bus: NatsConnection, id: string, own: RosterRow): void {
  bus.publish(rowSubject(id), JSON.stringify(own))
}

/** Takes a row away, as one does who leaves. */
export function removeRow(bus: NatsConnection, id: string): void {
  const marker = headers()
  marker.set('KV-Operation', 'DEL')
  bus.publish(rowSubject(id), new Uint8Array(), { headers: marker })
}

/** Reads who is there, for as long as it is open. */
export class Roster {
  private readonly rows = new Map<string, Present>()
  private isClosed = false
  private stop: () => void = () => undefined

  private constructor() {}

  static async open(bus: NatsConnection): Promise<Roster> {
    const roster = new Roster()
    const bucket = await new Kvm(bus).create(ROSTER, {
      ...{ history: 1, ttl: LOST_AFTER_MS, storage: StorageType.File, max_bytes: MOST_GENERATORS * MOST_BYTES },
    })
    const watch = await bucket.watch()
    roster.stop = () => {
      watch.stop()
    }
    void roster.listen(watch)
    return roster
  }

  /** All that are not silent, by their names. */
  present(): Present[] {
    const now = monotonicMs()
    return this.all().filter(({ seenAtMs }) => now - seenAtMs < SILENT_AFTER_MS)
  }

  /** All that have not left, however long they have been silent. */
  all(): Present[] {
    return [...this.rows.values()].toSorted((one, other) => (one.id < other.id ? -1 : 1))
  }

  /** Forgets one that will not come back. */
  forget(id: string): void {
    this.rows.delete(id)
  }

  /** What was last heard of one, however long ago; undefined where it has left. */
  of(id: string): Present | undefined {
    return this.rows.get(id)
  }

  close(): void {
    this.isClosed = true
    this.stop()
  }

  private async listen(watch: AsyncIterable<{ key: string; value: Uint8Array; operation: string }>): Promise<void> {
    for await (const { key, value, operation } of watch) {
      if (this.isClosed) return
      if (operation === 'PUT') this.take(key, value)
      else this.rows.delete(key)
    }
  }

  private take(id: string, value: Uint8Array): void {
    const place = placeOf(id)
    if (place === undefined || value.length > MOST_BYTES) return
    try {
      const own = row.validateSync(parseJson(Buffer.from(value).toString()), { strict: true })
      this.rows.set(id, { ...own, id, place, seenAtMs: monotonicMs() })
    } catch {
      // What is no row is of nobody.
    }
  }
}
