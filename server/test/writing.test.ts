// People and what they may, projects and targets, rehearsals, and Git from a terminal.
import { execFile } from 'node:child_process'
import { createServer } from 'node:http'
import { request as httpsRequest } from 'node:https'
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { promisify } from 'node:util'
import { controlNeeded, proveControl, WELL_KNOWN } from '@jolt-gate/engine'
import { readTarget } from '@jolt-gate/core'
import { FROM_SOURCES, startChild, startMariaDb } from '@jolt-gate/scripts'
import { generate } from 'selfsigned'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { callerOf, git, PLAN, planText, signedIn, startPlace, type Call, type Place } from './place.js'

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
  const nobody: Call = (...words) => callerOf(origin)(...words)

  it('who are nobody see nothing, and the first one keeps the place', async () => {
    expect(await nobody('GET', '/projects')).toMatchObject({ status: 401, body: { code: 'NOBODY' } })
    expect((await nobody('GET', '/session')).body).toEqual({ kind: 'first', isDemo: false })
    expect((await nobody('POST', '/session/demo', {})).status).toBe(404)
    const code = place.server.setupCode
    expect(code).toMatch(/^[A-Z2-9]{4}-[A-Z2-9]{4}-[A-Z2-9]{4}$/)
    expect(await nobody('POST', '/people/first', { ...first, code: 'AAAA-AAAA-AAAA' })).toMatchObject({
      status: 403,
      body: { code: 'WRONG_CODE' },
    })
    expect((await nobody('POST', '/people/first', first)).status).toBe(400)
    expect(await nobody('POST', '/people/first', { ...first, code, password: 'short' })).toMatchObject({
      status: 400,
      body: { detail: expect.stringContaining('10 characters') as string },
    })

    administrator = callerOf(origin, await signedIn(origin, '/people/first', { ...first, code }))

    expect((await administrator('GET', '/session')).body).toMatchObject({
      kind: 'somebody',
      person: { role: 'administrator' },
    })
    expect((await nobody('POST', '/people/first', { ...first, code })).status).toBe(409)
  })

  it('sign in with a password that is stored as a hash alone, and not too often with a wrong one', async () => {
    const session = await signedIn(origin, '/session', { email: 'IDA@larkholm.example', password: first.password })
    expect((await callerOf(origin, session)('GET', '/projects')).status).toBe(200)
    const attempts: number[] = []
    for (let attempt = 0; attempt < 12; attempt++)
      attempts.push((await nobody('POST', '/session', { email: 'x@y.example', password: 'guess' })).status)
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

describe('projects', () => {
  it('begin empty, from a folder, or as a clone of a local path', async () => {
    const empty = await administrator('POST', '/projects', { name: 'Tarn Skerry' })
    const clone = await administrator('POST', '/projects', { clone: place.repository })
    const id = (clone.body as { id: number }).id

    expect(empty).toMatchObject({ status: 201, body: { name: 'tarn-skerry' } })
    expect((await administrator('GET', `/projects/${String(id)}/plans`)).body).toMatchObject({
      branch: 'main',
      plans: [{ name: 'Short' }, { name: 'Short' }],
    })
    expect(await administrator('POST', '/projects', { clone: 'ext::sh -c id' })).toMatchObject({ status: 400 })
    expect(await administrator('POST', '/projects', { clone: '/nowhere' })).toMatchObject({ status: 400 })
    expect(await administrator('POST', '/projects', { path: '/' })).toMatchObject({
      status: 400,
      body: { code: 'NO_GIT' },
    })
  })

  it('take what an import made in one commit, and nothing is written over', async () => {
    const files = [
      { path: 'plans/made.gate.yaml', text: planText(1) },
      { path: 'schemas/api.openapi.json', text: '{}' },
    ]
    expect((await administrator('POST', `${place.project}/files`, { files, message: 'From a recording' })).status).toBe(
      201,
    )
    expect(git(place.repository, 'show', '--name-only', '--format=%s', 'HEAD').split('\n').filter(Boolean)).toEqual([
      'From a recording',
      'plans/made.gate.yaml',
      'schemas/api.openapi.json',
    ])
    expect((await administrator('POST', `${place.project}/files`, { files, message: 'again' })).status).toBe(409)
    for (const path of ['../x.gate.yaml', '.git/config', 'README.md', 'schemas/../../x.json'])
      expect(
        (await administrator('POST', `${place.project}/files`, { files: [{ path, text: 'x' }], message: 'x' })).status,
      ).toBe(400)
  })
})

describe('targets', () => {
  const text = () => `origin: ${place.ferries.origin}\nsecrets: [user, password]\n`

  it('keep data files that are read and changed like a plan, and no other file', async () => {
    const path = '/projects/1/data?file=data/rows.csv'
    expect(await administrator('GET', path)).toMatchObject({ status: 404 })
    const made = await administrator('PUT', path, { text: 'name\nTove\n', message: 'Rows', base: null })
    expect(made.status).toBe(200)
    const read = await administrator('GET', path)
    expect(read.body).toMatchObject({ file: 'data/rows.csv', text: 'name\nTove\n' })
    const over = await administrator('PUT', path, { text: 'name\nIda\n', message: 'Over', base: 'another' })
    expect(over).toMatchObject({ status: 409, body: { code: 'CHANGED' } })
    const again = { files: [{ path: 'data/rows.csv', text: 'name\nJon\n' }], message: 'Written over' }
    expect(await administrator('POST', '/projects/1/files', again)).toMatchObject({ status: 409 })
    for (const file of ['plans/a.gate.yaml', '../rows.csv', '.git/x.csv', 'data/rows.txt'])
      expect(await administrator('GET', `/projects/1/data?file=${encodeURIComponent(file)}`)).toMatchObject({
        status: 400,
      })
  })

  it('delete and rename files in commits of their own, runs and history go along, and nothing is written over', async () => {
    const save = (file: string) =>
      administrator('POST', '/projects/1/files', { files: [{ path: file, text: planText(2) }], message: 'Here' })
    for (const file of ['plans/old.gate.yaml', 'plans/taken.gate.yaml']) expect((await save(file)).status).toBe(201)
    const rename = (from: string, to: string) =>
      administrator('POST', `/projects/1/file/name?file=${encodeURIComponent(from)}`, { to })

    expect(await rename('plans/old.gate.yaml', 'plans/taken.gate.yaml')).toMatchObject({ status: 409 })
    expect(await rename('plans/old.gate.yaml', '../out.gate.yaml')).toMatchObject({ status: 400 })
    expect(await rename('plans/old.gate.yaml', 'plans/renamed.gate.yaml')).toMatchObject({ status: 200 })
    expect(git(place.repository, 'show', '--name-status', '--format=%s', 'HEAD')).toMatch(
      /^Rename plans\/old.gate.yaml to plans\/renamed.gate.yaml\n\nR100\tplans\/old.gate.yaml\tplans\/renamed.gate.yaml/,
    )
    const gone = await administrator('DELETE', '/projects/1/file?file=plans/renamed.gate.yaml')
    expect(gone).toMatchObject({ status: 200, body: { dirty: false } })
    expect(git(place.repository, 'show', '--name-status', '--format=%s', 'HEAD')).toMatch(/^Delete .*\n\nD\t/)
    for (const file of ['plans/renamed.gate.yaml', '.git/config', '../x.gate.yaml', 'README.md'])
      expect((await administrator('DELETE', `/projects/1/file?file=${encodeURIComponent(file)}`)).status).toBe(404)
  })

  it('keep secrets that are sealed, used, and never read back', async () => {
    const { body } = await administrator('GET', `${place.project}/targets`)
    const { base } = (body as { targets: { base: string }[] }).targets[0] ?? {}
    expect(
      (
        await administrator('PUT', `${place.project}/targets/here`, {
          text: text(),
          message: 'It wants to know who',
          base,
        })
      ).status,
    ).toBe(200)
    expect(await administrator('POST', `${place.project}/runs`, { plan: PLAN })).toMatchObject({
      status: 422,
      body: { code: 'NO_SECRET' },
    })
    for (const [name, value] of [
      ['user', 'purser'],
      ['password', 'grey-gull-9'],
    ] as const)
      expect((await administrator('PUT', `${place.project}/targets/here/secrets/${name}`, { value })).status).toBe(204)

    const listed = await administrator('GET', `${place.project}/targets`)
    expect(listed.body).toMatchObject({
      targets: [
        {
          secrets: [
            { name: 'user', from: 'store' },
            { name: 'password', from: 'store' },
          ],
        },
      ],
    })
    expect(JSON.stringify(listed.body)).not.toContain('low-tide')
    expect(readFileSync(join(place.repository, 'targets/here.target.yaml'), 'utf8')).not.toContain('low-tide')
  })

  it('show the families that a page of metrics offers, from their own origins alone', async () => {
    const families = await administrator('POST', `${place.project}/targets/here/metric`, { url: '/metrics' })
    expect(families.body).toMatchObject({
      families: expect.arrayContaining([
        expect.objectContaining({ type: expect.stringMatching(/gauge|counter/) as string }),
      ]) as unknown,
    })
    expect(
      (await administrator('POST', `${place.project}/targets/here/metric`, { url: 'http://127.0.0.1:1/metrics' }))
        .status,
    ).toBe(400)
  })

  // RFC 8615: a well-known address under the origin.
  it('beyond loopback are loaded only with a permission, within it, and when control is proven or approved for', async () => {
    const far = (more: string) =>
      administrator('PUT', `${place.project}/targets/far`, {
        text: `origin: http://booking.invalid\n${more}`,
        message: 'x',
        base: null,
      })
    const ask = () => administrator('POST', `${place.project}/runs`, { plan: PLAN, target: 'far' })
    await far('')
    expect(await ask()).toMatchObject({ status: 403, body: { code: 'NOT_PERMITTED' } })
    mkdirSync(join(place.repository, 'targets'), { recursive: true })
    const permit = (words: string) =>
      writeFileSync(
        join(place.repository, 'targets/far.target.yaml'),
        `origin: http://booking.invalid\npermission: { by: Ida Quay, ${words} }\n`,
      )
    permit('rate: 10/s, until: 2099-12-31')
    expect((await ask()).body).toMatchObject({
      code: 'NOT_PERMITTED',
      detail: expect.stringMatching(/reaches \d+ requests\/s/) as string,
    })
    permit('rate: 50/s, until: 2020-01-01')
    expect((await ask()).body).toMatchObject({ detail: expect.stringMatching(/ended with 2020-01-01/) as string })
    permit('rate: 50/s, until: 2099-12-31')
    expect((await ask()).body).toMatchObject({
      code: 'NOT_PROVEN',
      detail: expect.stringContaining(WELL_KNOWN) as string,
    })
    expect((await administrator('POST', `${place.project}/targets/far/approve`, { words: 'no' })).status).toBe(400)

    const approved = await administrator('POST', `${place.project}/targets/far/approve`, {
      words: 'It is ours: I hold the contract with the host.',
    })

    expect(approved.body).toMatchObject({ control: [{ isProven: true, approvedBy: 'Ida Quay' }] })
    expect((await administrator('GET', '/audit-log')).body).toMatchObject({
      events: expect.arrayContaining([expect.objectContaining({ event: 'approved a target' })]) as unknown,
    })
    // Words that permit more are other words: nobody has approved for them.
    permit('rate: 51/s, until: 2099-12-31')
    expect((await ask()).body).toMatchObject({ code: 'NOT_PROVEN' })
    git(place.repository, 'checkout', '-q', '--', 'targets')
  })

  it('prove control by a token under the well-known address, which follows from the permission', async () => {
    const { target } = readTarget(
      'targets/far.target.yaml',
      'origin: http://booking.invalid\npermission: { by: Ida, rate: 1/s, until: 2099-12-31 }\n',
    )
    const [needed] = target === undefined ? [] : controlNeeded(target)
    const served = createServer((request, response) =>
      response.end(request.url === WELL_KNOWN ? `x\n${needed?.token ?? ''}\n` : ''),
    )
    await new Promise<void>((resolve) => served.listen(0, '127.0.0.1', resolve))
    const address = served.address()
    const url = `http://127.0.0.1:${String(typeof address === 'object' ? address?.port : 0)}${WELL_KNOWN}`
    const ask = (token = needed?.token ?? '', at = url) => proveControl([{ origin: '', url: at, token }])

    expect(await ask()).toMatchObject([{ isProven: true }])
    expect(await ask('0'.repeat(40))).toMatchObject([
      { isProven: false, why: expect.stringMatching(/does not contain/) as string },
    ])
    served.close()
    served.closeAllConnections()
    expect(await ask()).toMatchObject([{ isProven: false, why: expect.stringMatching(/does not answer/) as string }])
  })
})

describe('a rehearsal', () => {
  const plan = `jolt: 1
name: Hold
target: here
setup:
  - send: POST /sessions
    json: { user: "{secret.user}", password: "{secret.password}" }
    keep: { token: secret json $.token }
journeys:
  a:
    steps:
      - send: POST /holds
        auth: { bearer: "{token}" }
        json: { sailing: LARKHOLM_FENNICK_2026-06-01_0710, people: 1 }
        name: hold
        keep: { hold: json $.id }
      - send: GET /holds/{hold}
        name: view
        check: ["json $.people is 2"]
load:
  - { phase: p, rate: 1/s, for: 1s }
`
  const lines = (answer: { body: unknown }) =>
    String(answer.body)
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { kind: string; step?: { step: string }; id?: string })

  it('tells each step as it ends, of a text that is not saved, with secrets masked, and is kept to compare with', async () => {
    const answer = await administrator('POST', `${place.project}/rehearsals`, { plan: PLAN, text: plan })
    const told = lines(answer)

    expect(told.map(({ kind, step }) => step?.step ?? kind)).toEqual(['begin', 'POST /sessions', 'hold', 'view', 'end'])
    expect(told.at(-1)).toMatchObject({ passed: false })
    expect(told[3]).toMatchObject({ step: { failure: { kind: 'check' }, checks: [{ held: false, found: ['1'] }] } })
    expect(answer.body).not.toContain('low-tide')
    expect((await administrator('GET', `${place.project}/rehearsals?plan=${PLAN}`)).body).toMatchObject({
      rehearsals: [{ id: told[0]?.id, passed: false, canResume: true }],
    })
  })

  it('goes again from a step with what was kept before it', async () => {
    const { body } = await administrator('GET', `${place.project}/rehearsals?plan=${PLAN}`)
    const { id, rehearsal } =
      (body as { rehearsals: { id: string; rehearsal: { steps: { kept: { value: string }[] }[] } }[] }).rehearsals[0] ??
      {}
    const mended = plan.replace('is 2', 'is 1')

    const told = lines(
      await administrator('POST', `${place.project}/rehearsals`, {
        plan: PLAN,
        text: mended,
        again: { rehearsal: id, step: '2' },
      }),
    )

    expect(told.map(({ kind, step }) => step?.step ?? kind)).toEqual(['begin', 'view', 'end'])
    expect(told[1]).toMatchObject({
      step: {
        failure: null,
        request: { url: expect.stringContaining(rehearsal?.steps[1]?.kept[0]?.value ?? 'none') as string },
      },
    })
    expect(told.at(-1)).toMatchObject({ passed: true })
  })
})

describe('Git', () => {
  const run = promisify(execFile)
  const inFolder = async (folder: string, ...words: string[]) =>
    (await run('git', words, { cwd: folder, env: { ...process.env, GIT_TERMINAL_PROMPT: '0' } })).stdout.trim()

  it('from a terminal clones, pulls and pushes with a token, and the files on disk follow', async () => {
    const until = new Date(Date.now() + 86_400_000).toISOString()
    const { token } = (await administrator('POST', '/tokens', { label: 'terminal', scopes: ['git'], until })).body as {
      token: string
    }
    const remote = `${origin.replace('://', `://ida:${token}@`)}/git/1.git`
    const clone = join(place.folder, 'clone')

    await inFolder(place.folder, 'clone', '-q', remote, clone)
    writeFileSync(join(clone, PLAN), planText(9))
    await inFolder(
      clone,
      '-c',
      'user.name=Jon',
      '-c',
      'user.email=jon@larkholm.example',
      'commit',
      '-qam',
      'From a terminal',
    )
    await inFolder(clone, 'push', '-q')

    expect(readFileSync(join(place.repository, PLAN), 'utf8')).toBe(planText(9))
    const change = {
      text: planText(8),
      message: 'From the page',
      base: ((await administrator('GET', `${place.project}/plan?file=${PLAN}`)).body as { base: string }).base,
    }
    await administrator('PUT', `${place.project}/plan?file=${PLAN}`, change)
    await inFolder(clone, 'pull', '-q')
    expect(await inFolder(clone, 'log', '-1', '--format=%s')).toBe('From the page')
    await expect(
      inFolder(place.folder, 'clone', '-q', remote.replace(token, 'jgt_wrong'), join(place.folder, 'no')),
    ).rejects.toThrow()
    expect((await fetch(`${origin}/git/1.git/config`)).status).toBe(404)
  })

  it('has branches, and a history with the runs that were made at each commit', async () => {
    expect((await administrator('POST', `${place.project}/branches`, { name: 'slower search' })).status).toBe(400)
    expect((await administrator('POST', `${place.project}/branches`, { name: 'slower-search' })).body).toMatchObject({
      branch: 'slower-search',
    })
    await administrator('PUT', `${place.project}/plan?file=plans/made.gate.yaml`, {
      text: planText(2),
      message: 'Twice as long',
      base: ((await administrator('GET', `${place.project}/plan?file=plans/made.gate.yaml`)).body as { base: string })
        .base,
    })
    const { body } = await administrator('POST', `${place.project}/runs`, { plan: 'plans/made.gate.yaml' })

    const history = await administrator('GET', `${place.project}/history?file=plans/made.gate.yaml`)

    const { commits } = history.body as {
      commits: { commit: string; message: string; who: string; runs: { id: string }[] }[]
    }
    expect(commits).toMatchObject([
      { message: 'Twice as long', who: 'Ida Quay', runs: [{ id: (body as { id: string }).id }] },
      { message: 'From a recording', runs: [] },
    ])
    const old = await administrator(
      'GET',
      `${place.project}/version?file=plans/made.gate.yaml&commit=${commits[1]?.commit ?? ''}`,
    )
    expect(old.body).toEqual({ text: planText(1) })
    expect((await administrator('PUT', `${place.project}/branch`, { name: 'main' })).body).toMatchObject({
      branch: 'main',
    })
    expect((await administrator('GET', `${place.project}/branches`)).body).toMatchObject({
      branches: ['slower-search', 'main'],
    })
  })
})

describe('beyond loopback', () => {
  it('people are served over TLS, under the names that were given alone', async () => {
    const { private: key, cert } = await generate([{ name: 'commonName', value: 'localhost' }])
    const [keyFile, certFile] = [join(place.folder, 'key.pem'), join(place.folder, 'cert.pem')]
    writeFileSync(keyFile, key)
    writeFileSync(certFile, cert)
    const database = await startMariaDb(join(place.folder, 'secure'), 'jolt_gate')
    const main = [...FROM_SOURCES, fileURLToPath(new URL('../src/main.ts', import.meta.url))]
    const names = ['--socket', database.socketPath, '--host', 'gate.larkholm.example', '--runs-folder', place.folder]
    const secure = await startChild([...main, ...names, '--tls-cert', certFile, '--tls-key', keyFile])
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
    await database.stop()
    for (const more of [['--behind-proxy'], ['--listen', '0.0.0.0', '--tls-cert', certFile, '--tls-key', keyFile]])
      await expect(startChild([...main, '--socket', database.socketPath, '--demo', ...more])).rejects.toThrow(/ended/)
    await expect(startChild([...main, '--socket', database.socketPath, '--listen', '0.0.0.0'])).rejects.toThrow(
      /ended before/,
    )
  })
})
