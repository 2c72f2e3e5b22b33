// Roads by which an author could open a gate that the committed plan shuts, and how long a door stays open.
import { generateKeyPairSync } from 'node:crypto'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { ROUTES, type AdmissionAnswer } from '@jolt-gate/core/api'
import { RunRow } from '../src/database/models.js'
import { textsOf } from '../src/runs/texts.js'
import { callerOf, git, PLAN, planText, signedIn, teamPlace, type Call } from './place.js'

const { place, administrator } = teamPlace()

const head = () => git(place.repository, 'rev-parse', 'HEAD')
function commit(file: string, text: string, message: string): string {
  writeFileSync(join(place.repository, file), text)
  git(place.repository, 'add', '-A')
  git(place.repository, 'commit', '-qm', message)
  return head()
}
async function admission(at: string): Promise<AdmissionAnswer> {
  const { body } = await administrator('GET', `${place.project}/admission?stage=production&commit=${at}`)
  return body as AdmissionAnswer
}
async function ran(): Promise<string> {
  const { id } = (await administrator('POST', `${place.project}/runs`, { plan: PLAN })).body as { id: string }
  await expect.poll(async () => (await administrator('GET', `/runs/${id}`)).body).toMatchObject({ state: 'ended' })
  return id
}
let people = 0
/** Somebody with an account, who has signed in. */
async function personOf(role: string): Promise<{ id: number; email: string; call: Call }> {
  const [email, password] = [`${role}${String(people++)}@larkholm.example`, 'ten letters and more']
  const { body } = await administrator('POST', '/people', { name: email, email, password, role })
  const call = callerOf(place.server.origin, await signedIn(place.server.origin, '/session', { email, password }))
  return { id: (body as { id: number }).id, email, call }
}
async function tokenOf(
  call: Call,
  scopes: string[],
  project?: number,
): Promise<{ id: number; headers: Record<string, string> }> {
  const until = new Date(Date.now() + 86_400_000)
  const { id, token } = (await call('POST', '/tokens', { label: 'x', scopes, until, project })).body as {
    id: number
    token: string
  }
  return { id, headers: { authorization: `Bearer ${token}` } }
}

describe('an admission', () => {
  it('is not opened by renaming: a run counts for the plan that it was made of', async () => {
    const rename = (file: string, to: string) =>
      administrator('POST', `${place.project}/file/name?file=${encodeURIComponent(file)}`, { to })
    const at = commit('plans/loose.gate.yaml', planText(1).replace('at most 1 %', 'at most 100 %'), 'A loose plan')
    const { id } = (await administrator('POST', `${place.project}/runs`, { plan: 'plans/loose.gate.yaml' })).body as {
      id: string
    }
    await expect
      .poll(async () => (await administrator('GET', `/runs/${id}`)).body)
      .toMatchObject({ state: 'ended', verdict: 'open' })
    for (const [file, to] of [
      [PLAN, 'plans/strict.gate.yaml'],
      ['plans/loose.gate.yaml', PLAN],
    ] as const)
      expect((await rename(file, to)).status).toBe(200)

    expect(await admission(at)).toMatchObject({
      answer: 'waiting',
      words: expect.stringContaining('was not run') as string,
    })
    expect((await administrator('GET', `/runs/${id}`)).body).toMatchObject({ planFile: PLAN })

    await rename(PLAN, 'plans/loose.gate.yaml')
    await rename('plans/strict.gate.yaml', PLAN)
  })

  it('is not opened by a run of the server on a branch whose plan is another', async () => {
    const at = head()
    git(place.repository, 'branch', 'side')
    const path = `${place.project}/plan?file=${encodeURIComponent(PLAN)}`
    const side = { 'jolt-gate-branch': 'side' }
    const { base } = (await administrator('GET', path, undefined, side)).body as { base: string }
    const text = planText(1).replace('at most 1 %', 'at most 100 %')
    expect((await administrator('PUT', path, { base, text, message: 'Looser' }, side)).status).toBe(200)
    const { id } = (await administrator('POST', `${place.project}/runs`, { plan: PLAN }, side)).body as { id: string }
    await expect.poll(async () => (await administrator('GET', `/runs/${id}`)).body).toMatchObject({ state: 'ended' })
    const branch = git(place.repository, 'rev-parse', 'side')

    expect(await admission(branch)).toMatchObject({
      answer: 'refused',
      words: expect.stringContaining(`${PLAN} is not that of the default branch (${at.slice(0, 7)})`) as string,
    })
  })
})

