// Searches for a capacity on the server: against a service that answers one request at a time, 10 ms each.
import { execFileSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import type { CapacityDetail, CapacityLine, RunSummary } from '@jolt-gate/core/api'
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest'
import { CapacitySearches } from '../src/capacity/searches.js'
import { CapacityRow } from '../src/database/models.js'
import { RunQueue } from '../src/runs/queue.js'
import { callerOf, demoPlace, git, PLAN, signedIn } from './place.js'

const SERVICE_MS = 10
/** A busy host makes a search longer; what bounds it is `within`. */
const SLOW = { timeout: 200_000, interval: 200 }
const LONG_MS = 300_000
const { place, call } = demoPlace()
const SEARCHED = 'plans/queue.gate.yaml'
let freeAtMs = 0
let returned = 0
let asked = 0
const service = createServer((request, response) => {
  if (request.url === '/return') {
    returned++
    response.end()
    return
  }
  asked++
  const now = performance.now()
  freeAtMs = Math.max(now, freeAtMs) + SERVICE_MS
  setTimeout(() => response.end('{}'), freeAtMs - now)
})

beforeAll(async () => {
  const port = await new Promise<number>((resolve) => {
    service.listen(0, '127.0.0.1', () => {
      const address = service.address()
      resolve(typeof address === 'object' && address !== null ? address.port : 0)
    })
  })
  const write = (path: string, text: string) => {
    writeFileSync(join(place.repository, path), text)
  }
  write('targets/queue.target.yaml', `origin: http://127.0.0.1:${String(port)}\n`)
  const permission = 'permission: { by: Ida Quay, rate: 300/s, until: 2999-12-31 }'
  write('targets/far.target.yaml', `origin: https://booking.example\n${permission}\n`)
  write(SEARCHED, PLAN_TEXT)
  write('plans/beside.gate.yaml', PLAN_TEXT.replace('name: Queue', 'name: Beside'))
  write('plans/no-gate.gate.yaml', PLAN_TEXT.replace(/gates:[^]*$/, ''))
  git(place.repository, 'add', '-A')
  git(place.repository, 'commit', '-qm', 'a queue')
})
// A test that failed leaves nothing to the next.
afterEach(async () => {
  const going = async () => ((await call('GET', '/queue')).body as { searches: CapacityLine[] }).searches
  for (const { id } of await going()) await call('POST', `/projects/1/capacity/${id}/stop`)
  await expect.poll(going, SLOW).toEqual([])
}, LONG_MS)
afterAll(() => {
  service.closeAllConnections()
  service.close()
})

const PLAN_TEXT = `jolt: 1
name: Queue
target: queue
drain: 1s
teardown:
  - send: POST /return
journeys:
  a:
    steps:
      - send: GET /
        name: ask
load:
  - { phase: p, rate: 5/s, for: 3s }
gates:
  - p95 response time at most 150 ms
  - throughput at least 1/s
`

const ask = (body: Record<string, string>) => call('POST', '/projects/1/capacity', { plan: SEARCHED, ...body })
const started = async (body: Record<string, string>) => (await ask(body)).body as CapacityLine
const detailOf = async (id: string) => (await call('GET', `/projects/1/capacity/${id}`)).body as CapacityDetail
async function underLoad(id: string): Promise<void> {
  await expect.poll(async () => (await detailOf(id)).making?.kind, SLOW).toBe('trial')
  const before = asked
  await expect.poll(() => asked, SLOW).toBeGreaterThan(before)
}
async function ended(id: string): Promise<CapacityDetail> {
  await expect.poll(async () => (await detailOf(id)).state, SLOW).toBe('ended')
  return detailOf(id)
}

it.each([
  ['a load that is not permitted', { range: '10/s to 2000/s', target: 'far' }, 403, /300\/s/],
  ['a load that nobody has proven to control', { atLeast: '20/s', target: 'far' }, 403, /is not proven/],
  ['nothing to search for', {}, 422, /range: give a range of rates/],
  ['a range that goes down', { range: '100/s to 20/s' }, 422, /the lower first/],
  ['nonsense', { atLeast: 'many' }, 422, /neither a rate/],
  ['a hold of no time', { atLeast: '20/s', hold: '0s' }, 422, /hold: /],
  ['a search of a year', { atLeast: '20/s', within: '9000h' }, 422, /within: expected from a second to a day/],
  ['a plan that is not there', { plan: 'plans/none.gate.yaml', atLeast: '20/s' }, 404, /no plan/],
  ['a plan without a limit', { plan: 'plans/no-gate.gate.yaml', atLeast: '20/s' }, 422, /no gate that a load could/],
] as const)('refuses %s, and makes nothing', async (_, words, status, why) => {
  const answer = await ask(words)
  expect(answer.status).toBe(status)
  expect((answer.body as { detail: string }).detail).toMatch(why)
  expect((await call('GET', '/projects/1/capacity')).body).toEqual({ searches: [] })
})

it(
  'decides one load, with its trials, what it left out, and a word of it in the audit log',
  async () => {
    const search = await started({ atLeast: '40/s', hold: '5s' })
    expect(search).toMatchObject({ verdict: null, planName: 'Queue', targetName: 'queue' })
    const { capacity, trials, verdict, words } = await ended(search.id)
    // A busy host may leave it undecided; it is never told wrongly.
    expect(verdict).toMatch(/^(open|void)$/)
    if (verdict === 'open') expect(words).toBe('capacity at least 40/s: it holds')
    expect(trials.length).toBeGreaterThan(0)
    expect(trials[0]).toMatchObject({ load: 40, why: 'deciding', holdSeconds: 10 })
    expect(trials[0]?.gates.map(({ rule }) => rule)).toContain('p95 response time at most 150 ms')
    expect(capacity?.leftOut).toMatchObject([{ rule: 'throughput at least 1/s' }])
    expect(capacity?.isGate).toBe(true)
    expect(returned).toBe(trials.length)
    const { body } = await call('GET', '/audit-log')
    expect(JSON.stringify(body)).toContain('started a search for a capacity')
    expect((await call('GET', `/projects/1/capacity?plan=${SEARCHED}`)).body).toMatchObject({ searches: [{ verdict }] })
    expect((await call('GET', `/projects/1/capacity?plan=${PLAN}`)).body).toEqual({ searches: [] })
  },
  LONG_MS,
)

it(
  'searches, and says what gave way',
  async () => {
    const { id } = await started({ range: '150/s to 300/s', hold: '2s', exact: '50 %', within: '90s' })
    const { capacity, verdict, words } = await ended(id)
    expect(verdict).toMatch(/^(shut|void)$/)
    if (verdict === 'shut') {
      expect(words).toMatch(/^capacity below 150\/s, the lowest of the range; what gave way: /)
      expect(capacity?.gate).toMatch(/p95|failed/)
    }
  },
  LONG_MS,
)

it(
  'takes turns with runs against the same target, and is stopped while it waits or lasts',
  async () => {
    const { body: run } = await call('POST', '/projects/1/runs', { plan: 'plans/beside.gate.yaml' })
    const waits = await started({ atLeast: '20/s', hold: '5s' })
    const second = await started({ atLeast: '20/s', hold: '1m' })
    const { body: queue } = await call('GET', '/queue')
    const { runs, searches } = queue as { runs: RunSummary[]; searches: CapacityLine[] }
    expect(runs.map(({ id }) => id)).toContain((run as RunSummary).id)
    expect(searches.map(({ state }) => state)).toEqual(['queued', 'queued'])
    expect((await call('DELETE', `/projects/1/capacity/${waits.id}`)).status).toBe(409)

    expect((await call('POST', `/projects/1/capacity/${waits.id}/stop`)).status).toBe(202)
    expect(await ended(waits.id)).toMatchObject({ verdict: 'stopped', trials: [] })
    await underLoad(second.id)
    const before = returned
    expect((await call('POST', `/projects/1/capacity/${second.id}/stop`)).status).toBe(202)
    const { verdict, words } = await ended(second.id)
    expect([verdict, words]).toEqual(['stopped', expect.stringMatching(/stopped by Ida Quay in the application/)])
    // What a trial sets up is torn down.
    expect(returned).toBe(before + 1)
    expect((await call('POST', `/projects/1/capacity/${second.id}/stop`)).status).toBe(409)
    expect((await call('DELETE', `/projects/1/capacity/${second.id}`)).status).toBe(204)
    expect((await call('GET', `/projects/1/capacity/${second.id}`)).status).toBe(404)
  },
  LONG_MS,
)

it(
  'is void where the generator of a trial dies, whose teardown is done by another',
  async () => {
    const { id } = await started({ atLeast: '20/s', hold: '1m' })
    await underLoad(id)
    const before = returned
    execFileSync('pkill', ['-KILL', '-P', String(process.pid), '-f', 'generator-process'])
    const { verdict, words } = await ended(id)
    expect([verdict, words]).toEqual(['void', expect.stringMatching(/the generator of a trial .*SIGKILL/)])
    expect(returned).toBe(before + 1)
  },
  LONG_MS,
)

it('counts as one run and its time in what a project may spend', async () => {
  await call('PUT', '/projects/1/budget', { runsADay: 1, minutesADay: null })
  const { status, body } = await ask({ atLeast: '20/s' })
  expect([status, (body as { detail: string }).detail]).toEqual([409, expect.stringMatching(/1 runs in 24 hours/)])
  await call('PUT', '/projects/1/budget', { runsADay: null, minutesADay: null })
})

it("is nobody's of another project, whatever its number", async () => {
  const { body } = await call('GET', '/projects/1/capacity')
  const [known] = (body as { searches: CapacityLine[] }).searches
  expect((await call('POST', '/projects', { name: 'other' })).status).toBe(201)
  for (const project of ['2', '99'])
    expect((await call('GET', `/projects/${project}/capacity/${known?.id ?? ''}`)).status).toBe(404)
  const reader = { name: 'Wren', email: 'wren@larkholm.example', password: 'a-tide-table-and-a-half', role: 'reader' }
  await call('POST', '/people', reader)
  const headers = await signedIn(place.server.origin, '/session', { email: reader.email, password: reader.password })
  const wren = callerOf(place.server.origin, headers)
  expect((await wren('POST', '/projects/1/capacity', { plan: SEARCHED, atLeast: '20/s' })).status).toBe(403)
  expect((await wren('POST', `/projects/1/capacity/${known?.id ?? ''}/stop`)).status).toBe(403)
  expect((await wren('DELETE', `/projects/1/capacity/${known?.id ?? ''}`)).status).toBe(403)
})

it('that a server left behind is void, and says why', async () => {
  const [row] = await CapacityRow.findAll()
  await row?.update({ state: 'running', capacity: null })
  await new CapacitySearches(new RunQueue(join(place.folder, 'others')), place.folder).recover()
  expect(await detailOf(row?.id ?? '')).toMatchObject({
    ...{ state: 'ended', verdict: 'void' },
    words: 'capacity unknown: the server ended while it lasted: search again',
  })
})
