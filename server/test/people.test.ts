// People of a place that is no demo: the first one, roles, tokens, and what is served beyond loopback.
import { request as httpsRequest } from 'node:https'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { programOf, startChild } from '@jolt-gate/scripts'
import { generate } from 'selfsigned'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { callerOf, git, newDatabase, PLAN, planText, signedIn, startPlace, type Call, type Place } from './place.js'

let place: Place
let administrator: Call
let origin: string
const first = { name: 'Ida Quay', email: 'ida@larkholm.example', password: 'a-tide-table-and-a-half' }

beforeAll(async () => {
  place = await startPlace(false)
  origin = place.server.origin
})
afterAll(() => place.stop())

const person = async (role: string): Promise<Call> => {
  const email = `${role}@larkholm.example`
  await administrator('POST', '/people', { name: role, email, password: 'eleven-buoys', role })
  return callerOf(origin, await signedIn(origin, '/session', { email, password: 'eleven-buoys' }))
}

describe('people', () => {
  const stranger: Call = (...words) => callerOf(origin)(...words)

  it('who are not signed in see nothing, and the first one keeps the place', async () => {
    expect(await stranger('GET', '/projects')).toMatchObject({ status: 401, body: { code: 'NOT_SIGNED_IN' } })
    expect((await stranger('GET', '/session')).body).toEqual({ kind: 'first', isDemo: false })
    expect((await stranger('POST', '/session/demo', {})).status).toBe(404)
    const code = place.server.setupCode
    expect(code).toMatch(/^[A-Z2-9]{4}-[A-Z2-9]{4}-[A-Z2-9]{4}$/)
    expect(await stranger('POST', '/people/first', { ...first, code: 'AAAA-AAAA-AAAA' })).toMatchObject({
      status: 403,
      body: { code: 'WRONG_CODE' },
    })
    expect((await stranger('POST', '/people/first', first)).status).toBe(400)
    expect(await stranger('POST', '/people/first', { ...first, code, password: 'short' })).toMatchObject({
      status: 400,
      body: { detail: expect.stringContaining('10 characters') as string },
    })

    administrator = callerOf(origin, await signedIn(origin, '/people/first', { ...first, code }))

    expect((await administrator('GET', '/session')).body).toMatchObject({
      kind: 'somebody',
      person: { role: 'administrator' },
    })
    expect((await stranger('POST', '/people/first', { ...first, code })).status).toBe(409)
  })

  it('sign in with a password that is stored as a hash alone, and not too often with a wrong one', async () => {
    const session = await signedIn(origin, '/session', { email: 'IDA@larkholm.example', password: first.password })
    expect((await callerOf(origin, session)('GET', '/projects')).status).toBe(200)
    const attempts: number[] = []
    for (let attempt = 0; attempt < 12; attempt++)
      attempts.push((await stranger('POST', '/session', { email: 'x@y.example', password: 'guess' })).status)
    expect(attempts.slice(0, 10)).toEqual(new Array(10).fill(401))
    expect(attempts.at(-1)).toBe(429)
  })

  it('change nothing without the token of their session against forged requests', async () => {
    const { cookie = '' } = await signedIn(origin, '/session', { email: first.email, password: first.password })
    expect(
      await callerOf(origin, { cookie })('POST', '/tokens', { label: 'x', scopes: ['read'], until: '2026-12-01' }),
    ).toMatchObject({ status: 403, body: { code: 'CSRF' } })
  })

  it('may what their role may', async () => {
    const [reader, author] = [await person('reader'), await person('author')]
    const change = { text: planText(3), message: 'Longer', base: null }

    expect((await reader('GET', `${place.project}/plans`)).status).toBe(200)
    expect(await reader('PUT', `${place.project}/plan?file=plans/new.gate.yaml`, change)).toMatchObject({
      status: 403,
      body: { code: 'ROLE' },
    })
    expect((await reader('POST', `${place.project}/runs`, { plan: PLAN })).status).toBe(403)
    expect((await author('PUT', `${place.project}/plan?file=plans/new.gate.yaml`, change)).status).toBe(200)
    expect((await author('POST', '/people', {})).status).toBe(403)
    expect((await author('GET', '/audit-log')).status).toBe(403)
    expect(git(place.repository, 'log', '-1', '--format=%an')).toBe('author')
  })

  it('keep at least one administrator, and an audit log of what was done', async () => {
    expect(await administrator('PATCH', '/people/1', { role: 'reader' })).toMatchObject({
      status: 409,
      body: { code: 'LAST_ADMINISTRATOR' },
    })
    const { body } = await administrator('GET', '/audit-log')
    const events = (body as { events: { who: string; event: string }[] }).events.map(
      ({ who, event }) => `${who} ${event}`,
    )
    expect(events).toEqual(
      expect.arrayContaining([
        'Ida Quay became the first administrator',
        'x@y.example sign-in refused',
        'author changed a plan',
        'Ida Quay added a person',
      ]),
    )
  })

  it('make tokens that are shown once, may what they were made for, and end', async () => {
    const until = new Date(Date.now() + 86_400_000).toISOString()
    const made = await administrator('POST', '/tokens', { label: 'pipeline', scopes: ['read'], until })
    const { token, id } = made.body as { token: string; id: number }
    const bearer = callerOf(origin, { authorization: `Bearer ${token}` })

    expect((await bearer('GET', `${place.project}/plans`)).status).toBe(200)
    expect(await bearer('POST', `${place.project}/runs`, { plan: PLAN })).toMatchObject({
      status: 403,
      body: { code: 'SCOPE' },
    })
    // An administrator's token is no administrator by that.
    const scopes = ['read', 'write', 'run']
    const wide = (await administrator('POST', '/tokens', { label: 'wide', scopes, until })).body as { token: string }
    const writer = callerOf(origin, { authorization: `Bearer ${wide.token}` })
    const person = {
      name: 'Eve',
      email: 'eve@larkholm.example',
      password: 'ten letters and more',
      role: 'administrator',
    }
    for (const [method, path, body] of [
      ['POST', '/people', person],
      ['GET', '/audit-log', undefined],
      ['PUT', `${place.project}/targets/here/secrets/user`, { value: 'taken' }],
      ['DELETE', `/tokens/${String(id)}`, undefined],
      ['POST', '/tokens', { label: 'more', scopes: ['admin'], until }],
    ] as const)
      expect((await writer(method, path, body)).status).toBe(403)
    expect(JSON.stringify((await administrator('GET', '/tokens')).body)).not.toContain(token)
    expect((await administrator('POST', '/tokens', { label: 'x', scopes: ['read'], until: '2020-01-01' })).status).toBe(
      400,
    )
    expect((await administrator('DELETE', `/tokens/${String(id)}`)).status).toBe(204)
    expect((await bearer('GET', `${place.project}/plans`)).status).toBe(401)
  })
})