describe('one who reports', () => {
  /** Every route that refuses neither the sign-in nor the right. */
  async function reachedBy(call: Call, project: string): Promise<string[]> {
    const reached: string[] = []
    for (const { method, path, needs } of Object.values(ROUTES)) {
      if (needs === 'nothing') continue
      const at = path.replaceAll(/\{(\w+)\}/g, (_, name) => (name === 'project' ? project : '1'))
      const { status } = await call(method, at, method === 'GET' ? undefined : {})
      if (status !== 401 && status !== 403 && status !== 404) reached.push(`${method} ${path}`)
    }
    return reached.sort()
  }
  const REPORTS = ['GET /projects/{project}/fitting-baseline', 'POST /projects/{project}/reported-runs']

  it('does nothing else: by the role, and by a token that is for one project alone', async () => {
    const { call: author } = await personOf('author')
    const { call: reporter } = await personOf('reporter')
    const other = (await administrator('POST', '/projects', { name: 'Tide tables' })).body as { id: number }
    const [own, far] = [(await tokenOf(author, ['report'], 1)).headers, (await tokenOf(reporter, ['report'])).headers]
    const bound = callerOf(place.server.origin, own)
    const bare = callerOf(place.server.origin, far)
    const wide = callerOf(place.server.origin, (await tokenOf(author, ['read', 'write', 'run'], other.id)).headers)

    expect(await reachedBy(bound, '1')).toEqual(REPORTS)
    expect(await reachedBy(bound, String(other.id))).toEqual([])
    expect(await reachedBy(bare, '1')).toEqual([
      ...REPORTS,
      'POST /runs/{run}/reported-seconds',
      'PUT /runs/{run}/reported-result',
    ])
    expect((await wide('GET', `/projects/${String(other.id)}/plans`)).status).toBe(200)
    for (const path of ['/projects', '/queue', '/projects/1/plans'])
      expect((await wide('GET', path)).status).toBeGreaterThan(400)
    expect((await fetch(`${place.server.origin}/metrics`, { headers: own })).status).toBe(403)
    expect(
      (await fetch(`${place.server.origin}/git/1.git/info/refs?service=git-upload-pack`, { headers: own })).status,
    ).toBe(401)
    // Signed in, too, a reporter sees that there are projects, and nothing of them.
    expect((await reporter('GET', '/projects/1/plans')).status).toBe(403)
    expect((await reporter('GET', '/queue')).body).toEqual({ runs: [], searches: [] })
    expect((await administrator('GET', '/audit-log?search=alone')).body).toMatchObject({
      events: [{ event: 'created a token' }, { event: 'created a token' }],
    })
  })

  it('makes no token for a project that is not theirs', async () => {
    const { id, call } = await personOf('author')
    await administrator('PUT', `/people/${String(id)}/projects/1`, { role: 'none' })
    const until = new Date(Date.now() + 86_400_000)

    expect((await call('POST', '/tokens', { label: 'x', scopes: ['report'], until, project: 1 })).status).toBe(404)
    expect((await call('POST', '/tokens', { label: 'x', scopes: ['report'], until, project: 77 })).status).toBe(404)
  })
})

describe('the key of a runner', () => {
  const pem = (kind: 'ed25519' | 'x25519') =>
    (kind === 'ed25519' ? generateKeyPairSync('ed25519') : generateKeyPairSync('x25519')).publicKey.export({
      type: 'spki',
      format: 'pem',
    })

  it('is an administrator’s to register, of Ed25519, and is no private one', async () => {
    const add = (call: Call, publicKey: string) =>
      call('POST', `${place.project}/runner-keys`, { name: 'quay', publicKey })
    const { call: author } = await personOf('author')
    const secret = generateKeyPairSync('ed25519').privateKey.export({ type: 'pkcs8', format: 'pem' })

    expect((await add(author, pem('ed25519').toString())).status).toBe(403)
    for (const wrong of [
      pem('x25519').toString(),
      secret.toString(),
      '-----BEGIN PUBLIC KEY-----\nAAAA\n-----END PUBLIC KEY-----',
    ])
      expect((await add(administrator, wrong)).status).toBe(400)
    expect((await add(administrator, pem('ed25519').toString())).status).toBe(201)
    expect((await add(administrator, pem('ed25519').toString())).status).toBe(409)
  })
})

describe('a report', () => {
  it('is held to the text that its plan was read from, whatever else it calls by that name', () => {
    const [loose, strict] = [planText(1).replace('at most 1 %', 'at most 100 %'), planText(1)]
    const of = (files: Record<string, string>) => textsOf({ plan: { file: PLAN, text: loose, files } })

    expect(of({ [PLAN]: strict })).toEqual(of({}))
    expect(of({ [PLAN]: strict })).not.toEqual(textsOf({ plan: { file: PLAN, text: strict, files: {} } }))
  })

  it('with other values stays one, though their names say that it is unfit for another reason', async () => {
    const id = await ran()
    const unfit = 'it ran with other values: rate is not that of the default branch (abcdef0): merge or pull it'
    await RunRow.update({ unfit, dirty: true }, { where: { id } })

    await admission(head())
    await RunRow.update({ dirty: false }, { where: { id } })
    await admission(head())

    expect((await RunRow.findByPk(id))?.unfit).toBe(unfit)
    await RunRow.destroy({ where: { id } })
  })
})

