import { rehearse } from '@jolt-gate/engine'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { begin, ONE_REQUEST, planFor, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

// The expression backtracks for ages on an answer of many letters that ends wrongly (catastrophic backtracking), and
// has a flag, so that it cannot be matched in linear time.
const HELD = '/letters\n    check: [body matches /^(a+)+$/i]\n'

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
      /setup failed.*evaluating an answer took over 5 s in setup \("GET \/letters": body matches \/\^\(a\+\)\+\$\/i\), and was ended/,
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

  it('in a load ends its sender and the run within seconds, names the step and the check, and teardown is still done', async () => {
    server.arrivals.clear()
    const journey = `journeys:\n  one:\n    steps:\n      - send: GET ${HELD.replace('    check', '        name: letters\n        check')}`
    const plan = `${journey}load:\n  - { phase: p, rate: 5/s, for: 60s }\nteardown:\n  - send: DELETE /held\n`
    const { turns, outcome } = await turnsWhile(runPlan(server.origin, plan))

    // Of the 600 tenths of a second that the load would have lasted.
    expect(turns).toBeLessThan(300)
    expect(outcome).toMatchObject({ value: { judgement: { verdict: 'void', exitCode: 3 } } })
    expect(outcome.status === 'fulfilled' && outcome.value.judgement.reasons[0]).toMatch(
      /took over 5 s in the load \("letters": body matches \/\^\(a\+\)\+\$\/i\), and was ended/,
    )
    expect(server.arrivals.get('/held')).toHaveLength(1)
  })

  it('that has no flag is matched in linear time: the check fails, and nothing is held up', async () => {
    const journey = `journeys:\n  one:\n    steps:\n      - send: GET ${HELD.replace('/i]', '/]').replace('    check', '        check')}`
    const outcome = await runPlan(server.origin, `${journey}load:\n  - { phase: p, rate: 5/s, for: 1s }\n`)

    expect(outcome.judgement).toMatchObject({ verdict: 'shut' })
    expect(outcome.result.totals).toMatchObject({ failedRequests: 5 })
  })
})

describe('a stop', () => {
  it('before the senders are ready is obeyed: nothing is sent, and the run is void', async () => {
    server.arrivals.clear()
    const plan = `${ONE_REQUEST}load:\n  - { phase: p, rate: 50/s, for: 60s }\n`
    for (const moment of ['setup', 'load'] as const) {
      const handle = begin(server.origin, plan, {
        warmsUp: true,
        onState: (state) => {
          if (state !== moment) return
          setImmediate(() => {
            handle.stop('a person')
            handle.stop('another')
          })
        },
      })
      const { judgement, result } = await handle.done
      expect(judgement).toMatchObject({ verdict: 'stopped' })
      expect(judgement.reasons.join()).toMatch(/stopped by a person/)
      expect(result.totals.requests).toBe(0)
    }
    expect(server.arrivals.has('/one')).toBe(false)
  })
})
