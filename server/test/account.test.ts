// Accounts: passwords, the sessions that end with them, and what is open for those.
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { callerOf, PLAN, signedIn, startPlace, type Call, type Place } from './place.js'

let place: Place
let origin: string
let administrator: Call
const JON = { name: 'Jon', email: 'jon@larkholm.example', password: 'a-lamp-on-the-quay', role: 'author' }

const TOKEN = {
  label: 'all',
  scopes: ['read', 'write', 'run', 'git', 'admin'],
  until: new Date(Date.now() + 86_400_000).toISOString(),
}

beforeAll(async () => {
  place = await startPlace()
  origin = place.server.origin
  administrator = callerOf(origin, await signedIn(origin))
  await administrator('POST', '/people', JON)
})
afterAll(() => place.stop())

const session = async (password: string) => callerOf(origin, await signedIn(origin, '/session', { ...JON, password }))
const status = async (call: Call) => (await call('GET', '/projects')).status

describe('a password', () => {
  it('is changed by who knows it, and their other sessions end', async () => {
    const [own, other] = [await session(JON.password), await session(JON.password)]
    const change = (current: string, password: string) => own('PUT', '/session/password', { current, password })

    expect(await change('a-guess-or-two', 'a-new-lamp-there')).toMatchObject({ status: 403, body: { code: 'WRONG' } })
    expect((await change(JON.password, 'short')).status).toBe(400)
    expect(await status(other)).toBe(200)
    expect((await change(JON.password, 'a-new-lamp-there')).status).toBe(204)

    expect([await status(own), await status(other)]).toEqual([200, 401])
    expect(await status(await session('a-new-lamp-there'))).toBe(200)
    expect(await status(await session(JON.password))).toBe(401)
  })

  it('is reset by administrators alone, and all sessions of that person end', async () => {
    const jon = await session('a-new-lamp-there')
    const { people } = (await administrator('GET', '/people')).body as { people: { id: number; email: string }[] }
    const id = people.find(({ email }) => email === JON.email)?.id ?? 0
    const reset = (call: Call) => call('PUT', `/people/${String(id)}/password`, { password: 'given-in-person' })

    expect(await reset(jon)).toMatchObject({ status: 403, body: { code: 'ROLE' } })
    expect((await reset(administrator)).status).toBe(204)

    expect(await status(jon)).toBe(401)
    expect(await status(await session('given-in-person'))).toBe(200)
    expect((await administrator('GET', '/audit-log?search=reset')).body).toMatchObject({
      events: [{ event: 'reset a password', detail: 'Jon' }],
      hasMore: false,
    })
  })

  it('is changed by no token, whatever its scopes', async () => {
    const { token } = (await administrator('POST', '/tokens', TOKEN)).body as { token: string }
    const bearer = callerOf(origin, { authorization: `Bearer ${token}` })

    expect(await bearer('PUT', '/session/password', { current: 'x', password: 'ten letters and more' })).toMatchObject({
      status: 403,
      body: { code: 'TOKEN' },
    })
  })
})

describe('signing out', () => {
  it('ends what is still told of a run', async () => {
    const headers = await signedIn(origin)
    const own = callerOf(origin, headers)
    const { id } = (await own('POST', `${place.project}/runs`, { plan: PLAN })).body as { id: string }
    const stream = await fetch(`${origin}/api/runs/${id}/stream`, { headers })
    const reader = stream.body?.getReader()
    expect((await reader?.read())?.done).toBe(false)

    await own('DELETE', '/session')

    const rest = async () => {
      for (;;) if ((await reader?.read())?.done !== false) return 'ended'
    }
    expect(await rest()).toBe('ended')
    expect((await administrator('GET', `/runs/${id}`)).body).toMatchObject({
      state: expect.not.stringMatching('ended') as string,
    })
  })

  it('leaves entries in the audit log, which is read a hundred at a time', async () => {
    for (let count = 0; count < 101; count++) await administrator('POST', '/tokens', TOKEN)
    const { body } = await administrator('GET', '/audit-log')
    const { events, hasMore } = body as { events: { id: number }[]; hasMore: boolean }
    const before = await administrator('GET', `/audit-log?before=${String(events.at(-1)?.id)}`)

    expect(events.length).toBeLessThanOrEqual(100)
    expect(hasMore).toBe(events.length === 100)
    expect(JSON.stringify(before.body)).not.toContain(`"id":${String(events[0]?.id)},`)
  })
})

describe('a role in one project', () => {
  const jonNow = { ...JON, password: 'given-in-person' }
  const jon = () => session(jonNow.password)
  const give = async (role: string | null) => {
    const { people } = (await administrator('GET', '/people')).body as { people: { id: number; email: string }[] }
    const id = people.find(({ email }) => email === JON.email)?.id ?? 0
    return (await administrator('PUT', `/people/${String(id)}/projects/1`, { role })).status
  }
  const save = (call: Call) =>
    call('PUT', `/projects/1/plan?file=plans/of-jon.gate.yaml`, { text: 'jolt: 1\n', base: null, message: 'of Jon' })

  it('takes the place of the one that a person has elsewhere, for pages, Git and runs', async () => {
    const { body: run } = await administrator('POST', '/projects/1/runs', { plan: PLAN })
    const { id } = run as { id: string }
    const of = await jon()
    const { body: made } = await of('POST', '/tokens', { ...TOKEN, scopes: ['git'] })
    const remote = async () => {
      const authorization = `Basic ${Buffer.from(`jon:${(made as { token: string }).token}`).toString('base64')}`
      const url = `${origin}/git/1.git/info/refs?service=git-receive-pack`
      return (await fetch(url, { headers: { authorization } })).status
    }
    const seen = async () => [
      (await of('GET', '/projects/1/plans')).status,
      (await of('GET', `/runs/${id}`)).status,
      (await save(of)).status,
      await remote(),
    ]

    expect(await give('reader')).toBe(204)
    expect(await seen()).toEqual([200, 200, 403, 403])
    const open = await fetch(`${origin}/api/changes`, { headers: await signedIn(origin, '/session', jonNow) })
    expect(await give('none')).toBe(204)
    // What was open for the role of before has ended.
    await open.text()
    expect(await seen()).toEqual([404, 404, 404, 404])
    expect((await of('GET', '/projects')).body).toEqual({ projects: [] })
    expect((await of('GET', '/queue')).body).toEqual({ runs: [], searches: [] })
    expect((await save(administrator)).status).toBe(200)
  })

  it('lets an administrator of a project keep its secrets, and nothing beyond it', async () => {
    const of = await jon()
    const keep = () => of('PUT', '/projects/1/targets/here/secrets/password', { value: 'grey-gull-9' })

    expect(await give('administrator')).toBe(204)
    // The target names no such secret: refused for what is asked, not for who asks.
    expect((await keep()).status).not.toBe(403)
    expect((await of('GET', '/people')).status).toBe(403)
    expect((await of('GET', '/audit-log')).status).toBe(403)
    expect(await give(null)).toBe(204)
    expect((await keep()).status).toBe(403)
    expect((await of('GET', '/projects')).body).toMatchObject({ projects: [{ id: 1, role: 'author' }] })
  })
})