describe('a baseline', () => {
  it('is no run that counts for no stage, nor kept by an author where an admission stands on its plan', async () => {
    const id = await ran()
    const { call: author } = await personOf('author')

    expect((await author('PUT', `/runs/${id}/baseline`)).status).toBe(403)
    await RunRow.update({ unfit: 'it ran at scale 0.5' }, { where: { id } })
    expect(await administrator('PUT', `/runs/${id}/baseline`)).toMatchObject({ status: 409, body: { code: 'UNFIT' } })
    await RunRow.update({ unfit: null }, { where: { id } })
    expect((await administrator('PUT', `/runs/${id}/baseline`)).status).toBe(200)
    expect((await author('DELETE', `/runs/${id}/baseline`)).status).toBe(403)
  })
})

describe('what is open for somebody', () => {
  /** Whether a stream of a token ends while something is done. */
  async function endsBy(headers: Record<string, string>, act: () => Promise<unknown>): Promise<boolean> {
    const response = await fetch(`${place.server.origin}/api/changes`, { headers })
    expect(response.status).toBe(200)
    const reader = response.body?.getReader()
    const ended = (async () => {
      for (;;) if ((await reader?.read())?.done !== false) return true
    })()
    await act()
    return Promise.race([ended, new Promise<false>((resolve) => setTimeout(resolve, 60_000, false))])
  }

  it('ends with the token, the role and the person that opened it', async () => {
    const { id, call } = await personOf('author')
    const [first, second, third] = [
      await tokenOf(call, ['read']),
      await tokenOf(call, ['read']),
      await tokenOf(call, ['read']),
    ]

    expect(await endsBy(first.headers, () => call('DELETE', `/tokens/${String(first.id)}`))).toBe(true)
    expect(
      await endsBy(second.headers, () => administrator('PATCH', `/people/${String(id)}`, { role: 'reader' })),
    ).toBe(true)
    expect(await endsBy(third.headers, () => administrator('DELETE', `/people/${String(id)}`))).toBe(true)
  })

  it('ends with a password that is reset, tokens too, and with one that is changed where that is asked for', async () => {
    const { id, email, call } = await personOf('author')
    const made = await tokenOf(call, ['read'])
    const asks = callerOf(place.server.origin, made.headers)
    expect((await asks('GET', '/projects')).status).toBe(200)

    const password = 'eleven buoys in a row'
    expect((await administrator('PUT', `/people/${String(id)}/password`, { password })).status).toBe(204)
    expect((await asks('GET', '/projects')).status).toBe(401)

    const again = callerOf(place.server.origin, await signedIn(place.server.origin, '/session', { email, password }))
    const [kept, ended] = [await tokenOf(again, ['read']), await tokenOf(again, ['read'])]
    const change = { current: password, password: 'twelve buoys in a row' }
    expect((await again('PUT', '/session/password', change)).status).toBe(204)
    expect((await callerOf(place.server.origin, kept.headers)('GET', '/projects')).status).toBe(200)
    const more = { current: 'twelve buoys in a row', password, endsTokens: true }
    expect((await again('PUT', '/session/password', more)).status).toBe(204)
    expect((await callerOf(place.server.origin, ended.headers)('GET', '/projects')).status).toBe(401)
  })
})

describe('odd input', () => {
  const ODD: unknown[] = [
    [],
    [[]],
    { email: ['a'], password: { a: 1 } },
    JSON.parse('{"__proto__": {"x": 1}, "constructor": {"prototype": {}}}'),
    {
      labels: ['__proto__=1', 'constructor=2'],
      plan: '__proto__',
      text: '\u0000',
      files: JSON.parse('{"__proto__": "x"}') as unknown,
    },
  ]

  it('is refused with its reason by every route that takes any: it is never a fault of the server', async () => {
    const faults: string[] = []
    for (const { method, path, needs } of Object.values(ROUTES)) {
      // Streams stay open.
      if (method === 'DELETE' || /stream|changes/.test(path) || needs === 'nothing') continue
      for (const part of ['1', '__proto__', 'constructor'])
        for (const body of method === 'GET' ? [undefined] : ODD) {
          const at = path.replaceAll(/\{(\w+)\}/g, (_, name) =>
            name === 'project' && part !== 'constructor' ? '1' : part,
          )
          const { status } = await administrator(method, at, body)
          if (status >= 500 && status !== 502) faults.push(`${method} ${at} ${JSON.stringify(body)}: ${String(status)}`)
        }
    }
    for (const body of ODD) {
      const { status } = await callerOf(place.server.origin)('POST', '/session', body)
      if (status >= 500) faults.push(`sign in ${JSON.stringify(body)}: ${String(status)}`)
    }

    expect(faults).toEqual([])
  })

  it.each(['main~1', 'HEAD', 'refs/heads/main', '@{-1}', 'a..b', ':(top)', '-q'])(
    'is no branch: %s',
    async (branch) => {
      expect(
        (await administrator('GET', `${place.project}/plans`, undefined, { 'jolt-gate-branch': branch })).status,
      ).toBe(400)
    },
  )
})
