// A fleet as its coordinator sees it: who is there, and who makes which part of a run.
import { Kvm, type KV } from '@nats-io/kv'
import { DiscardPolicy, jetstreamManager, RetentionPolicy, StorageType } from '@nats-io/jetstream'
import { nanos, type NatsConnection } from '@nats-io/transport-node'
import type { KeyObject } from 'node:crypto'
import { connectBus } from './bus.js'
import type { CoordinatorKey } from './keys.js'
import { Roster, type Present } from './roster.js'
import { signingKey } from './sealing.js'
import { OWNERS, STREAM, STREAM_SUBJECTS } from './subjects.js'

/** What nobody has taken by then is nobody's. */
const KEPT_FOR_MS = 3_600_000
const STREAM_BYTES = 1024 * 1024 * 1024
/** Rows are renewed each second: who is there has said so by then. */
const MET_WITHIN_MS = 2500

export class Fleet {
  private readonly leaving = new Set<Promise<void>>()

  private constructor(
    readonly bus: NatsConnection,
    readonly roster: Roster,
    readonly signs: KeyObject,
    private readonly owners: KV,
  ) {}

  /** @throws Error where the bus cannot be reached, or is not that of this coordinator */
  static async join(address: string, key: CoordinatorKey): Promise<Fleet> {
    const { seed, authority, signs } = key
    const bus = await connectBus({ address, seed, authority, inbox: '_INBOX.coordinator', name: 'coordinator' })
    try {
      const manager = await jetstreamManager(bus)
      const limits = {
        ...{ subjects: [STREAM_SUBJECTS], retention: RetentionPolicy.Workqueue, discard: DiscardPolicy.New },
        ...{ max_bytes: STREAM_BYTES, max_age: nanos(KEPT_FOR_MS), storage: StorageType.File },
        duplicate_window: nanos(100),
      }
      // Adding what is there would ask for its storage once more.
      const isThere = await manager.streams.info(STREAM).then(
        () => true,
        () => false,
      )
      if (!isThere) await manager.streams.add({ name: STREAM, ...limits })
      const owners = await new Kvm(bus).create(OWNERS, { history: 1 })
      return new Fleet(bus, await Roster.open(bus), signingKey(signs), owners)
    } catch (error) {
      await bus.close()
      throw error
    }
  }

  /** Who is there, once all had the time to say so. */
  async present(): Promise<Present[]> {
    await new Promise((resolve) => setTimeout(resolve, MET_WITHIN_MS))
    return this.roster.present()
  }

  /** Takes the ownership of a run; its epoch is higher than that of whoever had it before. */
  async own(run: string): Promise<number> {
    return this.owners.put(run, new Date().toISOString())
  }

  /** Whether nobody has taken the run since it was owned at this epoch; where the bus cannot tell, nobody has. */
  async owns(run: string, epoch: number): Promise<boolean> {
    const entry = await this.owners.get(run).catch(() => null)
    return entry === null || entry.revision === epoch
  }

  async disown(run: string): Promise<void> {
    await this.owners.purge(run)
  }

  /** What is to be done before the connection is closed. */
  awaits(leaving: Promise<void>): void {
    this.leaving.add(leaving)
    void leaving.finally(() => this.leaving.delete(leaving))
  }

  async close(): Promise<void> {
    await Promise.allSettled(this.leaving)
    this.roster.close()
    await this.bus.close()
  }
}
