// What goes out to others, and what others tell: events and their deliveries, pushes elsewhere, badges.
import { execFile } from 'node:child_process'
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { createServer, type IncomingHttpHeaders, type Server } from 'node:http'
import { promisify } from 'node:util'
import { HTTP, type CloudEvent } from 'cloudevents'
import { Webhook } from 'standardwebhooks'
import { parseXmlDocument } from 'slimdom'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { ChangeLine, DeliveryLine } from '@jolt-gate/core/api'
import { RunRow, StepRow } from '../src/database/models.js'
import { CHANGES } from '../src/events/changes.js'
import { demoPlace, git, PIPELINE, PLAN } from './place.js'
import { addRuns } from './stored-runs.js'

const { place, call } = demoPlace()

interface Told {
  type: string
  data: unknown
}
interface Heard {
  headers: IncomingHttpHeaders
  body: string
}
const heard: Heard[] = []
/** Answers of the receiver that are still to come; then 204. */
const answers: { status: number; body: string }[] = []
let receiver: Server
let url: string

beforeAll(async () => {
  receiver = createServer((request, response) => {
    const chunks: Buffer[] = []
    request.on('data', (chunk: Buffer) => chunks.push(chunk))
    request.on('end', () => {
      heard.push({ headers: request.headers, body: Buffer.concat(chunks).toString('utf8') })
      const { status, body } = answers.shift() ?? { status: 204, body: '' }
      response.writeHead(status).end(body)
    })
  })
  await new Promise<void>((resolve) => receiver.listen(0, '127.0.0.1', resolve))
  const address = receiver.address()
  url = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}/events`
})
afterAll(() => {
  receiver.closeAllConnections()
  receiver.close()
})
beforeEach(() => {
  heard.splice(0)
  answers.splice(0)
})

async function added(events: string[]): Promise<{ id: number; secret: string }> {
  const { status, body } = await call('POST', `${place.project}/webhooks`, { url, events })
  expect(status).toBe(201)
  const { webhook, secret } = body as { webhook: { id: number }; secret: string }
  return { id: webhook.id, secret }
}
const removed = (id: number) => call('DELETE', `${place.project}/webhooks/${String(id)}`)
const deliveries = async () => {
  const { body } = await call('GET', `${place.project}/deliveries`)
  return (body as { deliveries: DeliveryLine[] }).deliveries
}
async function ran(): Promise<{ id: string; verdict: string }> {
  const { body } = await call('POST', `${place.project}/runs?wait=verdict`, { plan: PLAN })
  return body as { id: string; verdict: string }
}
const typesHeard = () => heard.map(({ body }) => (JSON.parse(body) as Told).type)

describe('a signature', () => {
  // Standard Webhooks, the example of its reference implementations; from memory.
  it('is that of the specification’s examples', () => {
    const ping = '{"event_type":"ping","data":{"success":true}}'

    expect(
      new Webhook('whsec_plJ3nmyCDGBKInavdOK15jsl').sign('msg_loFOjxBNrRLzqYUf', new Date(1_731_705_121_000), ping),
    ).toBe('v1,rAvfW3dJ/X/qxhsaXPOyyCGmRKsaKWcsNccKXlIktD0=')
  })
})

describe('a webhook', () => {
  it('hears that a run began and what came of it, signed, each event once', async () => {
    const { id, secret } = await added(['run.started', 'run.verdict', 'stage.opened'])

    const run = await ran()
    await expect.poll(() => typesHeard().toSorted()).toEqual(['run.started', 'run.verdict', 'stage.opened'])
    const events = heard.map(({ headers, body }) => {
      new Webhook(secret).verify(body, headers as Record<string, string>)
      // The specification's own library reads it, and checks what an event must have (CloudEvents 1.0).
      return HTTP.toEvent({ headers, body }) as CloudEvent<Record<string, unknown>>
    })
    const verdict = events.find(({ type }) => type === 'run.verdict')
    const opened = events.find(({ type }) => type === 'stage.opened')

    expect(verdict).toMatchObject({
      specversion: '1.0',
      source: `${place.server.origin}/projects/1`,
      data: {
        verdict: 'open',
        plan: { file: PLAN },
        run: { id: run.id, page: `${place.server.origin}/p/1/runs/${run.id}` },
      },
    })
    expect(verdict?.validate()).toBe(true)
    expect(opened).toMatchObject({ data: { stage: 'staging', state: 'open', plans: [{ run: { id: run.id } }] } })
    expect(heard.map(({ headers }) => headers['webhook-id'])).toEqual(events.map((event) => event.id))
    // Looked for again, nothing is sent twice.
    await call('PUT', `${place.project}/webhooks/${String(id)}`, { isPaused: false })
    await expect.poll(async () => (await deliveries()).map(({ state }) => state)).toEqual(Array(3).fill('delivered'))
    expect(heard).toHaveLength(3)
    await removed(id)
  })

  it('whose address never answers holds up no other project', async () => {
    const hole = createServer(() => undefined)
    await new Promise<void>((resolve) => hole.listen(0, '127.0.0.1', resolve))
    const address = hole.address()
    const never = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}/`
    const { body: other } = await call('POST', '/projects', { name: 'Tarn Skerry' })
    const path = `/projects/${String((other as { id: number }).id)}/webhooks`
    const add = async (at: string, to: string) =>
      ((await call('POST', at, { url: to, events: ['run.verdict'] })).body as { webhook: { id: number } }).webhook.id
    const [stuck, free] = [await add(`${place.project}/webhooks`, never), await add(path, url)]
    let left = 6
    const asked = Array.from({ length: left }, () =>
      call('POST', `${place.project}/webhooks/${String(stuck)}/test`, {}).finally(() => left--),
    )

    const test = await call('POST', `${path}/${String(free)}/test`, {})

    expect([test.status, left]).toEqual([expect.any(Number), 6])
    expect(typesHeard()).toEqual(['webhook.test'])
    hole.closeAllConnections()
    hole.close()
    await Promise.all(asked)
    await removed(stuck)
    await call('DELETE', `${path}/${String(free)}`)
  })

  it('is tried again with the same event after an error, is failed in the end, and sent again when asked', async () => {
    const { id } = await added(['run.verdict'])
    const path = `${place.project}/webhooks/${String(id)}/test`
    answers.push({ status: 500, body: 'not <now>' }, { status: 503, body: '' }, { status: 500, body: 'no' })

    const { body: first } = await call('POST', path)
    expect(first).toMatchObject({ type: 'webhook.test', state: 'waiting', attempts: 1, answer: '500 not <now>' })
    await expect.poll(async () => (await deliveries())[0]).toMatchObject({ state: 'failed' })
    expect(new Set(heard.map(({ headers, body }) => `${String(headers['webhook-id'])} ${body}`)).size).toBe(1)
    expect(heard).toHaveLength(3)

    const delivery = `${place.project}/deliveries/${String((first as DeliveryLine).id)}`
    const { body: again } = await call('POST', `${delivery}/send`)

    expect(again).toMatchObject({ state: 'delivered', attempts: 4, answer: '204' })
    expect((await call('GET', delivery)).body).toMatchObject({ body: heard[0]?.body })
    await removed(id)
  })

  it('keeps what happens while it is paused, and pauses where the address wants nothing more', async () => {
    const { id } = await added(['run.verdict'])
    const webhook = `${place.project}/webhooks/${String(id)}`
    await call('PUT', webhook, { isPaused: true })
    await ran()
    await expect.poll(async () => (await deliveries()).length).toBe(1)
    expect(heard).toEqual([])

    // RFC 9110, section 15.5.11: gone, and likely for good.
    answers.push({ status: 410, body: '' })
    await call('PUT', webhook, { isPaused: false })

    await expect.poll(async () => (await deliveries())[0]?.state).toBe('failed')
    const { body } = await call('GET', `${place.project}/webhooks`)
    expect(body).toMatchObject({ webhooks: [{ isPaused: true }] })
    await removed(id)
  })

  it('hears once that a figure has another level, however many runs come after', async () => {
    const { id } = await added(['run.verdict', 'trend.shift'])
    const p95 = (number: number) => (number < 3010 ? 50 : 90) + (number % 3)
    const addEnded = async (from: number, to: number) => {
      const over = { verdict: 'open' as const, branch: 'quay', startedAt: new Date(), endedAt: new Date() }
      await addRuns(from, to, () => over)
      const numbers = Array.from({ length: to - from + 1 }, (_, index) => from + index)
      await StepRow.bulkCreate(
        numbers.map((number) => ({
          ...{
            runId: `r${String(number)}`,
            position: 0,
            step: 'search',
            requests: 40,
            failedShare: 0,
            p95: p95(number),
          },
        })),
      )
      CHANGES.emit('queue')
    }

    const trends = () => heard.map(({ body }) => JSON.parse(body) as Told).filter(({ type }) => type === 'trend.shift')
    const isTold = (run: string) => heard.some(({ headers }) => headers['webhook-id'] === `run.verdict/${run}/open`)

    await addEnded(3000, 3021)
    await expect.poll(() => trends().length).toBe(1)
    await addEnded(3022, 3024)
    await expect.poll(() => isTold('r3024')).toBe(true)
    // It is looked at in turn: by then what the runs before have changed was told.
    await addEnded(3025, 3025)
    await expect.poll(() => isTold('r3025')).toBe(true)

    expect(trends()).toHaveLength(1)
    expect(trends()[0]?.data).toMatchObject({
      ...{ plan: { file: PLAN }, branch: 'quay', series: 'p95 response time of "search"', before: 51, after: 91 },
      ...{ lastBefore: { number: 3009 }, firstAfter: { number: 3010 } },
    })
    await removed(id)
  })

  it.each([
    ['this server itself', () => `${place.server.origin}/api/projects`, 403],
    ['the keys of a cloud’s machine', () => 'http://169.254.169.254/latest', 403],
    ['beyond this machine in clear text', () => 'http://harbour.larkholm.example/events', 400],
    ['another scheme', () => 'file:///etc/passwd', 400],
  ])('leads not to %s', async (_, where, status) => {
    const answer = await call('POST', `${place.project}/webhooks`, { url: where(), events: ['run.verdict'] })

    expect(answer.status).toBe(status)
  })

  it('does not follow where an address leads on', async () => {
    const { id } = await added(['run.verdict'])
    answers.push({ status: 302, body: '' })

    const { body } = await call('POST', `${place.project}/webhooks/${String(id)}/test`)

    expect(body).toMatchObject({ state: 'waiting', answer: '302' })
    await removed(id)
  })
})

