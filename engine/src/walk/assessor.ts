// What an outcome means for an iteration: which checks held, what was kept, and whether it continues.
import {
  Received,
  UnreadableBody,
  type Draws,
  type FailureKind,
  type Frame,
  type Json,
  type Verify,
} from '@jolt-gate/core'
import type { ExchangeOutcome } from '../http/exchange.js'
import type { Mask } from '../secrets/mask.js'
import { placeOf, type Iteration } from './iteration.js'
import type { CompiledCheck, CompiledKeep, SendOperation, TimedOperation } from '../compile/program.js'

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
    return this.draws.at(iteration.user, iteration.number, placeOf(iteration, this.place)).next()
  }

  assess(
    iteration: Iteration,
    operation: TimedOperation & Pick<SendOperation, 'hasStatusCheck'>,
    outcome: ExchangeOutcome,
  ): Assessed {
    if (outcome.kind !== 'answered') {
      const kind = outcome.kind === 'local' ? 'local' : outcome.failure
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
      const holds = check === undefined || this.holds(check.verify, received, iteration.frame)
      checks[index] = holds
      if (holds) continue
      // A failure on time alone gives way to any other.
      if (failure === null || (failure.isOnTime && !check.isOnTime))
        failure = check.isOnStatus
          ? { kind: 'status', detail: String(received.status), isOnTime: false }
          : { kind: 'check', detail: this.failedWords(check, received, iteration.frame), isOnTime: check.isOnTime }
    }
    const kept = this.keepAll(iteration, operation, received)
    return { failure: failure ?? kept.failure, checks, continues: kept.continues }
  }

  /** Why the last check, condition or keep could not be evaluated; empty when it could. */
  fault = ''
  /** Whether that is since the body is not what it reads. */
  isUnreadable = false

  /** Whether a check or condition holds. One that cannot be evaluated does not, and leaves the reason in `fault`. */
  holds(verify: Verify, received: Received, frame: Frame): boolean {
    this.fault = ''
    try {
      return verify(received, frame)
    } catch (error) {
      this.fault = reasonOf(error)
      this.isUnreadable = error instanceof UnreadableBody
      return false
    }
  }

  private take({ take }: CompiledKeep, received: Received, frame: Frame, draw: () => number): Json | undefined {
    this.fault = ''
    try {
      return take(received, frame, draw)
    } catch (error) {
      this.fault = reasonOf(error)
      return undefined
    }
  }

  private failedWords({ name, reason }: CompiledCheck, received: Received, frame: Frame): string {
    if (this.fault !== '' || reason === undefined) return this.named(name)
    try {
      const words = reason(received, frame)
      return words === '' ? name : `${name}: ${words}`
    } catch (error) {
      return `${name}: ${reasonOf(error)}`
    }
  }

  /** A name with the reason for which its sentence could not be evaluated. */
  private named(name: string): string {
    return this.fault === '' ? name : `${name}: ${this.fault}`
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
      const value = this.take(keep, received, iteration.frame, this.draw)
      if (value === undefined) {
        failure ??= { kind: 'keep', detail: this.named(keep.name), isOnTime: false }
        continue
      }
      if (keep.secret) this.mask.addPassing(typeof value === 'string' ? value : JSON.stringify(value))
      iteration.frame[keep.slot] = value
    }
    return { failure, continues: failure === null }
  }

  /** After a request without an answer the iteration continues only where `or VALUE` stands in for every keep. */
  keepNothing(iteration: Iteration, { keeps }: TimedOperation): boolean {
    let continues = true
    for (const keep of keeps) {
      const value = this.take(keep, NOTHING, iteration.frame, first)
      if (value === undefined) continues = false
      else iteration.frame[keep.slot] = value
    }
    return continues
  }
}

const first = () => 0
const MOST_REASON = 200
const reasonOf = (error: unknown): string =>
  error instanceof UnreadableBody
    ? error.message
    : `cannot be evaluated: ${(error instanceof Error ? error.message : String(error)).slice(0, MOST_REASON)}`
