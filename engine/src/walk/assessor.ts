// What an outcome means for an iteration: which checks held, what was kept, and whether it continues.
import { Received, type Draws, type FailureKind } from '@jolt-gate/core'
import type { Outcome } from '../http/exchange.js'
import type { Mask } from '../secrets/mask.js'
import type { Iteration } from './iteration.js'
import type { CompiledKeep, SendOperation, TimedOperation } from '../compile/program.js'

export interface Failure {
  kind: FailureKind
  detail: string
  /** Nothing failed but checks on the response time: the time stays among the response times. */
  isOnTime: boolean
}

export interface Assessed {
  failure: Failure | null
  checks: boolean[]
  continues: boolean
}

const NO_CHECKS: boolean[] = []
/** What was received where nothing was. */
export const NOTHING = Received.ofText('')
const NOTHING_KEPT = { failure: null, continues: true }

export class Assessor {
  constructor(
    private readonly draws: Draws,
    private readonly mask: Mask,
  ) {}

  /** Where `draw` draws: fields, so that no function is made for each keep. */
  private iteration: Iteration | undefined
  private place = 0
  private readonly draw = (): number => {
    const { iteration } = this
    if (iteration === undefined) return 0
    return this.draws.at(iteration.user, iteration.number, this.place + iteration.rounds * 1_000_003).next()
  }

  assess(iteration: Iteration, operation: SendOperation, outcome: Outcome): Assessed {
    if (outcome.kind !== 'answered') {
      const kind = outcome.kind === 'local' ? 'reset' : outcome.failure
      return {
        failure: { kind, detail: outcome.detail, isOnTime: false },
        checks: NO_CHECKS,
        continues: this.keepNothing(iteration, operation),
      }
    }
    const { received } = outcome
    let failure: Failure | null = null
    if (!operation.hasStatusCheck && received.status >= 400)
      failure = { kind: 'status', detail: String(received.status), isOnTime: false }
    const checks = operation.checks.length === 0 ? NO_CHECKS : new Array<boolean>(operation.checks.length)
    for (let index = 0; index < operation.checks.length; index++) {
      const check = operation.checks[index]
      const holds = check?.verify(received, iteration.frame) ?? true
      checks[index] = holds
      if (holds || check === undefined) continue
      // A failure on time alone gives way to any other.
      if (failure === null || (failure.isOnTime && !check.isOnTime))
        failure = check.isOnStatus
          ? { kind: 'status', detail: String(received.status), isOnTime: false }
          : { kind: 'check', detail: check.name, isOnTime: check.isOnTime }
    }
    const kept = this.keepAll(iteration, operation, received)
    return { failure: failure ?? kept.failure, checks, continues: kept.continues }
  }

  /** Takes every keep of an operation; one that finds nothing ends the iteration. */
  keepAll(
    iteration: Iteration,
    { keeps }: TimedOperation,
    received: Received,
  ): { failure: Failure | null; continues: boolean } {
    if (keeps.length === 0) return NOTHING_KEPT
    let failure: Failure | null = null
    this.iteration = iteration
    for (const keep of keeps) {
      this.place = keep.place
      const value = keep.take(received, iteration.frame, this.draw)
      if (value === undefined) {
        failure ??= { kind: 'keep', detail: keep.name, isOnTime: false }
        continue
      }
      if (keep.secret) this.mask.add(typeof value === 'string' ? value : JSON.stringify(value))
      iteration.frame[keep.slot] = value
    }
    return { failure, continues: failure === null }
  }

  /** After a request without an answer the iteration continues only where `or VALUE` stands in for every keep. */
  keepNothing(iteration: Iteration, { keeps }: TimedOperation): boolean {
    return keeps.every((keep: CompiledKeep) => {
      const value = keep.take(NOTHING, iteration.frame, () => 0)
      if (value !== undefined) iteration.frame[keep.slot] = value
      return value !== undefined
    })
  }
}