describe('beyond loopback', () => {
  it('people are served over TLS, under the names that were given alone', async () => {
    const { private: key, cert } = await generate([{ name: 'commonName', value: 'localhost' }])
    const [keyFile, certFile] = [join(place.folder, 'key.pem'), join(place.folder, 'cert.pem')]
    writeFileSync(keyFile, key)
    writeFileSync(certFile, cert)
    const { socketPath, user, database } = newDatabase()
    const reached = ['--socket', socketPath, '--database-user', user, '--database', database]
    const names = [...reached, '--host', 'gate.larkholm.example', '--runs-folder', place.folder]
    const secure = await startChild([...programOf('server'), ...names, '--tls-cert', certFile, '--tls-key', keyFile])
    const ask = (host: string) =>
      new Promise<{ status: number | undefined; cookie: string; hsts: string | undefined }>((resolve, reject) => {
        const body = JSON.stringify({ ...first, code: secure.setupCode })
        const headers = { host, 'content-type': 'application/json', 'content-length': Buffer.byteLength(body) }
        const { port } = new URL(secure.origin)
        const asked = httpsRequest(
          { host: '127.0.0.1', port, path: '/api/people/first', method: 'POST', headers, rejectUnauthorized: false },
          (response) => {
            response.resume()
            const { 'set-cookie': cookies, 'strict-transport-security': hsts } = response.headers
            resolve({ status: response.statusCode, cookie: cookies?.[0] ?? '', hsts })
          },
        )
        asked.on('error', reject)
        asked.end(body)
      })

    expect(await ask('gate.larkholm.example')).toMatchObject({
      status: 201,
      cookie: expect.stringMatching(/^__Host-.*; Path=\/;.*HttpOnly; Secure; SameSite=Strict/) as string,
      hsts: 'max-age=31536000',
    })
    expect((await ask('other.example')).status).toBe(403)
    await secure.stop()
    for (const more of [['--behind-proxy'], ['--listen', '0.0.0.0', '--tls-cert', certFile, '--tls-key', keyFile]])
      await expect(startChild([...programOf('server'), ...reached, '--demo', ...more])).rejects.toThrow(/ended/)
    await expect(startChild([...programOf('server'), ...reached, '--listen', '0.0.0.0'])).rejects.toThrow(
      /ended before/,
    )
  })
})
