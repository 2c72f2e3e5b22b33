// What an iteration did not do, and what nobody could read, against a real server: none of it is open.
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { gzipSync } from 'node:zlib'
import { WebSocketServer } from 'ws'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { expectOpen, runPlan, verdictOf } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
let sockets: Server
let socketOrigin = ''
/** How the next renewals are answered. */
let renewals: string[] = []
beforeAll(async () => {
  const whole = gzipSync('{"ok":true}')
  server = await startTrueServer((request, response) => {
    const path = (request.url ?? '').split('?')[0]
    if (path === '/page') response.setHeader('content-type', 'text/html').end('<!doctype html><p>Sorry</p>')
    else if (path === '/waiting') response.end('{"state":"waiting"}')
    else if (path === '/never') return
    else if (path === '/sign-in') response.writeHead(302, { location: '/ok' }).end()
    else if (path === '/none') response.writeHead(204).end()
    else if (path === '/down') response.writeHead(503).end('{"state":"down"}')
    else if (path === '/renewed') {
      const next = renewals.shift() ?? 'ok'
      response.writeHead(next === 'ok' ? 200 : next === '503' ? 503 : 403).end('{"ok":true}')
    } else if (path === '/empty') response.end('{"token":"","id":null}')
    else if (path === '/gzip') response.setHeader('content-encoding', 'gzip').end(whole)
    else if (path === '/cut') response.setHeader('content-encoding', 'gzip').end(whole.subarray(0, 20))
    else response.end('{"ok":true}')
  })
  sockets = createServer()
  new WebSocketServer({ server: sockets }).on('connection', (socket) => {
    socket.send('{"kind":"hello"}')
  })
  await new Promise<void>((resolve) => sockets.listen(0, '127.0.0.1', resolve))
  socketOrigin = `http://127.0.0.1:${String((sockets.address() as AddressInfo).port)}`
})
afterAll(async () => {
  await server.stop()
  sockets.closeAllConnections()
  sockets.close()
})

const STARTS = '  - { phase: p, starts: 4, for: 400ms }'
const planOf = (steps: string, load = STARTS, top = 'drain: 500ms\n') =>
  `${top}journeys:\n  a:\n    steps:\n${steps}load:\n${load}\n`
const run = async (steps: string, load?: string, top?: string, origin = server.origin) => {
  const outcome = await runPlan(origin, planOf(steps, load, top))
  return { ...outcome, verdict: verdictOf(outcome.judgement) }
}

describe('a repeat', () => {
  const waiting = (more = '') =>
    `      - repeat: { until: json $.state is "done", at most: 3${more} }\n        steps:\n          - send: GET /waiting\n            name: state\n`

  it('whose check never comes true fails, by its own name, and its iteration with it', async () => {
    const { result, verdict } = await run(waiting())

    expect(verdict).toBe('shut')
    expect(result.steps.find(({ name }) => name === 'repeat until json $.state is "done"')?.failures).toMatchObject([
      { kind: 'until', detail: 'not true after 3 rounds', count: 4 },
    ])
    expect(result.totals).toMatchObject({ requests: 12, failedRequests: 0, journeys: 0, failedJourneys: 4 })
  })

  it('that may go on without it does', async () => {
    const { result, verdict } = await run(`${waiting(', then: continue')}      - send: GET /ok\n`)

    expect(verdict).toBe('open')
    expect(result.totals).toMatchObject({ requests: 16, journeys: 4, failedJourneys: 0 })
  })

  it('until the load ends finishes with it, and what comes after is done in the drain', async () => {
    const steps =
      '      - repeat: { until: load ends }\n        steps:\n          - send: GET /ok\n          - wait: 1h\n      - send: GET /bye\n        name: bye\n'
    const { result, verdict } = await run(
      steps,
      '  - { phase: p, starts: 3, for: 200ms }\n  - { phase: rest, rest: 1s }',
      'drain: 30s\n',
    )

    expect(verdict).toBe('open')
    expect(result.totals).toMatchObject({ journeys: 3, unfinishedJourneys: 0 })
    expect(result.steps.find(({ name }) => name === 'bye')?.requests).toBe(3)
  })

  it.each([
    ['requests', ['- send: GET http://127.0.0.1:9/x', '  name: far']],
    ['sockets', ['- socket: GET http://127.0.0.1:9/x', '  name: far', '  steps: [say: hello]']],
  ])('of %s that end at once ends, however often it is made', async (_, inside) => {
    const steps = `      - repeat: 8000\n        steps:\n${inside.map((line) => `          ${line}\n`).join('')}`
    const outcome = await runPlan(server.origin, planOf(steps, '  - { phase: p, starts: 1, for: 1s }', 'drain: 60s\n'))

    expect(outcome.judgement.verdict).toBe('shut')
    expect(outcome.result.steps[0]?.failures).toMatchObject([{ kind: 'not permitted', count: 8000 }])
  })

  it('of branches that end at once ends, however often it is made', async () => {
    const branch = '              - when: status is 204\n                steps: [send: GET /bye]\n'
    const steps = `      - repeat: 8000\n        steps:\n          - parallel:\n${branch.repeat(2)}      - send: GET /ok\n`
    const { result, verdict } = await run(steps, '  - { phase: p, starts: 1, for: 1s }', 'drain: 60s\n')

    expect(verdict).toBe('open')
    expect(result.totals).toMatchObject({ journeys: 1, requests: 1 })
  })
})

