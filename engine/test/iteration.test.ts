// Iterations and the end of a run, against a server that counts: what is sent, kept and told, however long it takes.
import { setTimeout as sleep } from 'node:timers/promises'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { begin, ONE_REQUEST, runPlan } from './run-plan.js'
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
    handle.stop('SIGINT')
    const { judgement } = await handle.done

    // Of sixty seconds nothing is left but the stop itself: this test has no more time.
    expect(judgement).toMatchObject({ verdict: 'stopped', exitCode: 4, reasons: ['stopped by SIGINT'] })
    expect(server.arrivals.get('/cleared')).toHaveLength(1)
  })

  it('comes soon after a stop even where a check holds the sender up for good, with teardown done', async () => {
    // (a+)+$ over a row of a without an end takes a time that doubles with each letter; the flag keeps it from linear
    // time.
    const parts = `journeys:\n  a:\n    steps:\n      - send: GET /letters\n        check: ['body matches /^(a+)+$/i']\nteardown:\n  - send: DELETE /cleared\nload:\n  - { phase: p, rate: 5/s, for: 60s }\n`
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

  it('is shut when setup is not answered, or with 5xx by the target itself, and void when it fails otherwise', async () => {
    const load = 'load:\n  - { phase: p, rate: 10/s, for: 1s }\n'
    const setup = (path: string) => `setup:\n  - send: GET ${path}\n${ONE_REQUEST}${load}`

    expect((await runPlan('http://127.0.0.1:9', setup('/one'))).judgement).toMatchObject({
      verdict: 'shut',
      exitCode: 1,
    })
    expect((await runPlan(server.origin, setup('/echo'))).judgement).toMatchObject({ verdict: 'shut', exitCode: 1 })
    expect((await runPlan(server.origin, setup('/ring'))).judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    // A sign-in provider that is down says nothing of the target.
    const elsewhere = await runPlan(server.origin, setup('http://127.0.0.1:9/token'), {
      target: 'also: ["http://127.0.0.1:9"]\n',
    })
    expect(elsewhere.judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
  })
})
