// Setup steps with `refresh`: made anew while the load lasts; what they keep, every user sees.
import type { Frame } from '@jolt-gate/core'
import type { OnceWalker } from './once-walker.js'
import type { SenderPool } from './sender-pool.js'
import type { Compiled } from '../compile/program.js'

const WITHIN_MS = 30_000

export class Renewal {
  private readonly timers: NodeJS.Timeout[]

  constructor(compiled: Compiled, frame: Frame, once: OnceWalker, senderPool: SenderPool) {
    this.timers = compiled.setup.operations.flatMap((operation, place) => {
      if (operation.kind !== 'send' || operation.refreshMs === undefined) return []
      const renew = async () => {
        const outcome = await once.walk({
          part: 'setup',
          only: place,
          frame: [...frame],
          endsOnFailure: true,
          withinMs: WITHIN_MS,
        })
        // One that fails leaves what was kept before: it may still serve, and the next is not far.
        if (outcome.failure !== null) return
        const values = operation.keeps.flatMap(({ slot }): [number, NonNullable<Frame[number]>][] => {
          const value = outcome.frame[slot]
          return value === undefined || value === null ? [] : [[slot, value]]
        })
        senderPool.say({ kind: 'renewed', values, masked: outcome.secrets })
      }
      return [setInterval(() => void renew(), operation.refreshMs)]
    })
  }

  close(): void {
    for (const timer of this.timers) clearInterval(timer)
  }
}
