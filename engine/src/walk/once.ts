// Setup and teardown: steps that are walked once, outside the load.
import type { FailureKind, Frame, OnceResult } from '@jolt-gate/core'
import type { Program } from '../compile/program.js'
import { walkAlone, type AloneOptions } from './alone.js'
import type { Ended } from './listener.js'

export interface OnceOptions extends Pick<
  AloneOptions,
  'target' | 'seed' | 'mask' | 'frame' | 'withinMs' | 'signal' | 'traces'
> {
  /** Setup ends at its first failure; teardown continues. */
  endsOnFailure: boolean
}

export interface OnceOutcome {
  results: OnceResult[]
  frame: Frame
  /** Values that a `secret` keep took. */
  secrets: string[]
  failure: string | null
  /** Whether the target's own origin is why it failed: it did not answer, or with 5xx. */
  isTargets: boolean
}

/** Kinds of failure that mean that no answer came. */
const UNANSWERED: ReadonlySet<FailureKind> = new Set([
  'refused',
  'reset',
  'timeout',
  'tls',
  'dns',
  'protocol',
  'cut off',
])
const LEAST_SERVER_ERROR = 500

/** Walks a program once. */
export async function walkOnce(program: Program, options: OnceOptions): Promise<OnceOutcome> {
  const { mask, frame, endsOnFailure } = options
  const outcome: OnceOutcome = { results: [], frame, secrets: [], failure: null, isTargets: false }
  const note = (ended: Ended) => {
    const { operation, sample, failure, iteration } = ended
    const reason = failure === null ? null : `${operation.name}: ${failure.kind} ${mask.apply(failure.detail)}`
    if (outcome.failure === null && reason !== null) {
      outcome.failure = reason
      outcome.isTargets = isFaultOf(options.target.origin, ended)
    }
    outcome.results.push({
      name: operation.name,
      passed: failure === null,
      reason,
      responseTimeMs: sample.endedMs > sample.dueMs ? Math.round((sample.endedMs - sample.dueMs) * 1000) / 1000 : null,
    })
    for (const keep of operation.keeps) {
      const kept = iteration.frame[keep.slot]
      if (keep.secret && kept !== undefined)
        outcome.secrets.push(typeof kept === 'string' ? kept : JSON.stringify(kept))
    }
  }
  const operations = program.operations.map((operation) =>
    'endsIterationOnFailure' in operation ? { ...operation, endsIterationOnFailure: endsOnFailure } : operation,
  )
  const { how } = await walkAlone({ ...program, operations }, { ...options, onEnded: note })
  if (how === 'cut off' || how === 'unfinished') outcome.failure ??= 'not finished in time'
  return outcome
}

/** Whether an origin did not answer a request that went there in the end, or answered with 5xx. */
function isFaultOf(origin: string, { exchange, failure, received }: Ended): boolean {
  if (exchange === null || failure === null || exchange.origin !== origin) return false
  return UNANSWERED.has(failure.kind) || (received !== null && received.status >= LEAST_SERVER_ERROR)
}
