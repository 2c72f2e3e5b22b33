// Every step, against real servers on loopback that tell what they saw.
import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { PGlite } from '@electric-sql/pglite'
import { PGLiteSocketServer } from '@electric-sql/pglite-socket'
import { freePort, startMariaDb } from '@jolt-gate/scripts'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { WebSocketServer } from 'ws'
import { journeyOf, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
let count = 0
const sockets: Server[] = []

beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    const path = request.url ?? ''
    if (path === '/state') response.end(JSON.stringify({ state: ++count % 3 === 0 ? 'done' : 'open' }))
    else if (path === '/slow') setTimeout(() => response.end('{}'), 150)
    else response.end('{"ok":true}')
  })
})
beforeEach(() => {
  count = 0
  server.arrivals.clear()
  server.bodies.length = 0
})
afterAll(async () => {
  await server.stop()
  for (const socket of sockets) socket.close()
})
const seen = (path: string) => server.arrivals.get(path)?.length ?? 0

describe('an iteration', () => {
  it('repeats, repeats until, takes branches and picks by weight', async () => {
    const steps = `      - repeat: 3
        steps:
          - send: GET /r
      - repeat: { until: json $.state is "done", at most: 20 }
        steps:
          - send: GET /state
            check: [json $.state exists]
      - when: json $.state is "done"
        steps:
          - send: GET /yes
        else:
          - send: GET /no
      - when: value user.number is 0
        steps:
          - send: GET /first
      - pick:
          - weight: 3
            steps:
              - send: GET /three
          - weight: 1
            steps:
              - send: GET /one
`
    const { result } = await runPlan(
      server.origin,
      journeyOf(steps, 1).replace('starts: 1, for: 400ms', 'users: 1, iterations: 40'),
    )

    expect(result.totals).toMatchObject({ journeys: 40, failedJourneys: 0 })
    expect(seen('/r')).toBe(120)
    expect(seen('/state')).toBe(120)
    expect([seen('/yes'), seen('/no'), seen('/first')]).toEqual([40, 0, 1])
    expect(seen('/three') + seen('/one')).toBe(40)
    expect(seen('/three')).toBeGreaterThan(20)
    expect(seen('/one')).toBeGreaterThan(2)
  })

  it('reads a body that a condition alone looks at', async () => {
    const steps = `      - repeat: { until: json $.state is "done", at most: 20 }
        steps:
          - send: GET /state
      - send: GET /flag
      - when: json $.ok is true
        steps:
          - send: GET /yes
        else:
          - send: GET /no
`
    const { result } = await runPlan(server.origin, journeyOf(steps, 1))

    expect(result.totals).toMatchObject({ journeys: 1, failedJourneys: 0 })
    expect([seen('/state'), seen('/yes'), seen('/no')]).toEqual([3, 1, 0])
  })

  it('draws the same in parallel steps, whichever of them is answered first', async () => {
    const branch = (name: string, first: string) => `          - group: ${name}
            steps:
              - send: GET ${first}
              - send: POST /drawn
                name: ${name} drawn
                text: "${name} {n}"
`
    const values = 'values:\n  n: { whole: 1 to 1000000000, lasts: use }\n'
    const drawn = async (one: string, other: string) => {
      server.bodies.length = 0
      const steps = `      - parallel:\n${branch('a', one)}${branch('b', other)}`
      await runPlan(server.origin, journeyOf(steps, 3, values))
      return server.bodies.filter((body) => body !== '').toSorted()
    }

    const before = await drawn('/slow', '/quick')

    expect(new Set(before).size).toBe(6)
    expect(await drawn('/quick', '/slow')).toEqual(before)
  })

  it('does steps in parallel: all due at once, the next when all have ended', async () => {
    const steps = `      - group: page
        steps:
          - parallel:
              - send: GET /slow
                name: one
              - send: GET /slow
                name: two
              - group: inner
                steps:
                  - send: GET /quick
                    keep: { ok: json $.ok }
                  - wait: 50ms
                  - send: GET /quick2
      - send: GET /after/{ok}
`
    const { result } = await runPlan(server.origin, journeyOf(steps))

    expect(result.totals).toMatchObject({ requests: 20, failedRequests: 0 })
    expect(seen('/after/true')).toBe(4)
    const [page, inner] = result.groups
    expect(page?.time?.max).toBeGreaterThan(145)
    expect(inner?.time?.min).toBeLessThan(page?.time?.min ?? 0)
  })

  it('calls a function in a sandbox that is bounded in time and memory, and sees nothing outside', async () => {
    const script = `
interface Fare { people: number; pick: string }
export function choose(given: { people: number }): Fare { return { people: given.people * 2, pick: Math.random() < 0.5 ? 'low' : 'high' } }
export function endless() { for (;;); }
export function hungry() { const all: number[][] = []; for (;;) all.push(new Array(100000).fill(1)) }
export function nosy() { return [typeof process, typeof require, typeof fetch, typeof globalThis.constructor.constructor('return this')().process].join() }
export function wrong() { throw new Error('no such fare') }
`
    const call = (name: string) => `      - call: fares.ts#${name}\n        name: ${name}\n`
    const steps = `      - call: fares.ts#choose
        with: { people: 2 }
        keep: { people: json $.people, pick: json $.pick }
      - send: POST /fare/{pick}
        json: { people: "{people}" }
      - call: fares.ts#nosy
        keep: { outside: body }
      - send: POST /outside
        json: { found: "{outside}" }
${call('endless')}${call('hungry')}${call('wrong')}      - send: GET /last
`
    const { result } = await runPlan(server.origin, journeyOf(steps, 1), { files: { 'fares.ts': script } })

    expect(server.bodies).toContain('{"people":4}')
    expect(server.bodies).toContain('{"found":"\\"undefined,undefined,undefined,undefined\\""}')
    const failed = Object.fromEntries(
      result.steps.flatMap(({ name, failures }) => failures.map(({ detail, count }) => [name, [detail, count]])),
    )
    expect(failed).toMatchObject({
      endless: ['fares.ts: it ran longer than 250 ms', 1],
      hungry: [expect.stringMatching(/needs more than 32 MB|out of memory|ran longer/), 1],
      wrong: ['fares.ts: no such fare', 1],
    })
    expect(seen('/last')).toBe(1)
    expect(result.totals.failedJourneys).toBe(1)
  })

  it('talks over a WebSocket, each say and await timed', async () => {
    const http = createServer()
    sockets.push(http)
    const websockets = new WebSocketServer({ server: http })
    websockets.on('connection', (socket) => {
      socket.on('message', (data: Buffer) => {
        const said: unknown = JSON.parse(data.toString())
        socket.send('noise that is no JSON')
        setTimeout(() => socket.send(JSON.stringify({ gate: 'B', said })), 80)
      })
    })
    await new Promise<void>((resolve) => http.listen(0, '127.0.0.1', resolve))
    const origin = `http://127.0.0.1:${String((http.address() as AddressInfo).port)}`
    const steps = `      - socket: GET /departures
        name: board
        steps:
          - say: { json: { from: LARKHOLM } }
            name: ask
          - await: json $.gate exists
            name: gate
            within: 2s
            keep: { gate: json $.gate }
          - wait: 20ms
          - await: json $.never exists
            name: never
            within: 100ms
      - when: value gate is "B"
        steps:
          - socket: GET /again
            name: again
`
    const { result } = await runPlan(origin, journeyOf(steps, 3))

    const step = (name: string) => result.steps.find((one) => one.name === name)
    expect(['board', 'ask', 'gate', 'again'].map((name) => [step(name)?.requests, step(name)?.failed])).toEqual([
      [3, 0],
      [3, 0],
      [3, 0],
      [3, 0],
    ])
    expect(step('gate')?.responseTime?.min).toBeGreaterThan(75)
    expect(step('never')?.failures).toMatchObject([{ kind: 'timeout', count: 3 }])
    websockets.close()
  })
})

