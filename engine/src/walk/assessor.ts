// What an outcome means for a pass: which checks held, what was kept, and whether it goes on.
import { Received, type Draws, type FailureKind } from '@jolt-gate/core'
import type { Outcome } from './exchange.js'
import type { Mask } from './mask.js'
import type { Pass } from './pass.js'
import type { CompiledKeep, SendOperation, TimedOperation } from './program.js'

export interface Failure {
  kind: FailureKind
  detail: string
  /** Nothing failed but checks on the response time: the time stays among the response times. */
  isOnTime: boolean
}

export interface Assessed {
  failure: Failure | null
  checks: boolean[]
  goesOn: boolean
}

const NO_CHECKS: boolean[] = []
/** What was received where nothing was. */
export const NOTHING = Received.ofText('')
const NOTHING_KEPT = { failure: null, goesOn: true }

export class Assessor {
  constructor(
    private readonly draws: Draws,
    private readonly mask: Mask,
  ) {}

  /** Where `draw` draws: fields, so that no function is made for each keep. */
  private pass: Pass | undefined
  private place = 0
  private readonly draw = (): number => {
    const { pass } = this
    if (pass === undefined) return 0
    return this.draws.at(pass.user, pass.number, this.place + pass.rounds * 1_000_003).next()
  }

  assess(pass: Pass, operation: SendOperation, outcome: Outcome): Assessed {
    if (outcome.kind !== 'answered') {
      const kind = outcome.kind === 'local' ? 'reset' : outcome.failure
      return {
        failure: { kind, detail: outcome.detail, isOnTime: false },
        checks: NO_CHECKS,
        goesOn: this.keepNothing(pass, operation),
      }
    }
    const { received } = outcome
    let failure: Failure | null = null
    if (!operation.hasStatusCheck && received.status >= 400)
      failure = { kind: 'status', detail: String(received.status), isOnTime: false }
    const checks = operation.checks.length === 0 ? NO_CHECKS : new Array<boolean>(operation.checks.length)
    for (let index = 0; index < operation.checks.length; index++) {
      const check = operation.checks[index]
      const holds = check?.verify(received, pass.frame) ?? true
      checks[index] = holds
      if (holds || check === undefined) continue
      // A failure on time alone gives way to any other.
      if (failure === null || (failure.isOnTime && !check.isOnTime))
        failure = check.isOnStatus
          ? { kind: 'status', detail: String(received.status), isOnTime: false }
          : { kind: 'check', detail: check.name, isOnTime: check.isOnTime }
    }
    const kept = this.keepAll(pass, operation, received)
    return { failure: failure ?? kept.failure, checks, goesOn: kept.goesOn }
  }

  /** Takes every keep of an operation; one that finds nothing ends the pass. */
  keepAll(pass: Pass, { keeps }: TimedOperation, received: Received): { failure: Failure | null; goesOn: boolean } {
    if (keeps.length === 0) return NOTHING_KEPT
    let failure: Failure | null = null
    this.pass = pass
    for (const keep of keeps) {
      this.place = keep.place
      const value = keep.take(received, pass.frame, this.draw)
      if (value === undefined) {
        failure ??= { kind: 'keep', detail: keep.name, isOnTime: false }
        continue
      }
      if (keep.secret) this.mask.add(typeof value === 'string' ? value : JSON.stringify(value))
      pass.frame[keep.slot] = value
    }
    return { failure, goesOn: failure === null }
  }

  /** After a request without an answer the pass goes on only where `or VALUE` stands in for every keep. */
  keepNothing(pass: Pass, { keeps }: TimedOperation): boolean {
    return keeps.every((keep: CompiledKeep) => {
      const value = keep.take(NOTHING, pass.frame, () => 0)
      if (value !== undefined) pass.frame[keep.slot] = value
      return value !== undefined
    })
  }
}
