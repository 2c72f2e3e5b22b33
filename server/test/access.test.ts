// What a security team asks first: who and what opens this server, how long, and a log that shows what was done to it.
import { randomBytes } from 'node:crypto'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { Webhook } from 'standardwebhooks'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { ACTIVE_HEADER, type AnswerOf, type ROUTES } from '@jolt-gate/core/api'
import { EventRow, RemoteRow, SecretRow } from '../src/database/models.js'
import { SecondsQuota } from '../src/reported-runs/quota.js'
import { open, seal } from '../src/targets/seal.js'
import { placeOfSecret } from '../src/targets/secrets.js'
import { sealAnew } from '../src/webhooks/new-key.js'
import { callerOf, PLAN, signedIn, startPlace, type Call, type Place } from './place.js'

const IDLE_MS = 3000
const secret = `whsec_${randomBytes(24).toString('base64')}`
let place: Place
let call: Call
/** Entries as they came, and what the receiver answers. */
const heard: { id: string; data: { entry: number; what: string; hash: string } }[] = []
let answer = 204
const receiver = createServer((request, response) => {
  let body = ''
  request.on('data', (chunk: Buffer) => (body += chunk.toString()))
  request.on('end', () => {
    const { headers } = request
    const of = (name: string) => String(headers[name])
    const signed = { 'webhook-id': of('webhook-id'), 'webhook-timestamp': of('webhook-timestamp') }
    // Throws where the signature is wrong.
    new Webhook(secret).verify(body, { ...signed, 'webhook-signature': of('webhook-signature') })
    if (answer === 204) heard.push(JSON.parse(body) as (typeof heard)[number])
    response.writeHead(answer).end()
  })
})
beforeAll(async () => {
  receiver.listen(0, '127.0.0.1')
  await once(receiver, 'listening')
  const url = `http://127.0.0.1:${String((receiver.address() as AddressInfo).port)}/log`
  place = await startPlace(true, { hasPasswords: false, idleMs: IDLE_MS, audit: { url, secret } })
})
// A session ends while the test before does something else.
beforeEach(async () => {
  call = callerOf(place.server.origin, { ...(await signedIn(place.server.origin)), [ACTIVE_HEADER]: 'yes' })
})
afterAll(async () => {
  await place.stop()
  receiver.closeAllConnections()
  receiver.close()
})
const check = async () => (await call('GET', '/audit-log/check')).body as AnswerOf<typeof ROUTES.checkAuditLog>

describe('an administrator', () => {
  it('sees every token and shared link, and ends each at once', async () => {
    const until = new Date(Date.now() + 86_400_000)
    const { token } = (await call('POST', '/tokens', { label: 'quay', scopes: ['read'], until, project: 1 })).body as {
      token: string
    }
    const { id } = (await call('POST', `${place.project}/runs`, { plan: PLAN })).body as { id: string }
    await expect.poll(async () => (await call('GET', `/runs/${id}`)).body).toMatchObject({ state: 'ended' })
    const link = (await call('POST', `/runs/${id}/shares`, { days: 2 })).body as { token: string }
    const shared = () => callerOf(place.server.origin)('GET', `/shared/${link.token}`)
    const bearer = () =>
      callerOf(place.server.origin, { authorization: `Bearer ${token}` })('GET', `${place.project}/plans`)
    expect([(await shared()).status, (await bearer()).status]).toEqual([200, 200])

    const { tokens, shares } = (await call('GET', '/access')).body as AnswerOf<typeof ROUTES.access>
    expect(tokens).toMatchObject([{ label: 'quay', person: 'Ida Quay', project: 1, scopes: ['read'] }])
    expect(shares).toMatchObject([{ run: id, number: 1, project: 1, by: 'Ida Quay' }])
    expect(JSON.stringify([tokens, shares])).not.toContain(token.slice(4))
    expect((await call('DELETE', `/access/tokens/${String(tokens[0]?.id)}`)).status).toBe(204)
    expect((await call('DELETE', `/access/shares/${String(shares[0]?.id)}`)).status).toBe(204)

    expect([(await shared()).status, (await bearer()).status]).toEqual([404, 401])
    expect((await call('GET', '/access')).body).toEqual({ tokens: [], shares: [] })
  })
})

describe('a sign-in', () => {
  it('by password is none where the operator has switched that off, whatever the password', async () => {
    const person = { name: 'Tove', email: 'tove@larkholm.example', password: 'ten letters and more', role: 'reader' }
    await call('POST', '/people', person)
    const { email, password } = person
    const stranger = callerOf(place.server.origin)

    expect(await stranger('POST', '/session', { email, password })).toMatchObject({
      status: 403,
      body: { code: 'NO_PASSWORDS' },
    })
    expect((await stranger('GET', '/session')).body).toMatchObject({ hasPasswords: false })
  })

  it('ends when nobody has done anything for a while: pages that keep themselves up to date do not count', async () => {
    const headers = await signedIn(place.server.origin)
    const page = callerOf(place.server.origin, headers)
    const person = callerOf(place.server.origin, { ...(await signedIn(place.server.origin)), [ACTIVE_HEADER]: 'yes' })
    const stream = await fetch(`${place.server.origin}/api/changes`, { headers })
    const statuses: number[] = []
    const busy: number[] = []
    await expect
      .poll(
        async () => {
          busy.push((await person('GET', '/projects')).status)
          statuses.push((await page('GET', '/projects')).status)
          return statuses.at(-1)
        },
        { interval: 250 },
      )
      .toBe(401)

    expect(statuses[0]).toBe(200)
    expect(busy[0]).toBe(200)
    // What is open for it ends, too.
    await stream.text()
  })
})

