// Setup and teardown: steps that are walked once, outside the load.
import type { Frame, OnceResult, Target } from '@jolt-gate/core'
import { timerAlarm } from '../clock/alarm.js'
import { monotonicMs } from '../clock/clock.js'
import type { Mask } from '../secrets/mask.js'
import type { Program } from '../compile/program.js'
import { Walker } from './walker.js'

export interface OnceOptions {
  target: Target
  seed: number
  mask: Mask
  frame: Frame
  /** Setup ends at its first failure; teardown continues. */
  endsOnFailure: boolean
  withinMs: number
  signal?: AbortSignal
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

/** Kinds of failure after an answer came. */
const AFTER_ANSWER = new Set(['status', 'check', 'keep', 'redirects', 'too large'])

/** Walks a program once. */
export function walkOnce(program: Program, options: OnceOptions): Promise<OnceOutcome> {
  const outcome: OnceOutcome = { results: [], frame: options.frame, secrets: [], failure: null, answered: false }
  if (program.operations.length === 0) return Promise.resolve(outcome)
  return new Promise((resolve) => {
    const { target, seed, mask } = options
    const walker: Walker = new Walker(
      {
        origin: target.origin,
        permitted: new Set([target.origin, ...target.also]),
        route: target,
        connections: 'shared',
        seed,
        mask,
      },
      {
        onStarted: () => undefined,
        onGroup: () => undefined,
        onLocalFault: () => undefined,
        onEnded: ({ operation, sample, failure, iteration }) => {
          const reason =
            failure === null ? null : `${operation.name}: ${failure.kind} ${options.mask.apply(failure.detail)}`
          if (failure === null || AFTER_ANSWER.has(failure.kind)) outcome.answered = true
          outcome.failure ??= reason
          outcome.results.push({
            name: operation.name,
            passed: failure === null,
            reason,
            responseTimeMs: Math.round((sample.endedMs - sample.dueMs) * 1000) / 1000,
          })
          for (const keep of operation.keeps) {
            const kept = iteration.frame[keep.slot]
            if (keep.secret && kept !== undefined)
              outcome.secrets.push(typeof kept === 'string' ? kept : JSON.stringify(kept))
          }
        },
        onStepFailed: (_, operation, failure) => {
          const reason = `${operation.name}: ${options.mask.apply(failure.detail)}`
          outcome.failure ??= reason
          outcome.results.push({ name: operation.name, passed: false, reason, responseTimeMs: null })
        },
        onIterationEnded: (_, how) => {
          if (how === 'cut off') outcome.failure ??= 'not finished in time'
          clearTimeout(limit)
          // Let the exchange that ended last unwind before its connection is closed.
          setImmediate(() => {
            walker.close()
            resolve(outcome)
          })
        },
      },
    )
    const turn = () => {
      walker.runDue()
      walker.arm(Infinity)
    }
    walker.useAlarm(timerAlarm(turn))
    const giveUp = () => {
      walker.cutOff()
    }
    const limit = setTimeout(giveUp, options.withinMs)
    options.signal?.addEventListener('abort', giveUp, { once: true })
    const operations = program.operations.map((operation) =>
      'endsIterationOnFailure' in operation
        ? { ...operation, endsIterationOnFailure: options.endsOnFailure }
        : operation,
    )
    walker.begin({ program: { ...program, operations }, user: 0, phase: 0, frame: options.frame, dueMs: monotonicMs() })
    turn()
  })
}