describe('an iteration', () => {
  it('that is cut off in a wait does not finish: a run of nothing else is void', async () => {
    const { result, judgement } = await run('      - send: GET /ok\n      - wait: 60s\n')

    expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    expect(judgement.reasons[0]).toMatch(/^no iteration of journey "a" finished \(4 started; 4 were cut off in a wait/)
    expect(judgement.isOpenQuestion).toBeUndefined()
    expect(result.totals).toMatchObject({ unfinishedJourneys: 4, failedJourneys: 0 })
  })

  it('that is cut off with a request open has failed', async () => {
    const { result, verdict } = await run('      - send: GET /ok\n      - send: GET /never\n        name: never\n')

    expect(verdict).toBe('shut')
    expect(result.totals).toMatchObject({ failedJourneys: 4, unfinishedJourneys: 0 })
    expect(result.journeys[0]).toMatchObject({ failed: 4, cutOff: 4 })
  })

  it('of a user who waits when the load ends is no reason for red or void', async (context) => {
    const { result, judgement } = await run(
      '      - send: GET /ok\n      - wait: 900ms\n',
      '  - { phase: p, users: 6, for: 3s, spread: 2s }',
      'drain: 200ms\n',
    )

    expectOpen(judgement, context)
    expect(result.totals.unfinishedJourneys).toBeGreaterThan(0)
  })

  it('in a socket that stays open for the whole load is as it should be; one that still awaits something is not', async () => {
    const socket = (steps: string) =>
      `      - socket: GET /board\n        name: board\n        steps:\n          - await: json $.kind is "hello"\n            name: hello\n${steps}`
    const load = '  - { phase: p, users: 3, for: 1s }'

    const staying = await run(socket('          - wait: 10m\n'), load, 'drain: 200ms\n', socketOrigin)
    const awaiting = await run(
      socket('          - await: json $.kind is "bye"\n            name: bye\n            within: 10m\n'),
      load,
      'drain: 200ms\n',
      socketOrigin,
    )

    expect(staying.verdict).toBe('open')
    expect(staying.result.totals).toMatchObject({ unfinishedJourneys: 3, failedRequests: 0 })
    expect(awaiting.verdict).toBe('void')
  })
})

describe('a body', () => {
  const checked = (path: string, check: string) =>
    `      - send: GET ${path}\n        name: it\n        check: ['${check}']\n`

  it.each([
    ['/page', 'json $.error is missing', 'check', 'json $.error is missing: not JSON: starts with <!doctype'],
    [
      '/page',
      'json $.list has at most 3 items',
      'check',
      'json $.list has at most 3 items: not JSON: starts with <!doctype',
    ],
    ['/ok', 'xml //Fault is missing', 'check', 'xml //Fault is missing: not XML: starts with {'],
  ])('of %s fails a check that it lacks something: %s', async (path, check, kind, detail) => {
    const { result, verdict } = await run(checked(path, check))

    expect(verdict).toBe('shut')
    expect(result.steps[0]?.failures).toMatchObject([{ kind, detail, count: 4 }])
  })

  it('that is none by its status lacks whatever is asked', async () => {
    expect((await run(checked('/none', 'json $.error is missing'))).verdict).toBe('open')
  })

  it('with a content coding is decoded, whether anything reads it or not', async () => {
    const { result, verdict } = await run('      - send: GET /cut\n        name: it\n')

    expect(verdict).toBe('shut')
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'decoding', detail: 'the body is not gzip', count: 4 }])
    expect((await run('      - send: GET /gzip\n')).verdict).toBe('open')
  })

  it('that a condition cannot read fails its step, and neither branch is walked', async () => {
    const steps =
      '      - send: GET /page\n        name: page\n      - when: json $.error is missing\n        steps:\n          - send: GET /then\n            name: then\n        else:\n          - send: GET /else\n            name: else\n      - send: GET /ok\n        name: last\n'
    const { result, verdict } = await run(steps)

    expect(verdict).toBe('shut')
    const requests = (name: string) => result.steps.find((step) => step.name === name)?.requests
    expect(['page', 'then', 'else', 'last'].map(requests)).toEqual([4, 0, 0, 4])
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'check', count: 4 }])
  })

  it('with null or an empty text gives nothing to keep', async () => {
    const keep = (what: string) => `      - send: GET /empty\n        name: it\n        keep: { token: '${what}' }\n`

    for (const source of ['json $.token', 'json $.id']) {
      const { result, verdict } = await run(keep(source))
      expect(verdict).toBe('shut')
      expect(result.steps[0]?.failures).toMatchObject([{ kind: 'keep', detail: 'token', count: 4 }])
    }
    expect((await run(keep('json $.token or ""'))).verdict).toBe('open')
  })
})

