// Generators that are threads of this process: one for setup and teardown, and one for each part of the load.
import type { GeneratorFaults } from '@jolt-gate/core'
import type { Compiled } from '../compile/program.js'
import type { ThreadData } from '../generate/sender-protocol.js'
import { MetricReader } from '../metrics/metric-reader.js'
import type { OnceOutcome } from '../walk/once.js'
import type { Generators, Load, LoadEvents, LoadOrder, LoadWord, WalkAsked } from './generators.js'
import { HostReader } from './host.js'
import { SenderPool, type SendersHere } from './sender-pool.js'
import { SetupAndTeardown } from './setup-and-teardown.js'

export class ThreadGenerators implements Generators {
  readonly joined = Promise.resolve(undefined)
  readonly leadMs = 30
  private readonly setupAndTeardown: SetupAndTeardown

  /** @param senders - threads that make the load, or a part of it */
  constructor(
    private readonly data: ThreadData,
    private readonly compiled: Compiled,
    private readonly senders: SendersHere,
  ) {
    this.setupAndTeardown = new SetupAndTeardown(data, compiled)
  }

  walk(asked: WalkAsked): Promise<OnceOutcome> {
    return this.setupAndTeardown.walk(asked)
  }

  giveUp(): void {
    this.setupAndTeardown.giveUp()
  }

  prepare(order: LoadOrder, faults: GeneratorFaults, events: LoadEvents): Load {
    return new ThreadLoad({ ...this.data, ...order }, this.senders, this.compiled.sentences, faults, events)
  }

  fleet(): [] {
    return []
  }

  close(): void {
    this.setupAndTeardown.close()
  }
}

class ThreadLoad implements Load {
  readonly ended: Promise<unknown>
  private readonly pool: SenderPool
  private readonly metrics: MetricReader
  private readonly host = new HostReader()

  constructor(
    data: ThreadData & LoadOrder,
    senders: SendersHere,
    sentences: readonly string[],
    faults: GeneratorFaults,
    events: LoadEvents,
  ) {
    const { target } = data
    const metrics = data.readsMetrics === false ? [] : target.metrics
    this.metrics = new MetricReader(metrics, target.origin, new Set([target.origin, ...target.also]))
    this.host.start()
    this.pool = new SenderPool(data, senders, sentences, faults, {
      ...events,
      onBucket: (bucket) => {
        events.onBucket({ ...bucket, ...this.host.take(), metrics: this.metrics.take(bucket.second) })
      },
    })
    this.ended = this.pool.ended.finally(() => {
      this.metrics.close()
      this.host.close()
    })
  }

  get ready(): Promise<unknown> {
    return this.pool.ready
  }
  get counts() {
    return this.pool.counts
  }
  get killed(): number {
    return this.pool.killed
  }

  begin(startMs: number): void {
    this.metrics.start(startMs)
    this.pool.send({ kind: 'start', startMs })
  }

  send(word: LoadWord): void {
    this.pool.send(word)
  }

  endWithin(ms: number, why: string): void {
    this.pool.endWithin(ms, why)
  }
}
