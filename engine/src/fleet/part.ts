// A generator's part of one run: what it was ordered, made by threads of its own, and told as it comes.
import { availableParallelism, totalmem } from 'node:os'
import type { JetStreamClient } from '@nats-io/jetstream'
import {
  encodeBucket,
  isLoopback,
  permissionFault,
  previewOf,
  type Bucket,
  type GeneratorFaults,
  type Plan,
  type Target,
} from '@jolt-gate/core'
import { compilePlan } from '../walk/compile-plan.js'
import type { Load, LoadOrder, WalkAsked } from '../coordinate/generators.js'
import type { LeaseWord, Leases } from '../coordinate/row-leases.js'
import { ThreadGenerators } from '../coordinate/thread-generators.js'
import type { ThreadData } from '../generate/sender-protocol.js'
import { controlNeeded, proveControl } from '../permit/control.js'
import { Outbox } from './outbox.js'
import { outcomeText } from './outcome.js'
import type { Making } from './roster.js'
import { sealed } from './sealing.js'
import type { Asked, Order } from './words.js'

/** What a coordinator that comes back has missed is kept for so long. */
const KEPT_FOR_MS = 10 * 60_000

export class Part {
  private readonly outbox: Outbox
  private readonly generators: ThreadGenerators
  private load: Load | undefined
  private sendLease: (sender: number, word: LeaseWord) => void = () => undefined
  private readonly faults: Required<GeneratorFaults> = {
    ...{ local: [], deaths: [], outOfData: [], endedByData: [] },
    ...{ clockFaults: [], clockNotes: [] },
  }
  /** How many of the faults above are told. */
  private readonly toldFaults = { local: 0, deaths: 0 }
  private lastBucket: Bucket | undefined
  private isOver = false
  private isUnderWay = false

  constructor(
    stream: JetStreamClient,
    private readonly own: { id: string; run: string; key: Uint8Array },
    private readonly data: ThreadData,
    { deal, first, count }: Order['share'],
  ) {
    this.outbox = new Outbox(stream, own.run, own.id)
    const { plan, target, shape, run, files } = data
    const compiled = compilePlan(plan, target, shape, {
      ...{ run, fileBytes: (path: string) => files.get(path) ?? new Uint8Array() },
    })
    this.generators = new ThreadGenerators(data, compiled, {
      ...{ deal, first, count },
      leases: (send) => {
        this.sendLease = send
        return this.leases()
      },
    })
  }

  /** Does what is asked; what comes of it is told. */
  take(asked: Asked): void {
    switch (asked.kind) {
      case 'beat':
      case 'clock':
        return
      case 'walk':
        void this.walk(asked.id, asked.asked)
        return
      case 'give up':
        this.generators.giveUp()
        return
      case 'prepare':
        this.prepare(asked.order)
        return
      case 'begin':
        this.load?.begin(asked.startMs)
        return
      case 'say':
        this.load?.send(asked.word)
        return
      case 'rows':
        this.sendLease(asked.sender, asked.word)
        return
      case 'end within':
        this.load?.endWithin(asked.ms, asked.why)
        return
      case 'close':
        void this.close()
        return
      default:
        asked satisfies never
    }
  }

  /** What it made in its last second; null where it makes no load. */
  get making(): Making | null {
    const { lastBucket } = this
    if (lastBucket === undefined) return null
    const { steps, busy, latenessMs, steal } = lastBucket
    return { requests: steps.reduce((sum, { requests }) => sum + requests, 0), busy, latenessMs, steal }
  }

  /** Ends the load before its time, and tells so; what it came to waits for a coordinator. */
  async leave(why: string): Promise<void> {
    if (this.isOver) return
    this.isOver = true
    // Users that no longer come are missed by nobody else.
    if (this.isUnderWay) this.outbox.tell({ kind: 'death', detail: why })
    this.load?.send({ kind: 'stop' })
    await this.load?.ended
    const limit = setTimeout(() => {
      this.outbox.giveUp()
    }, KEPT_FOR_MS).unref()
    await this.outbox.all()
    clearTimeout(limit)
    this.generators.close()
  }

  /** Another coordinator has the run: the one before hears no more, least of all that its load was over. */
  async replace(): Promise<void> {
    this.outbox.giveUp()
    await this.close()
  }

