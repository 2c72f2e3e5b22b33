import { execFileSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { request as rawRequest } from 'node:http'
import { join } from 'node:path'
import { bytesOfBase64, decodeBucket } from '@jolt-gate/core'
import { migratorOf, openDatabase } from '@jolt-gate/server'
import { createParser, type EventSourceMessage } from 'eventsource-parser'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { callerOf, newDatabase, PLAN, planText, signedIn, startPlace, type Call, type Place } from './place.js'

let place: Place
let call: Call
let session: Record<string, string>
let project: string
let repository: string

beforeAll(async () => {
  place = await startPlace()
  ;({ project, repository } = place)
  session = await signedIn(place.server.origin)
  call = callerOf(place.server.origin, session)
})
afterAll(() => place.stop())

async function startRunOf(plan: string): Promise<string> {
  const { status, body } = await call('POST', `${project}/runs`, { plan })
  expect(status).toBe(201)
  return (body as { id: string }).id
}
/** The events of a stream until it ends, as the standard says they are read. */
async function eventsOf(run: string, headers: Record<string, string> = {}): Promise<EventSourceMessage[]> {
  const response = await fetch(`${place.server.origin}/api/runs/${run}/stream`, { headers: { ...session, ...headers } })
  const events: EventSourceMessage[] = []
  createParser({ onEvent: (event) => events.push(event) }).feed(await response.text())
  return events
}

describe('plans', () => {
  it('are listed with what they would send', async () => {
    const { body } = await call('GET', `${project}/plans`)

    expect(body).toMatchObject({
      branch: 'main',
      plans: [{ file: PLAN, name: 'Short', gates: 1, errors: 0, preview: { arrivals: 40 }, lastRun: null }],
    })
  })

  it('are saved as a commit with message and author, and never over something newer', async () => {
    const { body } = await call('GET', `${project}/plan?file=${PLAN}`)
    const { text, base } = body as { text: string; base: string }
    const change = { text: text.replace('1 %', '2 %'), message: 'Two in a hundred may fail', base }

    const saved = await call('PUT', `${project}/plan?file=${PLAN}`, change)
    const again = await call('PUT', `${project}/plan?file=${PLAN}`, { ...change, text: 'other' })

    expect(saved).toMatchObject({ status: 200, body: { branch: 'main', dirty: false } })
    expect(
      execFileSync('git', ['log', '-1', '--format=%s|%an|%ae'], { cwd: repository, encoding: 'utf8' }).trim(),
    ).toBe('Two in a hundred may fail|Ida Quay|ida@larkholm.example')
    expect(again).toMatchObject({
      status: 409,
      type: expect.stringContaining('application/problem+json') as string,
      body: { code: 'CHANGED', status: 409 },
    })
    expect(readFileSync(join(repository, PLAN), 'utf8')).toContain('at most 2 %')
  })

  it.each(['../secret.gate.yaml', '/etc/passwd.gate.yaml', '.git/x.gate.yaml', 'plans/../../x.gate.yaml'])(
    'outside the project are not read: %s',
    async (file) => {
      expect((await call('GET', `${project}/plan?file=${encodeURIComponent(file)}`)).status).toBe(400)
    },
  )

  it('need a message to be saved', async () => {
    expect(await call('PUT', `${project}/plan?file=${PLAN}`, { text: 'x', message: ' ' })).toMatchObject({
      status: 400,
      body: { code: 'BAD_FIELD' },
    })
  })
})

describe('runs', () => {
  it('go one at a time, are told second by second, and are stored with their gates', async () => {
    const first = await startRunOf(PLAN)
    const second = await startRunOf(PLAN)
    const waiting = await call('GET', `/runs/${second}`)

    const events = await eventsOf(first)
    await eventsOf(second)

    expect(waiting.body).toMatchObject({ state: 'queued', part: null })
    expect(events.at(-1)?.event).toBe('end')
    const buckets = events
      .filter((event) => event.event === 'bucket')
      .map((event) => decodeBucket(bytesOfBase64(JSON.parse(event.data) as string)))
    // A host that takes the processor away for over a second leaves an arrival out, and the run says so itself.
    const told = buckets.reduce((sum, bucket) => sum + (bucket.steps[0]?.requests ?? 0), 0)
    expect(told).toBeGreaterThan(30)
    expect((await call('GET', `/runs/${first}`)).body).toMatchObject({
      state: 'ended',
      result: {
        totals: { arrivalsDue: 40, requests: told },
        gates: [{ status: 'held' }, { status: 'held', isDefault: true }],
      },
    })
    expect((await call('GET', `${project}/runs`)).body).toMatchObject({
      runs: [{ number: 2 }, { number: 1, requests: told }],
    })
  })

  it('are answered with their verdict where one waits, and are the same for the same key', async () => {
    const key = { 'idempotency-key': 'build-209' }
    const ask = (plan: string) => call('POST', `${project}/runs?wait=verdict`, { plan }, key)

    const [one, other] = await Promise.all([ask(PLAN), ask(PLAN)])

    expect([one.status, other.status]).toEqual([201, 201])
    // Which verdict it is, other tests look at.
    expect(one.body).toMatchObject({ state: 'ended', verdict: expect.any(String) as unknown })
    expect(other.body).toEqual(one.body)
    expect((await ask(PLAN)).body).toEqual(one.body)
    expect(await ask('plans/none.gate.yaml')).toMatchObject({ status: 409, body: { code: 'KNOWN' } })
    const unkeyed = await call('POST', `${project}/runs`, { plan: PLAN }, { 'idempotency-key': 'a b' })
    expect(unkeyed).toMatchObject({ status: 400 })
  })

  it('are resumed after the last second that a reader heard', async () => {
    const { body } = await call('GET', `${project}/runs`)
    const id = (body as { runs: { id: string }[] }).runs[0]?.id ?? ''

    const seconds = (await eventsOf(id, { 'last-event-id': '0' })).filter(({ event }) => event === 'bucket')

    expect(seconds[0]?.id).toBe('1')
  })

  it('are stopped by a person', async () => {
    writeFileSync(join(repository, 'plans/long.gate.yaml'), planText(60))
    const id = await startRunOf('plans/long.gate.yaml')
    await new Promise((resolve) => setTimeout(resolve, 2500))

    const stopped = await call('POST', `/runs/${id}/stop`)
    await eventsOf(id)

    expect(stopped.status).toBe(202)
    expect((await call('GET', `/runs/${id}`)).body).toMatchObject({
      verdict: 'stopped',
      reasons: ['stopped by Ida Quay in the application'],
    })
    expect((await call('POST', `/runs/${id}/stop`)).status).toBe(409)
  })

  it('of a plan that is not right are refused, with its problems', async () => {
    writeFileSync(join(repository, 'plans/wrong.gate.yaml'), planText(1).replace('20/s', '20'))

    expect(await call('POST', `${project}/runs`, { plan: 'plans/wrong.gate.yaml' })).toMatchObject({
      status: 422,
      body: { code: 'PLAN', problems: [{ line: 10 }] },
    })
  })

  it('give their reports', async () => {
    const { body } = await call('GET', `${project}/runs`)
    const id = (body as { runs: { id: string; verdict: string }[] }).runs.at(-1)?.id ?? ''

    expect((await call('GET', `/runs/${id}/junit.xml`)).body).toMatch(/<testsuite name="Short"/)
    expect((await call('GET', `/runs/${id}/report.md`)).body).toMatch(/Short/)
    expect((await call('GET', `/runs/${id}/result.json`)).body).toMatchObject({ jolt: 1 })
    expect((await call('GET', `/runs/${id}/series.csv`)).body).toMatch(/^second,arrivals due,/)
    // Scripts of a report must not run as those of the application.
    const html = await fetch(`${place.server.origin}/api/runs/${id}/report.html`, { headers: session })
    expect(html.headers.get('content-disposition')).toBe('attachment; filename=report.html')
    expect(html.headers.get('content-security-policy')).toContain("default-src 'self'")
    expect(await html.text()).toMatch(/^<!doctype html>/i)
  })
})

describe('the guard', () => {
  const withHost = (host: string) =>
    new Promise<number | undefined>((resolve) => {
      const { port } = new URL(place.server.origin)
      rawRequest({ host: '127.0.0.1', port, path: '/api/projects', headers: { ...session, host } }, (response) =>
        resolve(response.resume().statusCode),
      ).end()
    })

  it('lets no other page drive the server, nor a name that was rebound to loopback', async () => {
    expect(await call('GET', '/projects', undefined, { origin: 'http://evil.example' })).toMatchObject({
      status: 403,
      body: { code: 'FOREIGN_ORIGIN' },
    })
    expect(await withHost('evil.example')).toBe(403)
    expect(await withHost(`localhost:${new URL(place.server.origin).port}`)).toBe(200)
    expect((await call('POST', `${project}/runs`, { plan: PLAN }, { 'content-type': 'text/plain' })).status).toBe(415)
  })
})

describe('the API', () => {
  it('answers what is not there with a problem', async () => {
    expect(await call('GET', '/nothing')).toMatchObject({
      status: 404,
      body: { code: 'NO_ROUTE', title: expect.any(String) as string },
    })
    expect((await call('GET', '/runs/none')).status).toBe(404)
  })
})

describe('plans with files', () => {
  it('know the files that they name, of data no more than the first rows, and what held before', async () => {
    const rows = Array.from({ length: 50 }, (_, row) => `row${String(row)}`).join('\n')
    const files = { 'data/p.csv': `name\n${rows}\n`, 'lib/f.ts': 'export const f = () => 1', 'img/a.bin': '\0\xff' }
    for (const [path, text] of Object.entries(files)) {
      mkdirSync(join(repository, path, '..'), { recursive: true })
      writeFileSync(join(repository, path), text, 'latin1')
    }
    const file = 'plans/named.gate.yaml'
    const steps =
      '      - call: lib/f.ts#f\n      - send: POST /holds?for={p.name}\n        file: img/a.bin\n        check:\n          - status is one of 200, 401\n'
    writeFileSync(
      join(repository, file),
      `jolt: 1\nname: Named\ntarget: here\ndata: { p: { file: data/p.csv, take: once each } }\njourneys:\n  a:\n    steps:\n${steps}load:\n  - { phase: p, starts: 40, for: 1s }\n`,
    )

    const { body } = await call('GET', `${project}/plan?file=${file}`)
    expect(body).toMatchObject({
      files: { 'lib/f.ts': 'export const f = () => 1', 'img/a.bin': '' },
      history: { journeyMs: {} },
    })
    expect((body as { files: Record<string, string> }).files['data/p.csv']?.split('\n')).toHaveLength(20)

    // The run itself has all rows: with the first twenty alone it would be void.
    const run = await startRunOf(file)
    await eventsOf(run)
    const ended = await call('GET', `/runs/${run}`)
    expect(ended.body).toMatchObject({
      result: { totals: { arrivalsDue: 40, outOfData: 0, failedRequests: 0 } },
    })
    const after = await call('GET', `${project}/plan?file=${file}`)
    expect(after.body).toMatchObject({
      history: { journeyMs: { a: expect.any(Number) as number }, held: expect.any(Array) as unknown[] },
    })
    for (const path of [...Object.keys(files), file]) rmSync(join(repository, path))
  })
})

describe('a file that a queued run sends', () => {
  it('fails the run with the reason where it is gone when the run begins, and sends nothing else', async () => {
    const plan = 'plans/upload.gate.yaml'
    const text = planText(2).replace('send: GET /health', 'send: POST /tickets\n        file: data/ticket.bin')
    mkdirSync(join(repository, 'data'), { recursive: true })
    writeFileSync(join(repository, 'data/ticket.bin'), 'LKM-1')
    writeFileSync(join(repository, plan), text)
    const first = await startRunOf(PLAN)
    const second = await startRunOf(plan)
    rmSync(join(repository, 'data/ticket.bin'))
    await eventsOf(first)
    await eventsOf(second)

    expect((await call('GET', `/runs/${second}`)).body).toMatchObject({
      verdict: 'void',
      result: null,
      reasons: ['not begun: data/ticket.bin was there when the run was asked for, and is gone'],
    })
    rmSync(join(repository, plan))
  })
})

describe('the schema', () => {
  it('goes back as it came', async () => {
    const sequelize = openDatabase(newDatabase())
    const migrator = migratorOf(sequelize)

    await migrator.up()
    const made = await sequelize.getQueryInterface().showAllTables()
    await migrator.down({ to: 0 })
    const left = await sequelize.getQueryInterface().showAllTables()
    await sequelize.close()

    expect(made).toHaveLength(38)
    // In no order of their own.
    const names = (left as unknown as { tableName: string }[]).map(({ tableName }) => tableName)
    expect(names.toSorted()).toEqual(['migration_steps', 'migrations'])
  })
})