describe('a push to a repository elsewhere', () => {
  const COMMIT = 'c0ffee'.padEnd(40, '1')
  const repository = 'https://git.larkholm.example/booking'
  let secret: string

  beforeAll(async () => {
    git(place.repository, 'rm', '-q', PIPELINE)
    const { body } = await call('POST', `${place.project}/push-sources`, { repository })
    ;({ secret } = body as { secret: string })
    const text = `jolt: 1
pipeline: booking
stages:
  - { stage: staging, begins: push to main, plans: [${PLAN}] }
  - { stage: production, begins: admission, requires: [staging within 1h] }
`
    mkdirSync(`${place.repository}/pipelines`, { recursive: true })
    writeFileSync(`${place.repository}/${PIPELINE}`, text)
    git(place.repository, 'add', '-A')
    git(place.repository, 'commit', '-qm', 'Staging begins with a push')
  })

  const tell = (push: Record<string, string>, signer = secret, id = 'one', at = new Date()) => {
    const body = JSON.stringify(push)
    return fetch(`${place.server.origin}/api${place.project}/pushes`, {
      method: 'POST',
      headers: {
        'content-type': 'application/json',
        'webhook-id': id,
        'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
        'webhook-signature': new Webhook(signer).sign(id, at, body),
      },
      body,
    })
  }
  const push = { repository, ref: 'refs/heads/main', commit: COMMIT, message: 'Hold places\n\nlonger', author: 'Mio' }

  it.each([
    ['a wrong secret', () => tell(push, 'whsec_plJ3nmyCDGBKInavdOK15jsl')],
    ['another repository', () => tell({ ...push, repository: 'https://git.larkholm.example/other' })],
    ['an old signature', () => tell(push, secret, 'one', new Date(Date.now() - 600_000))],
  ])('is refused with %s', async (_, told) => {
    expect((await told()).status).toBe(401)
  })

  it('is told by the lines of docs/pipelines.md in a POSIX shell', async () => {
    const docs = readFileSync(new URL('../../docs/pipelines.md', import.meta.url), 'utf8')
    const [, lines = ''] = /```sh\n(body=[^]*?)\n```/.exec(docs) ?? []
    const script = lines
      .replace('https://gate.example/api/projects/1', `${place.server.origin}/api${place.project}`)
      .replace('https://git.example/booking', repository)
      .replace('refs/heads/main', 'refs/heads/quay')
    const env = { ...process.env, JOLT_PUSH_SECRET: secret, TITLE: 'Hold places' }

    const { stdout } = await promisify(execFile)('sh', ['-ec', script], { cwd: place.repository, env })

    expect(JSON.parse(stdout)).toEqual({ branch: 'quay', commit: git(place.repository, 'rev-parse', 'HEAD') })
  })

  it('begins stages with our plans for that change, once, and the change may go on', async () => {
    expect((await tell(push)).status).toBe(202)
    expect((await tell(push)).status).toBe(202)
    expect(await (await tell({ ...push, ref: 'refs/tags/v1' }, secret, 'two')).json()).toMatchObject({ branch: null })

    const admission = `${place.project}/admission?stage=production&commit=${COMMIT}`
    await expect.poll(async () => (await call('GET', admission)).body).toMatchObject({ answer: 'admitted' })
    const [run, ...others] = await RunRow.findAll({ where: { commit: COMMIT } })
    const { body } = await call('GET', `${place.project}/pipeline?file=${PIPELINE}`)
    const [first] = (body as { changes: ChangeLine[] }).changes

    expect(others).toEqual([])
    expect(run).toMatchObject({ branch: 'main', planCommit: git(place.repository, 'rev-parse', 'HEAD'), unfit: null })
    expect(first).toMatchObject({ commit: COMMIT, message: 'Hold places', who: 'Mio' })
  })
})