describe('the audit log', () => {
  it('bears in each entry the hash of the one before it, also where many write at once, and whatever they write', async () => {
    const names = ['Tove \ud800', 'Jon', 'Æsa', '😀'.repeat(40), 'x'.repeat(90)]
    await Promise.all(
      names.map((name, index) =>
        call('POST', '/people', {
          name,
          email: `p${String(index)}@larkholm.example`,
          password: 'ten letters and more',
          role: 'reader',
        }),
      ),
    )

    const { entries, brokenAt, head } = await check()
    expect([brokenAt, entries]).toEqual([null, await EventRow.count()])
    expect(head).toMatch(/^[0-9a-f]{64}$/)
  })

  it('shows an entry that was changed, and one that was taken out', async () => {
    const [second] = await EventRow.findAll({ order: [['id', 'ASC']], offset: 1, limit: 1 })
    if (second === undefined) throw new Error('there are entries')
    const { id, who } = second
    await second.update({ who: 'Nobody' })
    expect((await check()).brokenAt).toBe(id)
    await second.update({ who })
    expect((await check()).brokenAt).toBeNull()

    const whole = second.get({ plain: true })
    await second.destroy()
    expect((await check()).brokenAt).toBe(id + 1)
    await EventRow.create(whole)
    expect((await check()).brokenAt).toBeNull()
  })

  it('goes elsewhere as signed CloudEvents, in order, and again from where it was not taken', async () => {
    const all = async () => (await EventRow.findAll({ order: [['id', 'ASC']] })).map(({ id }) => id)
    await expect.poll(async () => heard.map(({ data }) => data.entry).join() === (await all()).join()).toBe(true)
    answer = 503
    const { length } = heard
    await call('POST', '/tokens', { label: 'one', scopes: ['read'], until: new Date(Date.now() + 86_400_000) })
    answer = 204
    await call('POST', '/tokens', { label: 'two', scopes: ['read'], until: new Date(Date.now() + 86_400_000) })

    await expect
      .poll(() => heard.slice(length).map(({ data }) => data.what))
      .toEqual(['created a token', 'created a token'])
    expect(heard.at(-1)).toMatchObject({
      type: 'audit.noted',
      specversion: '1.0',
      data: { hash: (await check()).head },
    })
  })
})

describe('another key', () => {
  it('opens what the old one had sealed, and says what neither opens', async () => {
    const [old, key, lost] = [1, 2, 3].map((byte) => ({ key: Buffer.alloc(32, byte) }))
    if (old === undefined || key === undefined || lost === undefined) return
    const place = placeOfSecret(1, 'here', 'user')
    await SecretRow.create({
      projectId: 1,
      target: 'here',
      name: 'user',
      sealed: seal(old, place, 'tide'),
      bound: null,
    })
    await RemoteRow.create({ projectId: 1, url: 'https://git.example/a', sealed: seal(lost, 'elsewhere', 'x') })

    expect(await sealAnew(old, key)).toEqual({ sealed: 1, lost: 1 })
    expect(await sealAnew(old, key)).toEqual({ sealed: 0, lost: 1 })

    const row = await SecretRow.findOne({ where: { projectId: 1, target: 'here', name: 'user' }, rejectOnEmpty: true })
    expect([open(key, place, row.sealed), open(old, place, row.sealed)]).toEqual(['tide', undefined])
  })
})

describe('one person', () => {
  it('has so many streams open at once, and no more; those that end make room', async () => {
    const headers = { ...(await signedIn(place.server.origin)), [ACTIVE_HEADER]: 'yes' }
    const closing = new AbortController()
    const listen = () => fetch(`${place.server.origin}/api/changes`, { headers, signal: closing.signal })
    const opened = await Promise.all(Array.from({ length: 45 }, listen))
    expect(opened.filter(({ status }) => status === 429).length).toBeGreaterThanOrEqual(5)
    closing.abort()

    await expect.poll(async () => (await fetch(`${place.server.origin}/api/changes`, { headers })).status).toBe(200)
  })

  it('hands in so many seconds a day', () => {
    const quota = new SecondsQuota(100)
    const at = Date.parse('2026-06-01T23:59:00Z')
    quota.spend(1, 90, at)

    expect(() => {
      quota.spend(1, 11, at)
    }).toThrow(/100 seconds of runs a day/)
    quota.spend(2, 100, at)
    quota.spend(1, 10, at)
    quota.spend(1, 100, at + 120_000)
  })
})
