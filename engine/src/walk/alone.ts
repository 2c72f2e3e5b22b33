// One user alone on its way through a program, outside the load: setup and teardown, rehearsals, warming up and
// calibrating all walk like this.
import type { Frame, Target, Traces } from '@jolt-gate/core'
import { timerAlarm } from '../clock/alarm.js'
import { monotonicMs } from '../clock/clock.js'
import type { Program } from '../compile/program.js'
import { WayOut } from '../network/way-out.js'
import type { Cookies } from '../http/cookies.js'
import type { Mask } from '../secrets/mask.js'
import type { Iteration } from './iteration.js'
import { plainSample, type Ended, type HowEnded } from './listener.js'
import { Walker } from './walker.js'

type ReachedTarget = Pick<Target, 'origin' | 'also' | 'tls' | 'proxy' | 'localAddress'>

/** An origin that is reached straight, as loopback is. */
export const straightTo = (origin: string): ReachedTarget => ({
  origin,
  also: [],
  tls: undefined,
  proxy: undefined,
  localAddress: undefined,
})

export interface AloneOptions {
  target: ReachedTarget
  seed: number
  mask: Mask
  frame: Frame
  /** The walk is cut off after so long. */
  withinMs: number
  /** Cuts it off before. */
  signal?: AbortSignal | undefined
  /** Where each request carries a trace context; by default none does. */
  traces?: Traces | null
  /** The operation to begin with, and the cookies that the user has already. */
  from?: number
  cookies?: Cookies | null
  /** Told of each step as it ends; a step that is no request has no exchange. */
  onEnded?: (ended: Ended) => void
}

export interface AloneOutcome {
  how: HowEnded
  /** From its beginning to its end, waits included. */
  timeMs: number
}

/** Walks a program once, to its end or its limit. */
export function walkAlone(program: Program, options: AloneOptions): Promise<AloneOutcome> {
  if (program.operations.length === 0) return Promise.resolve({ how: 'finished', timeMs: 0 })
  return new Promise((resolve) => {
    const { target, seed, mask, signal, onEnded = () => undefined } = options
    const giveUp = () => {
      walker.cutOff()
    }
    const onIterationEnded = (iteration: Iteration, how: AloneOutcome['how']) => {
      clearTimeout(limit)
      signal?.removeEventListener('abort', giveUp)
      // Let the exchange that ended last unwind before its connection is closed.
      setImmediate(() => {
        walker.close()
        resolve({ how, timeMs: iteration.lastEndMs - iteration.arrivedMs })
      })
    }
    const walker: Walker = new Walker(
      {
        origin: target.origin,
        out: new WayOut(target, new Set([target.origin, ...target.also])),
        connections: 'shared',
        seed,
        mask,
        networks: null,
        traces: options.traces ?? null,
      },
      {
        onStarted: () => undefined,
        onGroup: () => undefined,
        onCalled: () => undefined,
        onLocalFault: () => undefined,
        onEnded,
        onStepFailed: (iteration, operation, failure) => {
          const now = monotonicMs()
          const sample = plainSample(now, now, now)
          onEnded({ iteration, operation, sample, exchange: null, received: null, failure, checks: [] })
        },
        onIterationEnded,
      },
    )
    const turn = () => {
      walker.runDue()
      walker.arm(Infinity)
    }
    walker.useAlarm(timerAlarm(turn))
    const limit = setTimeout(giveUp, options.withinMs)
    signal?.addEventListener('abort', giveUp, { once: true })
    // Outside a load, what goes on until it ends is done once.
    walker.endLoadAt(-Infinity)
    const { frame, from = 0, cookies = null } = options
    walker.begin({ program, user: 0, phase: 0, frame, dueMs: monotonicMs(), from, cookies })
    turn()
  })
}
