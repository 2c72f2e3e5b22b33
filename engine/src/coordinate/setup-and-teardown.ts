// Setup and teardown, walked in a thread of their own: what a plan evaluates may hold that up, and nothing else.
import type { Worker } from 'node:worker_threads'
import type { OnceResult } from '@jolt-gate/core'
import { endWhenHeld, HELD_AFTER_MS, heldWords, newBeat, sentenceUnder } from '../threads/beat.js'
import { startThread } from '../threads/thread.js'
import type { Compiled } from '../compile/program.js'
import type { OnceOutcome } from '../walk/once.js'
import type { WalkAsked } from './generators.js'
import type { FromSetupThread, SetupThreadData, ToSetupThread } from './setup-thread.js'

/** After its time a walk ends by itself; one that does not is held up. */
const GRACE_MS = 2000

export class SetupAndTeardown {
  private worker: Worker | undefined
  private stopWatching: () => void = () => undefined
  private readonly waiting = new Map<number, (outcome: OnceOutcome | undefined) => void>()
  private next = 0
  private fault: string | undefined
  /** The sentence that held the thread up. */
  private heldAt: string | undefined

  constructor(
    private readonly data: Omit<SetupThreadData, 'beat'>,
    private readonly compiled: Compiled,
  ) {}

  /** Walks a part of the plan; what cannot be evaluated in time has failed. */
  walk(asked: WalkAsked): Promise<OnceOutcome> {
    if (this.compiled[asked.part].operations.length === 0) return Promise.resolve(nothingOf(asked, null))
    const id = this.next++
    const worker = (this.worker ??= this.start())
    return new Promise((resolve) => {
      const limit = setTimeout(
        () => {
          void worker.terminate()
        },
        asked.withinMs + HELD_AFTER_MS + GRACE_MS,
      )
      this.waiting.set(id, (outcome) => {
        clearTimeout(limit)
        this.waiting.delete(id)
        // Without one, its thread has ended.
        resolve(outcome ?? nothingOf(asked, this.fault ?? heldWords(`in ${asked.part}`, this.heldAt)))
      })
      this.send({ kind: 'walk', id, ...asked })
    })
  }

  /** Setup is wanted no more. */
  giveUp(): void {
    if (this.waiting.size === 0) return
    this.send({ kind: 'give up' })
    const { worker } = this
    setTimeout(() => {
      if (this.waiting.size > 0) void worker?.terminate()
    }, GRACE_MS).unref()
  }

  close(): void {
    this.stopWatching()
    void this.worker?.terminate()
  }

  private start(): Worker {
    const beat = newBeat()
    const workerData: SetupThreadData = { ...this.data, beat }
    const worker = startThread('coordinate/setup-thread', { workerData })
    this.stopWatching = endWhenHeld(worker, beat, () => {
      this.heldAt = this.compiled.sentences[sentenceUnder(beat) - 1]
    })
    worker.on('message', ({ id, outcome }: FromSetupThread) => this.waiting.get(id)?.(outcome))
    worker.on('error', (error) => {
      this.fault = error instanceof Error ? error.message : String(error)
    })
    worker.on('exit', () => {
      this.stopWatching()
      if (this.worker === worker) this.worker = undefined
      for (const end of [...this.waiting.values()]) end(undefined)
    })
    return worker
  }

  private send(message: ToSetupThread): void {
    this.worker?.postMessage(message)
  }
}

/** What a walk comes to that was not made, and why it was not; null where there is nothing to be made. */
export function nothingOf({ part, frame }: WalkAsked, failure: string | null): OnceOutcome {
  const results: OnceResult[] =
    failure === null ? [] : [{ name: part, passed: false, reason: failure, responseTimeMs: null }]
  return { results, frame, secrets: [], failure, isTargets: false }
}
