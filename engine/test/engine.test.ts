import { startFerries } from '@jolt-gate/stand-in-ferries'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { begin, HOST, ONE_REQUEST, runPlan, skipWhenBusy, verdictOf } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
beforeAll(async () => {
  server = await startTrueServer((_request, response) => response.end('{"ok":true}'))
})
afterAll(() => server.stop())

describe('arrivals', () => {
  // By hand: of 500 requests over 10 s, those due in the 2 s of silence wait 2 s down to 0; a fifth of all waits,
  // evenly spread, so nine in ten wait at most about 1 s.
  it('a service that answers nothing for 2 s in the middle of 10 s at 50/s shows p90 at about 1 s', async (context) => {
    const handle = begin(server.origin, `${ONE_REQUEST}load:\n  - { phase: held, rate: 50/s, for: 10s }\n`, {
      onEvent: (event) => {
        if (event.kind === 'bucket' && event.bucket.second === 3) server.silentUntilMs = performance.now() + 2000
      },
    })

    const { result, judgement } = await handle.done

    const [step] = result.steps
    expect(step?.requests).toBe(500)
    expect(step?.responseTime?.max).toBeGreaterThan(1800)
    if (verdictOf(judgement) === HOST) skipWhenBusy(judgement, context)
    expect(step?.responseTime?.percentiles['90']).toBeGreaterThan(850)
    expect(step?.responseTime?.percentiles['90']).toBeLessThan(1150)
    expect(step?.responseTime?.percentiles['50']).toBeLessThan(150)
  })

  it('are the same journeys and as many, whatever the number of senders', async () => {
    const parts =
      'seed: 5\nvalues:\n  n: { whole: 1 to 1000000 }\njourneys:\n  a:\n    weight: 2\n    steps:\n      - send: POST /a\n        json: { n: "{n}", user: "{user.number}" }\n  b:\n    steps:\n      - send: POST /b\n        json: { n: "{n}" }\nload:\n  - { phase: p, rate: 60/s, for: 1s }\n'
    const bodiesWith = async (senders: number) => {
      server.bodies.length = 0
      await runPlan(server.origin, parts, { senders })
      return server.bodies.toSorted()
    }

    const one = await bodiesWith(1)

    expect(one).toHaveLength(60)
    expect(new Set(one).size).toBe(60)
    expect(await bodiesWith(2)).toEqual(one)
  })
})

describe('the end of a run', () => {
  it('is void at 300 000 arrivals a second, since the generator could not keep up', async () => {
    const { judgement } = await runPlan(
      server.origin,
      `${ONE_REQUEST}drain: 1s\nload:\n  - { phase: p, rate: 300000/s, for: 2s }\n`,
      { mostLateMs: 1000 },
    )

    expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    expect(judgement.reasons[0]).toMatch(/of the arrivals due were started/)
  })
})

describe('against the ferries', () => {
  it('response time bends upward near capacity, refuses with 503, and recovers', async (context) => {
    const ferries = await startFerries({ places: 4, queue: 40 })
    const parts =
      'journeys:\n  a:\n    steps:\n      - send: GET /sailings{?from,day}\n        with: { from: OSTREY, day: 2026-06-01 }\n        name: search\nload:\n  - { phase: usual, rate: 40/s, for: 4s }\n  - { phase: rush, rate: 400/s, for: 3s }\n  - { phase: gap, rest: 1s }\n  - { phase: after, rate: 40/s, for: 4s }\n'

    const { result, judgement } = await runPlan(ferries.origin, parts)
    await ferries.stop()

    const [usual, rush, , after] = result.phases.map((phase) => phase.steps[0])
    if (verdictOf(judgement) === HOST) skipWhenBusy(judgement, context)
    expect(rush?.responseTime?.percentiles['50']).toBeGreaterThan(
      3 * (usual?.responseTime?.percentiles['50'] ?? Infinity),
    )
    expect(rush?.failed).toBeGreaterThan(100)
    expect(after?.failed).toBe(0)
    expect(after?.responseTime?.percentiles['50']).toBeLessThan(2 * (usual?.responseTime?.percentiles['50'] ?? 0))
  })

  it('a race loses a hold only when two come at once', async () => {
    const ferries = await startFerries({ flaws: { race: true } })
    const hold = (name: string) =>
      `  - send: POST /sessions\n        json: { user: purser, password: grey-gull-9 }\n        name: ${name} sign in\n        keep: { token: json $.token }\n      - send: POST /holds\n        auth: { bearer: "{token}" }\n        json: { sailing: LARKHOLM_FENNICK_2026-06-01_0710, people: 1 }\n        name: ${name} hold\n        check: ["status is 201"]\n        keep: { hold: json $.id }\n      - wait: 100ms\n      - send: GET /holds/{hold}\n        name: ${name} view\n`
    const parts = (load: string) => `journeys:\n  a:\n    steps:\n    ${hold('a')}load:\n  - ${load}\n`

    const alone = await runPlan(ferries.origin, parts('{ phase: p, rate: 2/s, for: 3s }'))
    const crowd = await runPlan(ferries.origin, parts('{ phase: p, starts: 200, for: 1s }'))
    await ferries.stop()

    expect(alone.result.totals.failedRequests).toBe(0)
    expect(crowd.result.steps.find((step) => step.name === 'a view')?.failures).toMatchObject([
      { kind: 'status', detail: '404' },
    ])
  })
})
