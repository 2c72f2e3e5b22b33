// Ten thousand plans at random over a service that fails at random, in simulated time: none in which something failed
// beyond its gate, was not done or could not be read is open; of the healthy ones at most one in a hundred is not.
import { readPlan } from '@jolt-gate/core'
import { describe, expect, it, vi } from 'vitest'
import { randomOf, type Case } from './simulated/plan-parts.js'
import { HEALTHY, KINDS } from './simulated/plans.js'
import { simulateRun } from './simulated/run.js'
import { service } from './simulated/target.js'

const calls = vi.hoisted(() => ({ fail: (): boolean => false }))

vi.mock('../src/clock/clock.js', async () => {
  const { present } = await import('./simulated/world.js')
  return { monotonicMs: () => present.world.nowMs }
})
vi.mock('../src/http/connections.js', async () => {
  const { SimulatedConnections } = await import('./simulated/target.js')
  return { Connections: SimulatedConnections }
})
vi.mock('ws', async () => {
  const { SimulatedSocket } = await import('./simulated/target.js')
  return { WebSocket: SimulatedSocket }
})
vi.mock('../src/walk/steps/call/scripts.js', () => ({
  Scripts: class {
    call() {
      return calls.fail() ? { kind: 'failed', detail: 'it threw' } : { kind: 'returned', json: '1' }
    }
    close() {
      // Nothing was started.
    }
  },
}))
vi.mock('../src/generate/generator-health.js', async () => {
  const { Distribution } = await import('@jolt-gate/core')
  return {
    GeneratorHealth: class {
      read() {
        return { busy: 0.1, busyOfFive: 0.1, delays: new Distribution(), stallMs: 0, secondStallMs: 0 }
      }
      close() {
        // Nothing was started.
      }
    },
  }
})

const BODY = '{"ok":true,"items":[1],"id":"a","state":"done"}'

/** Comes to the verdict of a case; undefined where not enough went wrong for it to count. */
async function verdictOf(made: Case, seed: number): Promise<{ verdict: string; reasons: string[] } | undefined> {
  const random = randomOf(1_000_000 + seed)
  const { plan, target, problems, hasErrors } = readPlan('plans/simulated.gate.yaml', made.text, {
    files: (path) => {
      if (path === 'targets/here.target.yaml')
        return `origin: http://127.0.0.1:7710\nmetrics:\n  places: { url: /metrics, family: places }\n`
      return path === 'fares.ts' ? 'export const choose = () => 1\n' : made.files[path]
    },
  })
  if (hasErrors || target === undefined) throw new Error(`${problems[0]?.message ?? 'no target'}\n${made.text}`)
  const counted = { requests: 0, faults: 0, byPath: new Map<string, { requests: number; faults: number }>() }
  service.now = {
    bodyOf: () => ({ status: 200, body: BODY }),
    faultOf: made.faultOf,
    delayMs: () => 4 + 20 * random(),
    counted,
  }
  calls.fail = made.callFails
  const { judgement } = await simulateRun({
    ...{ plan, target },
    ...(made.metricsAt === undefined ? {} : { metricsAt: made.metricsAt }),
    ...(made.stall === undefined ? {} : { stall: made.stall }),
    ...(made.death === undefined ? {} : { death: made.death }),
  })
  if (made.isOfRequests && counted.faults <= made.limit * counted.requests) return undefined
  return judgement
}

/** For each kind of failure; there are as many healthy ones in all. More are for a change of the judge. */
const OF_EACH = Number(process.env['OF_EACH'] ?? 100)
const kinds = Object.keys(KINDS) as (keyof typeof KINDS)[]
const healthy = Object.keys(HEALTHY) as (keyof typeof HEALTHY)[]

describe('of plans at random', () => {
  it.each(kinds.map((kind, number) => [kind, number] as const))(
    'none is open in which goes wrong: %s',
    async (kind, number) => {
      let counted = 0
      const open: string[] = []
      for (let seed = 0; counted < OF_EACH && seed < 2 * OF_EACH; seed++) {
        const made = KINDS[kind](randomOf(number * 10_000 + seed))
        const judged = await verdictOf(made, seed)
        if (judged === undefined) continue
        counted++
        if (judged.verdict === 'open') open.push(`seed ${String(seed)}\n${made.text}`)
      }

      expect(open.slice(0, 1)).toEqual([])
      expect(counted).toBe(OF_EACH)
    },
  )

  it.each(healthy.map((kind, number) => [kind, number] as const))(
    'at most one in a hundred is not open where all is well: %s',
    async (kind, number) => {
      const count = Math.ceil((kinds.length * OF_EACH) / healthy.length)
      const notOpen: string[] = []
      for (let seed = 0; seed < count; seed++) {
        const made = HEALTHY[kind](randomOf(500_000 + number * 10_000 + seed))
        const judged = await verdictOf({ ...made, isOfRequests: false }, seed)
        if (judged?.verdict !== 'open')
          notOpen.push(`seed ${String(seed)}: ${judged?.reasons.join('; ') ?? ''}\n${made.text}`)
      }

      expect(notOpen.length, notOpen.slice(0, 2).join('\n')).toBeLessThanOrEqual(count / 100)
    },
  )
})
