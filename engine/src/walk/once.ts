// Setup and teardown: steps that are walked once, outside the load.
import type { Frame, OnceResult } from '@jolt-gate/core'
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
  /** Whether any request got an answer. */
  answered: boolean
}

/** Kinds of failure that do not mean that the target gave no answer. */
const ANSWERED = new Set(['status', 'check', 'keep', 'redirects', 'too large', 'decoding', 'script', 'sql'])

/** Walks a program once. */
export async function walkOnce(program: Program, options: OnceOptions): Promise<OnceOutcome> {
  const { mask, frame, endsOnFailure } = options
  const outcome: OnceOutcome = { results: [], frame, secrets: [], failure: null, answered: false }
  const note = ({ operation, sample, failure, iteration }: Ended) => {
    const reason = failure === null ? null : `${operation.name}: ${failure.kind} ${mask.apply(failure.detail)}`
    if (failure === null || ANSWERED.has(failure.kind)) outcome.answered = true
    outcome.failure ??= reason
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
  if (how === 'cut off') outcome.failure ??= 'not finished in time'
  return outcome
}
