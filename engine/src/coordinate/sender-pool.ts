// The sender threads of a run: begun together, listened to, told to stop.
import type { Worker } from 'node:worker_threads'
import { startThread } from '../threads/thread.js'
import { decodeBucket, type Bucket, type GeneratorFaults } from '@jolt-gate/core'
import { compileSoon } from '../clock/priority.js'
import { BucketMerger } from './merger.js'
import type { FromSender, SenderCounts, SenderData, ToSender } from '../generate/sender-protocol.js'

export interface SenderPoolEvents {
  onBucket: (bucket: Bucket) => void
  onSamples: (text: string, count: number) => void
  onDataSpent: (name: string, then: 'void' | 'stop', isClosed: boolean) => void
  onIterationsMade: (atMs: number) => void
}

/** A stop is done by then, whatever senders are at. */
const STOP_WITHIN_MS = 2000

export class SenderPool {
  private readonly workers: Worker[]
  /** Resolves when every sender has compiled its plan. */
  readonly ready: Promise<unknown>
  /** Resolves when every sender has ended, however it did. */
  readonly ended: Promise<unknown>
  /** Requests of all senders that came to their end. */
  readonly counts: SenderCounts = { started: 0, ended: 0, recorded: 0 }
  /** Senders that were ended by force: what they had not told is gone. */
  killed = 0
  private isStopping = false
  private limit: NodeJS.Timeout | undefined

  constructor(
    data: Omit<SenderData, 'index' | 'shared'>,
    private readonly faults: GeneratorFaults,
    private readonly events: SenderPoolEvents,
  ) {
    const merger = new BucketMerger(data.senders, (bucket) => {
      events.onBucket(bucket)
    })
    const shared = new Int32Array(new SharedArrayBuffer(4 * (1 + data.plan.data.length)))
    compileSoon()
    this.workers = Array.from({ length: data.senders }, (_, index) => {
      const workerData: SenderData = { ...data, index, shared }
      return startThread('generate/sender-thread', { workerData })
    })
    this.ready = Promise.all(this.workers.map(untilReady))
    this.ended = Promise.all(this.workers.map((worker, index) => this.listen(worker, index, merger))).finally(() => {
      clearTimeout(this.limit)
    })
  }

  /**
   * Ends by force every sender that has not ended by then. A thread that is held up, by a regular expression that goes
   * wrong on an answer or a script of its own, listens to nobody.
   *
   * @param why - what it means for the run; undefined where the run is being stopped anyway
   */
  endWithin(ms: number, why: string | undefined): void {
    clearTimeout(this.limit)
    this.limit = setTimeout(() => {
      if (why !== undefined) this.faults.deaths.push(why)
      for (const worker of this.workers) void worker.terminate()
    }, ms)
  }

  say(message: ToSender): void {
    if (message.kind === 'stop') {
      this.isStopping = true
      this.endWithin(STOP_WITHIN_MS, undefined)
    }
    for (const worker of this.workers) worker.postMessage(message)
  }

  private listen(worker: Worker, index: number, merger: BucketMerger): Promise<void> {
    return new Promise((resolve) => {
      let isDone = false
      worker.on('message', (message: FromSender) => {
        switch (message.kind) {
          case 'ready':
            return
          case 'bucket':
            merger.add(index, decodeBucket(message.bytes))
            return
          case 'samples':
            this.events.onSamples(message.text, message.count)
            return
          case 'local fault':
            if (!this.faults.local.includes(message.detail)) this.faults.local.push(message.detail)
            return
          case 'data spent':
            this.events.onDataSpent(message.name, message.then, message.isClosed)
            return
          case 'iterations made':
            this.events.onIterationsMade(message.atMs)
            return
          case 'done':
            isDone = true
            for (const name of ['started', 'ended', 'recorded'] as const) this.counts[name] += message.counts[name]
            return
          default:
            message satisfies never
        }
      })
      worker.on('error', (error) => {
        this.faults.deaths.push(`a sender died: ${error instanceof Error ? error.message : String(error)}`)
      })
      worker.on('exit', () => {
        if (!isDone) this.killed++
        if (!isDone && !this.isStopping && this.faults.deaths.length === 0)
          this.faults.deaths.push('a sender ended too early')
        merger.end(index)
        resolve()
      })
    })
  }
}

function untilReady(worker: Worker): Promise<void> {
  return new Promise((resolve) => {
    worker.on('message', (message: FromSender) => {
      if (message.kind === 'ready') resolve()
    })
  })
}
