import { setTimeout as sleep } from 'node:timers/promises'
import { startFerries } from '@jolt-gate/stand-in-ferries'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { begin, HOST, ONE_REQUEST, runPlan, verdictOf } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    const path = request.url ?? ''
    if (path === '/token') response.end('{"token":"tide-table-secret","ids":["a","b","c"]}')
    else if (path === '/moved') response.writeHead(302, { location: '/one' }).end()
    else if (path === '/ring') response.writeHead(302, { location: '/ring' }).end()
    else if (path === '/away') response.writeHead(302, { location: 'http://127.0.0.1:9/' }).end()
    else if (path === '/letters') response.end(`${'a'.repeat(60)}b`)
    else if (path === '/reset') request.socket.destroy()
    else if (path === '/never') return
    else if (path === '/echo') response.writeHead(500).end(`no: ${request.headers.authorization ?? ''}`)
    else response.end('{"ok":true}')
  })
})
afterAll(() => server.stop())

describe('arrivals', () => {
  it('constant 1/s for 10 s, rest 1 s, ramp 1/s to 15/s over 10 s and a batch of 15 in 10 s make 10, 0, 80 and 15, and the service counted the same', async () => {
    server.arrivals.delete('/one')
    const load =
      'load:\n  - { phase: c, rate: 1/s, for: 10s }\n  - { phase: rest, rest: 1s }\n  - { phase: r, rate: 1/s to 15/s, for: 10s }\n  - { phase: b, starts: 15, for: 10s }\n'

    const { result } = await runPlan(server.origin, ONE_REQUEST + load)

    expect(result.phases.map((phase) => phase.arrivalsStarted)).toEqual([10, 0, 80, 15])
    expect(server.arrivals.get('/one')).toHaveLength(105)
    expect(result.totals).toMatchObject({
      arrivalsDue: 105,
      arrivals: 105,
      requests: 105,
      failedRequests: 0,
      journeys: 105,
    })
  })

  // By hand: of 500 requests over 10 s, those due in the 2 s of silence wait 2 s down to 0; a fifth of all waits,
  // evenly spread, so nine in ten wait at most about 1 s.
  it('a service that answers nothing for 2 s in the middle of 10 s at 50/s shows p90 at about 1 s', async () => {
    const handle = begin(server.origin, `${ONE_REQUEST}load:\n  - { phase: held, rate: 50/s, for: 10s }\n`, {
      onEvent: (event) => {
        if (event.kind === 'bucket' && event.bucket.second === 3) server.silentUntilMs = performance.now() + 2000
      },
    })

    const { result, judgement } = await handle.done

    const [step] = result.steps
    expect(step?.requests).toBe(500)
    expect(step?.responseTime?.max).toBeGreaterThan(1800)
    if (verdictOf(judgement) === HOST) return
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

describe('an iteration', () => {
  it('keeps values for later steps, and sees what setup kept', async () => {
    server.arrivals.clear()
    const parts =
      'setup:\n  - send: GET /token\n    keep: { token: secret json $.token }\njourneys:\n  a:\n    steps:\n      - send: GET /token\n        keep: { id: json $.ids last }\n      - group: both\n        steps:\n          - send: POST /x/{id}\n            auth: { bearer: "{token}" }\n          - wait: 300ms\n          - send: GET /y\n            name: y\nload:\n  - { phase: p, starts: 5, for: 1s }\n'

    const { result } = await runPlan(server.origin, parts)

    expect(server.arrivals.get('/x/c')).toHaveLength(5)
    expect(result).toMatchObject({
      totals: { requests: 15, failedRequests: 0 },
      setup: [{ passed: true }],
      groups: [{ name: 'both', count: 5 }],
    })
    const [group, journey] = [result.groups[0]?.time, result.journeys[0]?.time]
    expect((journey?.mean ?? 0) - (group?.mean ?? Infinity)).toBeGreaterThan(299)
  })

  it.each([
    ['status', 'GET /echo', '', 'status', '500'],
    ['check', 'GET /one', 'check: ["json $.ok is false"]', 'check', 'json $.ok is false'],
    ['keep', 'GET /one', 'keep: { x: json $.none }', 'keep', 'x'],
    ['timeout', 'GET /never', 'timeout: 200ms', 'timeout', 'no answer in 200 ms'],
    ['reset', 'GET /reset', '', 'reset', 'connection closed before the response was complete'],
    ['redirects', 'GET /ring', '', 'redirects', 'more than 5'],
    ['not permitted', 'GET /away', '', 'not permitted', 'http://127.0.0.1:9'],
  ])('that fails by %s is told so', async (_, send, more, kind, detail) => {
    const parts = `journeys:\n  a:\n    steps:\n      - send: ${send}\n        name: it\n        ${more}\nload:\n  - { phase: p, starts: 3, for: 500ms }\n`

    const { result } = await runPlan(server.origin, parts)

    expect(result.steps[0]).toMatchObject({ requests: 3, failed: 3, failures: [{ kind, detail, count: 3 }] })
  })

  it('that times out counts its wait as response time; other failures are kept apart', async () => {
    const parts =
      'journeys:\n  a:\n    steps:\n      - send: GET /never\n        name: never\n        timeout: 300ms\n      - send: GET /echo\n        name: echo\nload:\n  - { phase: p, starts: 4, for: 1s }\n'

    const { result } = await runPlan(server.origin, parts)

    const [never, echo] = result.steps
    expect(never?.responseTime).toMatchObject({ count: 4 })
    expect(never?.responseTime?.min).toBeGreaterThanOrEqual(299)
    expect(echo).toMatchObject({ responseTime: null, failedTime: { count: 4 } })
  })

  it('follows redirects as one request', async () => {
    const parts =
      'journeys:\n  a:\n    steps:\n      - send: GET /moved\n        name: moved\n        check: ["status is 200"]\nload:\n  - { phase: p, starts: 3, for: 500ms }\n'

    expect((await runPlan(server.origin, parts)).result.steps[0]).toMatchObject({ requests: 3, failed: 0 })
  })

  it('masks secrets in whatever is stored', async () => {
    const parts =
      'journeys:\n  a:\n    steps:\n      - send: GET /echo\n        auth: { basic: [u, "{secret.word}"] }\nload:\n  - { phase: p, starts: 2, for: 500ms }\n'

    const { result } = await runPlan(server.origin, parts, { secrets: { word: 'open sesame' } })

    expect(result.steps[0]?.failures[0]?.sample).toMatch(/^no: Basic/)
    expect(JSON.stringify(result)).not.toMatch(/open sesame|b3BlbiBzZXNhbW|dTpvcGVuIHNlc2FtZQ|vcGVuIHNlc2Ft/)
  })
})

describe('the end of a run', () => {
  it('comes soon after a stop, with teardown still done', async () => {
    server.arrivals.delete('/cleared')
    const handle = begin(
      server.origin,
      `${ONE_REQUEST}teardown:\n  - send: DELETE /cleared\nload:\n  - { phase: p, rate: 20/s, for: 60s }\n`,
    )
    await sleep(2500)
    const stoppedAt = performance.now()

    handle.stop('SIGINT')
    const { judgement } = await handle.done

    // Of sixty seconds nothing is left but the stop itself.
    expect(performance.now() - stoppedAt).toBeLessThan(10_000)
    expect(judgement).toMatchObject({ verdict: 'stopped', exitCode: 4, reasons: ['stopped by SIGINT'] })
    expect(server.arrivals.get('/cleared')).toHaveLength(1)
  })

  it('comes soon after a stop even where a check holds the sender up for good, with teardown done', async () => {
    // (a+)+$ over a row of a without an end takes a time that doubles with each letter.
    const parts = `journeys:\n  a:\n    steps:\n      - send: GET /letters\n        check: ['body matches /^(a+)+$/']\nteardown:\n  - send: DELETE /cleared\nload:\n  - { phase: p, rate: 5/s, for: 60s }\n`
    server.arrivals.delete('/cleared')
    const handle = begin(server.origin, parts, { senders: 1 })
    await sleep(3000)

    handle.stop('test')
    const { judgement, result } = await handle.done

    expect(judgement).toMatchObject({ verdict: 'stopped', exitCode: 4 })
    expect(result.totals.requests).toBe(0)
    expect(server.arrivals.get('/cleared')).toHaveLength(1)
  })

  it('cuts off what is open after the drain', async () => {
    const parts =
      'drain: 500ms\njourneys:\n  a:\n    steps:\n      - send: GET /never\n        name: never\nload:\n  - { phase: p, starts: 3, for: 500ms }\n'

    const { result } = await runPlan(server.origin, parts)

    expect(result.totals).toMatchObject({ cutOff: 3, failedRequests: 3 })
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'cut off', count: 3 }])
  })

  it('is shut when the target cannot be reached, and the first reason says so', async () => {
    const { judgement } = await runPlan(
      'http://127.0.0.1:9',
      `${ONE_REQUEST}load:\n  - { phase: p, rate: 10/s, for: 1s }\n`,
    )

    expect(judgement).toMatchObject({ verdict: 'shut', exitCode: 1 })
    expect(judgement.reasons[0]).toMatch(/^the target did not answer: .*refused/)
  })

  it('is shut when setup is not answered, and void when it is answered wrongly', async () => {
    const load = 'load:\n  - { phase: p, rate: 10/s, for: 1s }\n'
    const setup = (path: string) => `setup:\n  - send: GET ${path}\n${ONE_REQUEST}${load}`

    expect((await runPlan('http://127.0.0.1:9', setup('/one'))).judgement).toMatchObject({
      verdict: 'shut',
      exitCode: 1,
    })
    expect((await runPlan(server.origin, setup('/echo'))).judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
  })

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
  it('response time bends upward near capacity, refuses with 503, and recovers', async () => {
    const ferries = await startFerries({ places: 4, queue: 40 })
    const parts =
      'journeys:\n  a:\n    steps:\n      - send: GET /sailings{?from,day}\n        with: { from: OSTREY, day: 2026-06-01 }\n        name: search\nload:\n  - { phase: usual, rate: 40/s, for: 4s }\n  - { phase: rush, rate: 400/s, for: 3s }\n  - { phase: gap, rest: 1s }\n  - { phase: after, rate: 40/s, for: 4s }\n'

    const { result, judgement } = await runPlan(ferries.origin, parts)
    await ferries.stop()

    const [usual, rush, , after] = result.phases.map((phase) => phase.steps[0])
    if (verdictOf(judgement) === HOST) return
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
