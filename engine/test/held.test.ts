import { rehearse } from '@jolt-gate/engine'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { ONE_REQUEST, planFor, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

// The expression backtracks for ages on an answer of many letters that ends wrongly (catastrophic backtracking).
const HELD = '/letters\n    check: [body matches /^(a+)+$/]\n'

let server: TrueServer
beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    response.end(request.url === '/letters' ? `${'a'.repeat(60)}b` : '{}')
  })
})
afterAll(() => server.stop())

/** How often this thread came round while something lasted, every tenth of a second. */
async function turnsWhile<T>(work: Promise<T>): Promise<{ turns: number; outcome: PromiseSettledResult<T> }> {
  let turns = 0
  const timer = setInterval(() => turns++, 100)
  const [outcome] = await Promise.allSettled([work])
  clearInterval(timer)
  return { turns, outcome }
}

describe('a check that holds up whoever evaluates it', () => {
  it('in setup fails it, holds nobody else up, and teardown is still done', async () => {
    server.arrivals.clear()
    const plan = `setup:\n  - send: GET ${HELD}${ONE_REQUEST}load:\n  - { phase: p, rate: 5/s, for: 1s }\nteardown:\n  - send: DELETE /held\n`
    const { turns, outcome } = await turnsWhile(runPlan(server.origin, plan))

    expect(turns).toBeGreaterThan(30)
    expect(outcome).toMatchObject({ value: { judgement: { verdict: 'void', exitCode: 3 } } })
    expect(outcome.status === 'fulfilled' && outcome.value.judgement.reasons[0]).toMatch(
      /setup failed.*evaluating an answer took over 5 s in setup, and was ended/,
    )
    expect(server.arrivals.get('/held')).toHaveLength(1)
    expect(server.arrivals.has('/one')).toBe(false)
  })

  it('in a rehearsal ends it, says after which step, and holds nobody else up', async () => {
    const journey = `journeys:\n  one:\n    steps:\n      - send: GET /one\n        name: one\n      - send: GET ${HELD.replace('    check', '        check')}load:\n  - { phase: p, rate: 5/s, for: 1s }\n`
    const { plan, target } = planFor(server.origin, journey)
    const run = { id: 'r', seed: 1, startedAtMs: 0, secrets: {}, overrides: {} }
    const { turns, outcome } = await turnsWhile(rehearse({ plan, target, run }))

    expect(turns).toBeGreaterThan(30)
    expect(outcome.status === 'rejected' && String(outcome.reason)).toMatch(/took over 5 s after "one", and was ended/)
  })
})