describe('a statement in setup and teardown', () => {
  const plan = `setup:
  - sql: "{secret.database}"
    run: INSERT INTO holds (run, places) VALUES (?, ?)
    with: ["{run.id}", "3"]
journeys:
  a:
    steps:
      - send: GET /one
teardown:
  - sql: "{secret.database}"
    run: DELETE FROM holds WHERE run = ?
    with: ["{run.id}"]
load:
  - { phase: p, starts: 2, for: 300ms }
`
  it('runs on MariaDB with bound parameters', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-sql-'))
    const port = await freePort(0)
    const database = await startMariaDb(join(folder, 'data'), 'ferries', { port })
    const ask = (statement: string) =>
      execFileSync(
        'mariadb',
        [
          '--no-defaults',
          `--socket=${database.socketPath}`,
          `--user=${database.user}`,
          '-N',
          '-e',
          statement,
          'ferries',
        ],
        { encoding: 'utf8' },
      ).trim()
    try {
      ask('CREATE TABLE holds (run VARCHAR(40), places INT)')
      const url = `mariadb://${database.user}@127.0.0.1:${String(port)}/ferries`
      const { result } = await runPlan(
        server.origin,
        plan.replace('DELETE FROM holds', 'UPDATE holds SET places = 9'),
        { secrets: { database: url } },
      )

      expect([...result.setup, ...result.teardown].map((one) => [one.passed, one.reason])).toEqual([
        [true, null],
        [true, null],
      ])
      expect(ask('SELECT run, places FROM holds')).toBe('test\t9')
      const broken = await runPlan(server.origin, plan.replace('INTO holds', 'INTO nothing'), {
        secrets: { database: url },
      })
      expect(broken.judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
      expect(broken.judgement.reasons[0]).toMatch(/nothing' doesn't exist/)
      for (const [address, fault] of [
        [`${url}?socket=${encodeURIComponent(database.socketPath)}`, 'no option "socket"'],
        [`${url.replace('mariadb:', 'postgres:')}?sslrootcert=/etc/passwd`, 'no option "sslrootcert"'],
        [url.replace('127.0.0.1', 'harbour.invalid'), 'neither on loopback nor a host of the target'],
      ] as const) {
        const refused = await runPlan(server.origin, plan, { secrets: { database: address } })
        expect(refused.result.setup[0]?.reason).toContain(fault)
      }
    } finally {
      await database.stop()
      rmSync(folder, { recursive: true, force: true })
    }
  })

  it('runs on PostgreSQL, with the same marks', async () => {
    const database = await PGlite.create()
    await database.exec('CREATE TABLE holds (run TEXT, places INT)')
    const listener = new PGLiteSocketServer({ db: database, port: 0, host: '127.0.0.1' })
    await listener.start()
    const url = `postgres://postgres@${listener.getServerConn()}/postgres?sslmode=disable`

    const { result } = await runPlan(server.origin, plan, { secrets: { database: url } })
    await listener.stop()
    await database.close()

    expect([...result.setup, ...result.teardown].map((one) => [one.passed, one.reason])).toEqual([
      [true, null],
      [true, null],
    ])
  })
})
