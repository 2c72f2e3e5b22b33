// A server with a fleet: who is in it, runs that its generators make, and the server killed under one. `npm run
// test:kill` kills more often.
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { dropDatabase } from '@jolt-gate/scripts'
import { VERSION } from '@jolt-gate/core/identity'
import type { FleetAnswer, RunDetail, RunSummary } from '@jolt-gate/core/api'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { TestFleet } from '../../engine/test/fleet.js'
import { callerOf, git, newDatabase, signedIn, startPlace, type Call } from './place.js'
import { generatorOf, killed, serveProgram, stopped, type Served } from './served.js'

const KILLS = Number(process.env['KILLS'] ?? 1)
const kills = Array.from({ length: KILLS }, (_, number) => number + 1)
const SECONDS = 8
const RATE = 20
const SLOW = { timeout: 40_000, interval: 200 }

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-fleet-server-'))
const repository = join(folder, 'larkholm')
const database = newDatabase()
let asked = 0
const tornDown: string[] = []
const target = createServer(({ method, url }, response) => {
  if (method === 'DELETE') tornDown.push(url ?? '')
  else asked++
  response.end('{"ticket":"t-7"}')
})
let fleet: TestFleet
let server: Served

beforeAll(async () => {
  const port = await new Promise<number>((resolve) => {
    target.listen(0, '127.0.0.1', () => {
      const address = target.address()
      resolve(typeof address === 'object' && address !== null ? address.port : 0)
    })
  })
  for (const name of ['plans', 'targets', 'runs']) mkdirSync(join(repository, name), { recursive: true })
  writeFileSync(join(repository, 'targets/here.target.yaml'), `origin: http://127.0.0.1:${String(port)}\n`)
  writeFileSync(join(repository, 'plans/places.gate.yaml'), PLAN)
  writeFileSync(join(repository, 'plans/torn-down.gate.yaml'), TORN_DOWN)
  git(repository, 'init', '-q', '-b', 'main')
  git(repository, 'config', 'user.name', 'T')
  git(repository, 'config', 'user.email', 't@t.example')
  git(repository, 'add', '-A')
  git(repository, 'commit', '-qm', 'first')
  fleet = await TestFleet.start(['north/lk1', 'south/lk2'])
  await fleet.killBus()
  server = await serve()
})
afterAll(async () => {
  await stopped(server)
  await fleet.stop()
  target.close()
  dropDatabase(database.socketPath, database.database)
  rmSync(folder, { recursive: true, force: true })
})

const PLAN = `jolt: 1
name: Two places
target: here
places: { north: 3, south: 1 }
drain: 1s
journeys:
  a:
    steps:
      - send: GET /
load:
  - { phase: p, rate: ${String(RATE)}/s, for: ${String(SECONDS)}s }
gates:
  - failed requests at most 1 %
`

/** What setup has made is to be taken back, by whom the load is made. */
const TORN_DOWN = PLAN.replace(
  'journeys:',
  'setup:\n  - send: POST /tickets\n    keep: { ticket: json $.ticket }\njourneys:',
)
  .replace('load:', 'teardown:\n  - send: DELETE /tickets/{ticket}\nload:')
  .replace(`for: ${String(SECONDS)}s`, 'for: 40s')

const serve = () =>
  serveProgram([
    ...['--socket', database.socketPath, '--database', database.database, '--database-user', database.user],
    ...['--runs-folder', join(folder, 'runs'), '--project', repository],
    ...['--fleet', fleet.address, '--fleet-key', join(fleet.folder, 'coordinator.key')],
  ])

const seen = async (call: Call = server.call) => (await call('GET', '/generators')).body as FleetAnswer
const idle = async () => (await seen()).generators.filter(({ state, does }) => state === 'here' && does === null).length
const runOf = async (id: string) => (await server.call('GET', `/runs/${id}`)).body as RunDetail
async function start(plan = 'plans/places.gate.yaml'): Promise<string> {
  await expect.poll(idle, SLOW).toBe(2)
  const { body } = await server.call('POST', '/projects/1/runs', { plan })
  return (body as RunSummary).id
}
const underLoad = (id: string) => expect.poll(async () => (await runOf(id)).part, SLOW).toBe('load')

it('says that its fleet is away, and who is there once it is not', async () => {
  expect(await seen()).toMatchObject({ state: 'away', address: fleet.address, version: VERSION, generators: [] })
  await fleet.startBus()
  await fleet.join('lk1', { version: VERSION })
  await fleet.join('lk2', { version: VERSION })
  await expect.poll(idle, SLOW).toBe(2)
  expect((await seen()).generators.map(({ id, does }) => [id, does])).toEqual([
    ['north/lk1', null],
    ['south/lk2', null],
  ])
})

