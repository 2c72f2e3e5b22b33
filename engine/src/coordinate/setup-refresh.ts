// Setup steps with `refresh`: made anew while the load lasts; what they keep, every user sees.
import { setTimeout as sleep } from 'node:timers/promises'
import type { Frame, RenewalResult } from '@jolt-gate/core'
import { monotonicMs } from '../clock/clock.js'
import type { Compiled, SendOperation } from '../compile/program.js'
import type { OnceOutcome } from '../walk/once.js'
import type { Generators, Load } from './generators.js'

const WITHIN_MS = 30_000
/** A timer beyond this would ring at once. */
const LONGEST_TIMER_MS = 2 ** 31 - 1
/** One that fails is tried again so long after the try before. */
const AGAIN_AFTER_MS = [1000, 5000, 30_000]

/** Why a setup is no longer good: its renewal failed, and so did the next. */
export type RenewalFailure = Pick<OnceOutcome, 'isTargets'> & { reason: string }

export class Renewal {
  readonly results: RenewalResult[] = []
  private readonly closing = new AbortController()

  /** @param failed - told once when a renewal has stayed failed past the time of the next */
  constructor(
    compiled: Compiled,
    private readonly frame: Frame,
    private readonly generators: Pick<Generators, 'walk'>,
    private readonly load: Pick<Load, 'send'>,
    private readonly failed: (failure: RenewalFailure) => void,
  ) {
    for (const [place, operation] of compiled.setup.operations.entries()) {
      if (operation.kind !== 'send' || operation.refreshMs === undefined) continue
      const result = { name: operation.name, made: 0, failed: 0, reason: null }
      this.results.push(result)
      void this.keepNew(operation, place, operation.refreshMs, result)
    }
  }

  close(): void {
    this.closing.abort()
  }

  private async keepNew(
    operation: SendOperation,
    place: number,
    everyMs: number,
    result: RenewalResult,
  ): Promise<void> {
    let isOld = false
    for (let dueMs = monotonicMs() + everyMs; await this.reach(dueMs); dueMs += everyMs) {
      const failure = await this.renew(operation, place, dueMs + everyMs, result)
      if (failure !== undefined && isOld) {
        this.failed(failure)
        return
      }
      // One that fails leaves what was kept before: it may still serve until the next.
      isOld = failure !== undefined
    }
  }

  /** Renews one step, and tries again until the next renewal is due; the failure where none did. */
  private async renew(
    operation: SendOperation,
    place: number,
    untilMs: number,
    result: RenewalResult,
  ): Promise<RenewalFailure | undefined> {
    for (const againAfterMs of [...AGAIN_AFTER_MS, Infinity]) {
      const outcome = await this.generators.walk({
        ...{ part: 'setup', only: place, frame: [...this.frame] },
        ...{ endsOnFailure: true, withinMs: WITHIN_MS },
      })
      if (this.closing.signal.aborted) return undefined
      if (outcome.failure === null) {
        result.made++
        this.emit(operation, outcome)
        return undefined
      }
      result.failed++
      result.reason = outcome.failure
      const againMs = monotonicMs() + againAfterMs
      if (againMs >= untilMs) return { reason: `renewal: ${outcome.failure}`, isTargets: outcome.isTargets }
      if (!(await this.reach(againMs))) return undefined
    }
    return undefined
  }

  private emit({ keeps }: SendOperation, { frame, secrets }: OnceOutcome): void {
    const values = keeps.flatMap(({ slot }): [number, NonNullable<Frame[number]>][] => {
      const value = frame[slot]
      return value === undefined || value === null ? [] : [[slot, value]]
    })
    this.load.send({ kind: 'renewed', values, masked: secrets })
  }

  /** Waits for a moment; false when the load was over before. */
  private async reach(atMs: number): Promise<boolean> {
    try {
      const waitMs = Math.min(LONGEST_TIMER_MS, Math.max(0, atMs - monotonicMs()))
      await sleep(waitMs, undefined, { signal: this.closing.signal, ref: false })
      return true
    } catch {
      return false
    }
  }
}
