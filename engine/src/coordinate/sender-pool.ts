// The sender threads of a run: begun together, listened to, told to stop.
import type { Worker } from 'node:worker_threads'
import { endWhenHeld, heldWords, newBeat, sentenceUnder } from '../threads/beat.js'
import { startThread } from '../threads/thread.js'
import { decodeBucket, type Deal, type GeneratorFaults } from '@jolt-gate/core'
import { compileSoon } from '../clock/priority.js'
import type { LoadEvents } from './generators.js'
import { BucketMerger } from './merger.js'
import { RowLeases, type LeaseWord, type Leases } from './row-leases.js'
import type { FromSender, SenderCounts, SenderData, ToSender } from '../generate/sender-protocol.js'

/** Preparing is done by then: compiling the plan, and warming up. */
const READY_WITHIN_MS = 60_000
/** A stop is done by then, whatever senders are at. */
const STOP_WITHIN_MS = 2000

/** Which of those that share the load are threads here: so many, from the first on. */
export interface SendersHere {
  deal: Deal
  first: number
  count: number
  /** Who leases rows, where they are more than these. */
  leases?: (send: (sender: number, word: LeaseWord) => void) => Leases
}

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
  private readonly leases: Leases
  private isStopping = false
  /** Every sender has ended: no limit is needed any more. */
  private isOver = false
  private limit: NodeJS.Timeout | undefined

  constructor(
    data: Omit<SenderData, 'index' | 'deal' | 'leasesRows' | 'beat'>,
    { deal, first, count, leases }: SendersHere,
    sentences: readonly string[],
    private readonly faults: GeneratorFaults,
    private readonly events: LoadEvents,
  ) {
    const merger = new BucketMerger(count, (bucket) => {
      events.onBucket(bucket)
    })
    const send = (sender: number, word: LeaseWord) => this.workers[sender - first]?.postMessage(word)
    this.leases = leases?.(send) ?? new RowLeases(data.plan, count, send)
    compileSoon()
    this.workers = Array.from({ length: count }, (_, place) => {
      const beat = newBeat()
      const { areLeased: leasesRows } = this.leases
      const workerData: SenderData = { ...data, index: first + place, deal, leasesRows, beat }
      const worker = startThread('generate/sender-thread', { workerData })
      const stopWatching = endWhenHeld(worker, beat, () => {
        if (!this.isStopping) this.noteDeath(heldWords('in the load', sentences[sentenceUnder(beat) - 1]))
      })
      worker.once('exit', stopWatching)
      return worker
    })
    this.endWithin(READY_WITHIN_MS, 'a sender was not ready in time: the plan takes too long to prepare')
    this.ready = Promise.all(this.workers.map(untilReady))
    this.ended = Promise.all(
      this.workers.map((worker, place) => this.listen(worker, place, first + place, merger)),
    ).finally(() => {
      this.isOver = true
      clearTimeout(this.limit)
    })
  }

  /**
   * Ends by force every sender that has not ended by then. A thread that is held up, by a regular expression that goes
   * wrong on an answer or a script of its own, does not listen.
   *
   * @param why - what it means for the run
   */
  endWithin(ms: number, why: string): void {
    // A stop is sooner than any limit.
    if (this.isStopping || this.isOver) return
    clearTimeout(this.limit)
    this.limit = setTimeout(() => {
      this.faults.deaths.push(why)
      this.terminate()
    }, ms)
  }

  send(message: ToSender): void {
    if (message.kind === 'stop' && !this.isStopping) {
      this.isStopping = true
      clearTimeout(this.limit)
      this.limit = setTimeout(() => {
        this.terminate()
      }, STOP_WITHIN_MS)
    }
    for (const worker of this.workers) worker.postMessage(message)
  }

  private terminate(): void {
    for (const worker of this.workers) void worker.terminate()
  }

  /** A sender is gone, and what it had not told with it: the run is void, and the others need not go on. */
  private noteDeath(reason: string): void {
    this.faults.deaths.push(reason)
    if (this.isStopping) return
    this.events.onDeath()
    this.send({ kind: 'stop' })
  }

  private listen(worker: Worker, place: number, index: number, merger: BucketMerger): Promise<void> {
    return new Promise((resolve) => {
      let isDone = false
      worker.on('message', (message: FromSender) => {
        switch (message.kind) {
          case 'ready':
            return
          case 'bucket':
            merger.add(place, decodeBucket(message.bytes))
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
          case 'rows wanted':
            this.leases.want(index, message.set)
            return
          case 'rows back':
            this.leases.giveBack(index, message.set, message.leases)
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
        this.noteDeath(`a sender died: ${error instanceof Error ? error.message : String(error)}`)
      })
      worker.on('exit', () => {
        if (!isDone) this.killed++
        if (!isDone && !this.isStopping && this.faults.deaths.length === 0) this.noteDeath('a sender ended too early')
        merger.end(place)
        this.leases.end(index)
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