describe('a renewal of setup', () => {
  const planWith = (path: string, more = '') =>
    `${more}setup:\n  - send: GET ${path}\n    name: token\n    refresh: every 1s\n    keep: { ok: json $.ok }\njourneys:\n  a:\n    steps:\n      - send: GET /ok\nload:\n  - { phase: p, rate: 20/s, for: 4s }\n`

  it('that fails is tried again, counted and shown; a strict run is void for it', async () => {
    renewals = ['ok', 'fails']
    const usual = await runPlan(server.origin, planWith('/renewed'))
    renewals = ['ok', 'fails']
    const strict = await runPlan(server.origin, planWith('/renewed', 'strict: yes\n'))

    const [renewal] = usual.result.renewals ?? []
    expect(renewal).toMatchObject({ name: 'token', failed: 1, reason: 'token: status 403' })
    expect(renewal?.made).toBeGreaterThanOrEqual(1)
    expect(verdictOf(usual.judgement)).toBe('open')
    expect(usual.judgement.notes[0]).toMatch(/^renewals of "token": 1 of \d failed \(token: status 403\)$/)
    expect(strict.judgement.verdict).toBe('void')
    expect(usual.result.setup).toHaveLength(1)
  })

  it.each([
    ['403', 'void'],
    ['503', 'shut'],
  ])(
    'that stays failed with %s past its next time ends the run as a failed setup does: %s',
    async (status, verdict) => {
      renewals = ['ok', ...new Array<string>(20).fill(status)]
      const { judgement, result } = await runPlan(server.origin, planWith('/renewed'))

      expect(judgement.verdict).toBe(verdict)
      expect(judgement.reasons[0]).toContain(`renewal: token: status ${status}`)
      expect(result.totals.requests).toBeLessThan(75)
    },
  )
})

describe('an answer', () => {
  it('that is redirected to another path, each time, is noted', async () => {
    const { judgement } = await run('      - send: GET /sign-in\n        name: search\n')

    expect(judgement.notes).toEqual([`each request of "search" was redirected to ${server.origin}/ok`])
  })

  it('whose status is only ruled out keeps the default for all others', async () => {
    const { result, verdict } = await run(
      "      - send: GET /down\n        name: it\n        check: ['status is not 404']\n",
    )

    expect(verdict).toBe('shut')
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'status', detail: '503', count: 4 }])
  })
})