  async close(): Promise<void> {
    this.isOver = true
    this.load?.send({ kind: 'stop' })
    await this.load?.ended
    this.outbox.giveUp()
    this.generators.close()
  }

  private async walk(id: number, asked: WalkAsked): Promise<void> {
    const outcome = await this.generators.walk(asked)
    const bytes = sealed(Buffer.from(outcomeText(outcome)), this.own.key)
    this.outbox.tell({ kind: 'walked', id, outcome: Buffer.from(bytes).toString('base64') })
  }

  private prepare(order: LoadOrder): void {
    if (this.load !== undefined) return
    const load = this.generators.prepare(order, this.faults, {
      onBucket: (bucket) => {
        this.lastBucket = bucket
        this.tellFaults()
        this.outbox.tellBucket(encodeBucket(bucket))
      },
      onSamples: (text, count) => {
        this.outbox.tell({ kind: 'samples', text, count })
      },
      onDataSpent: (name, then, isClosed) => {
        this.outbox.tell({ kind: 'spent', name, then, isClosed })
      },
      onIterationsMade: (atMs) => {
        this.outbox.tell({ kind: 'made', atMs })
      },
      onDeath: () => {
        this.tellFaults()
      },
      onLoss: () => {
        // A thread that dies is no generator that is lost: the run is void.
      },
    })
    this.load = load
    this.isUnderWay = true
    void Promise.race([load.ready, load.ended]).then(() => {
      this.outbox.tell({ kind: 'ready' })
    })
    void load.ended.then(() => {
      this.isUnderWay = false
      this.lastBucket = undefined
      this.tellFaults()
      const { counts, killed } = load
      this.outbox.tell({ kind: 'done', counts, killed, lost: this.outbox.lost })
    })
  }

  private tellFaults(): void {
    for (const [kind, name] of [
      ['fault', 'local'],
      ['death', 'deaths'],
    ] as const) {
      for (const detail of this.faults[name].slice(this.toldFaults[name])) this.outbox.tell({ kind, detail })
      this.toldFaults[name] = this.faults[name].length
    }
  }

  /** Rows are leased by the coordinator, who alone knows what all generators have. */
  private leases(): Leases {
    const { outbox } = this
    return {
      areLeased: this.data.plan.load.phases.some(({ kind }) => kind === 'users' || kind === 'iterations'),
      want: (sender, set) => {
        outbox.tell({ kind: 'wanted', sender, set })
      },
      giveBack: (sender, set, leases) => {
        outbox.tell({ kind: 'back', sender, set, leases: [...leases] })
      },
      end: (sender) => {
        outbox.tell({ kind: 'over', sender })
      },
    }
  }
}

/** What this machine has to make load with. */
export const ownThreads = (): number => Math.max(1, availableParallelism() - 1)
/** Of its memory, no plan may take more with all its rows and files. */
const MOST_OF_MEMORY = 0.25

/**
 * Why a generator makes no part of a run; undefined where it does. It answers for it by itself: a coordinator that was
 * broken into orders nothing that the owner of the target has not permitted.
 */
export async function orderFault(
  { plan, target }: { plan: Plan; target: Target },
  { allowsLoopback, parcelBytes, threads }: { allowsLoopback: boolean; parcelBytes: number; threads: number },
): Promise<string | undefined> {
  const { origin: own, also, proxy = '', metrics } = target
  const reached = [own, ...also, proxy, ...metrics.map(({ url }) => url)]
  const local = reached.find((url) => URL.canParse(url) && isLoopback(url))
  if (local !== undefined && !allowsLoopback)
    return `${local} would be its own machine: it was not started with --allow-loopback`
  if (parcelBytes > MOST_OF_MEMORY * totalmem()) return 'the plan and its files do not fit into its memory'
  if (threads > 4 * ownThreads()) return `it was ordered ${String(threads)} threads, and has ${String(ownThreads())}`
  // Of the whole order: what one generator makes of it is no measure of what the target gets.
  const fault = permissionFault(target, previewOf(plan), new Date())
  if (fault !== undefined) return fault
  const missing = (await proveControl(controlNeeded(target))).find(({ isProven }) => !isProven)
  return missing === undefined ? undefined : `control of ${missing.origin} is not proven`
}