it('has its generators make a run, and shows them at it to those who may see the project', async () => {
  const run = await start()
  await underLoad(run)
  await expect
    .poll(async () => (await seen()).generators.map(({ does, now }) => [does?.run?.id, (now?.requests ?? 0) > 0]), SLOW)
    .toEqual([
      [run, true],
      [run, true],
    ])
  const reporter = {
    ...{ name: 'Wren', email: 'wren@larkholm.example', password: 'a-tide-table-and-a-half', role: 'author' },
  }
  const { body: added } = await server.call('POST', '/people', reporter)
  const person = (added as { id: number }).id
  await server.call('PUT', `/people/${String(person)}/projects/1`, { role: 'none' })
  const headers = await signedIn(server.origin, '/session', { email: reporter.email, password: reporter.password })
  const { generators } = await seen(callerOf(server.origin, headers))
  expect(generators.map(({ does }) => does)).toEqual([
    { run: null, words: 'a run of another project' },
    { run: null, words: 'a run of another project' },
  ])

  await expect.poll(async () => (await runOf(run)).state, SLOW).toBe('ended')
  const { verdict, reasons, result } = await runOf(run)
  expect([verdict, reasons]).toEqual(['open', []])
  expect(result?.generator.fleet?.map(({ id, requests }) => [id, requests])).toEqual([
    ['north/lk1', 0.75 * RATE * SECONDS],
    ['south/lk2', 0.25 * RATE * SECONDS],
  ])
})

it.each(kills)(
  'killed under a run says so of it, whose generators end by themselves and are free again (%i)',
  async () => {
    const run = await start()
    await underLoad(run)
    await sleep(Math.random() * 2000)
    await killed(server)
    const before = asked
    server = await serve()
    await expect.poll(async () => (await runOf(run)).state, SLOW).toBe('ended')
    const { verdict, reasons } = await runOf(run)
    expect(verdict).toMatch(/^(void|stopped)$/)
    expect(reasons.join('\n')).toMatch(/server/)
    await expect.poll(idle, SLOW).toBe(2)
    // Ten seconds after their last word at the latest, and the second that goes with it.
    expect(asked - before).toBeLessThanOrEqual(RATE * 12)
    const { result } = await runOf(run)
    expect(result?.totals.requests ?? 0).toBeLessThanOrEqual(asked)
    const next = await start()
    await expect.poll(async () => (await runOf(next)).state, SLOW).toBe('ended')
    const after = await runOf(next)
    // A host that took the processor away leaves a run undecided; a generator that is not free would say so.
    expect(after.reasons.filter((reason) => !/processor in|^undecided: /.test(reason))).toEqual([])
    expect(after.verdict).toBe(after.reasons.length === 0 ? 'open' : 'void')
  },
)

it.each(kills)(
  'takes over a run whose coordinator is killed: its load ends, and a generator tears down (%i)',
  async () => {
    tornDown.length = 0
    const run = await start('plans/torn-down.gate.yaml')
    await underLoad(run)
    await sleep(1000 + Math.random() * 3000)
    process.kill(generatorOf(server), 'SIGKILL')
    await expect.poll(async () => (await runOf(run)).state, SLOW).toBe('ended')
    const { verdict, reasons, result } = await runOf(run)
    expect(verdict).toBe('void')
    expect(reasons.join()).toMatch(/its generator ended by SIGKILL/)
    expect(result?.teardown).toMatchObject([{ passed: true }])
    expect(tornDown).toEqual(['/tickets/t-7'])
    // Taken over, they need not wait for ten seconds of silence.
    const before = asked
    await sleep(3000)
    expect(asked).toBe(before)
    await expect.poll(idle, SLOW).toBe(2)
  },
)

it('tears down by nobody where the fleet is gone with the coordinator, and says so', async () => {
  tornDown.length = 0
  const run = await start('plans/torn-down.gate.yaml')
  await underLoad(run)
  await fleet.killBus()
  process.kill(generatorOf(server), 'SIGKILL')
  await expect.poll(async () => (await runOf(run)).state, { ...SLOW, timeout: 60_000 }).toBe('ended')
  await fleet.startBus()
  const { verdict, result } = await runOf(run)
  expect(verdict).toBe('void')
  expect(result?.teardown).toMatchObject([{ passed: false, reason: expect.stringMatching(/^fleet: /) as string }])
  expect(tornDown).toEqual([])
  await expect.poll(idle, SLOW).toBe(2)
})

it('without a fleet says so', async () => {
  const place = await startPlace()
  const call = callerOf(place.server.origin, await signedIn(place.server.origin))
  expect(await seen(call)).toMatchObject({ state: 'none', address: null, generators: [], news: [] })
  await place.stop()
})