describe('a badge', () => {
  const badge = (key: string, query = '') =>
    fetch(`${place.server.origin}/api/badges/${key}?plan=${encodeURIComponent(PLAN)}${query}`)

  it('is public under a key until that is taken back, and says the last verdict', async () => {
    const { body } = await call('PUT', `${place.project}/badges`, { isPublic: true })
    const { badgeKey } = body as { badgeKey: string }

    const shown = await badge(badgeKey)
    const svg = parseXmlDocument(await shown.text())
    const other = parseXmlDocument(await (await badge(badgeKey, '&branch=%3Cscript%3E')).text())

    expect(shown.headers.get('content-type')).toMatch('image/svg+xml')
    expect(shown.headers.get('cross-origin-resource-policy')).toBe('cross-origin')
    expect(svg.documentElement?.getAttribute('aria-label')).toBe('Short: open (passed)')
    expect(other.documentElement?.getAttribute('aria-label')).toMatch(/<script>: not run$/)
    // A run at another scale says nothing of the plan.
    await addRuns(4000, 4000, () => ({ verdict: 'open', branch: 'pier', unfit: 'it was made at scale 0.1' }))
    const scaled = parseXmlDocument(await (await badge(badgeKey, '&branch=pier')).text())
    expect(scaled.documentElement?.getAttribute('aria-label')).toMatch(/pier: not run$/)
    await call('PUT', `${place.project}/badges`, { isPublic: false })
    expect((await badge(badgeKey)).status).toBe(404)
  })
})

describe('a budget', () => {
  it('refuses what a project may not spend in a day, and says when there is room again', async () => {
    const path = `${place.project}/budget`
    const { body } = await call('GET', path)
    const { spent } = body as { spent: { runs: number; minutes: number } }
    expect(spent.runs).toBeGreaterThan(0)

    await call('PUT', path, { runsADay: spent.runs, minutesADay: null })
    const { status, body: refused } = await call('POST', `${place.project}/runs`, { plan: PLAN })
    await call('PUT', path, { runsADay: null, minutesADay: 1 })
    await call('PUT', path, { runsADay: spent.runs + 1, minutesADay: 1000 })
    const asked = [1, 2, 3].map(() => call('POST', `${place.project}/runs?wait=verdict`, { plan: PLAN }))
    const then = (await Promise.all(asked)).map((answer) => answer.status)

    // One place is left, however many ask for it at once.
    expect([status, then.toSorted((a, b) => a - b)]).toEqual([409, [201, 409, 409]])
    expect(refused).toMatchObject({ code: 'BUDGET' })
    expect(JSON.stringify(refused)).toMatch(/room again at \d{4}-\d\d-\d\dT/)
    expect((await call('PUT', path, { runsADay: 0, minutesADay: null })).status).toBe(400)
  })
})
