// A fleet as its coordinator sees it: who is there, and who makes which part of a run.
import { Kvm, type KV } from '@nats-io/kv'
import { DiscardPolicy, jetstreamManager, RetentionPolicy, StorageType } from '@nats-io/jetstream'
import { nanos, type NatsConnection } from '@nats-io/transport-node'
import type { KeyObject } from 'node:crypto'
import type { Deal } from '@jolt-gate/core'
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

/** What of a fleet a run asks for. */
export interface Wanted {
  /** Shares of the load by place; undefined where all places are one. */
  places: Readonly<Record<string, number>> | undefined
  /** How many generators at most; all that are free where nothing is said. */
  generators: number | undefined
}

/** A generator with its part of a run. */
export interface Chosen extends Present {
  /** The number of its first thread among all that share the load. */
  first: number
  count: number
}

export interface Choice {
  deal: Deal
  generators: Chosen[]
}

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
      await manager.streams.add({ name: STREAM, ...limits })
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

/**
 * Who makes a run, and which part of it.
 *
 * @param mostThreads - more would have no part of a cap
 * @returns the choice, or why there is none
 */
export function choose(present: readonly Present[], wanted: Wanted, version: string, mostThreads: number): Choice | string {
  const others = present.filter((one) => one.version !== version)
  const free = present.filter((one) => one.run === null && one.version === version)
  const named = wanted.places === undefined ? undefined : Object.entries(wanted.places)
  const weights = named ?? [[null, 1] as const]
  const missing = named?.find(([place]) => !free.some((one) => one.place === place))
  const ofOthers = others.length === 0 ? '' : `; ${String(others.length)} of another version`
  if (missing !== undefined) return `no generator is free in ${missing[0]}${ofOthers}`
  if (free.length === 0) return `no generator is free${ofOthers}`
  const most = wanted.generators ?? free.length
  if (most > free.length) return `${String(most)} generators are asked for, and ${String(free.length)} are free${ofOthers}`
  if (most < weights.length) return `${String(weights.length)} places need as many generators, and ${String(most)} may be taken`
  const byPlace = weights.map(([place]) => free.filter((one) => place === null || one.place === place))
  const taken = byPlace.map((ones) => ones.splice(0, 1))
  for (let left = most - weights.length; left > 0; left--) {
    // Where each has the most to do, by the weight of its place.
    const next = byPlace
      .map((ones, index) => ({ ones, index, load: (weights[index]?.[1] ?? 0) / (taken[index]?.length ?? 1) }))
      .filter(({ ones }) => ones.length > 0)
      .toSorted((one, other) => other.load - one.load)[0]
    if (next === undefined) break
    taken[next.index]?.push(...next.ones.splice(0, 1))
  }
  const generators = taken.flat().length
  if (generators > mostThreads) return `a cap of ${String(mostThreads)} users cannot be dealt to ${String(generators)} generators`
  return dealt(taken, weights, Math.floor(mostThreads / generators))
}

function dealt(taken: readonly Present[][], weights: readonly (readonly [unknown, number])[], most: number): Choice {
  let first = 0
  const generators: Chosen[] = []
  const deal = taken.map((ones, index) => {
    let shares = 0
    for (const one of ones) {
      const count = Math.min(one.threads, most)
      generators.push({ ...one, first, count })
      first += count
      shares += count
    }
    return { weight: weights[index]?.[1] ?? 1, shares }
  })
  return { deal, generators }
}
