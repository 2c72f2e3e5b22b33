// Calls of the API as they leave the page, and what becomes of the answers.
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { RehearsalEvent } from '@jolt-gate/core/api'
import { api, ApiError, useCsrf, whenNobody, wordsOf } from '../src/api/client.js'

interface Sent {
  url: string
  method: string
  headers: Record<string, string>
  body: unknown
}

/** Answers every request the same, and keeps what was asked. */
function answering(respond: () => Response): Sent[] {
  const sent: Sent[] = []
  vi.stubGlobal('fetch', (url: string, init: RequestInit) => {
    const { method = 'GET', headers = {}, body } = init
    const read: unknown = typeof body === 'string' ? JSON.parse(body) : undefined
    sent.push({ url, method, headers: headers as Record<string, string>, body: read })
    return Promise.resolve(respond())
  })
  return sent
}
const json = (value: unknown, status = 200) => new Response(JSON.stringify(value), { status })
const problem = (code: string, status: number) =>
  json({ type: 'about:blank', title: 'Refused', status, code, detail: `it is ${code}` }, status)

afterEach(() => {
  vi.unstubAllGlobals()
  useCsrf('')
  whenNobody(() => undefined)
})

describe('a call', () => {
  it('puts names into the path so that none of them can lead elsewhere', async () => {
    const sent = answering(() => json({ families: [] }))

    await api.metric(3, '../people', '/metrics')

    expect(sent[0]).toMatchObject({ method: 'POST', url: '/api/projects/3/targets/..%2Fpeople/metric' })
  })

  it('asks by query what is given, and leaves out what is not', async () => {
    const sent = answering(() => json({ runs: [] }))

    await api.runs(1, { plan: 'plans/a b.gate.yaml' })
    await api.runs(1)

    expect(sent.map(({ url }) => url)).toEqual([
      '/api/projects/1/runs?plan=plans%2Fa+b.gate.yaml',
      '/api/projects/1/runs',
    ])
  })

  it('carries the token of the session on every change, and on nothing that is read', async () => {
    const sent = answering(() => json({}))
    useCsrf('c-1')

    await api.projects()
    await api.newBranch(1, 'trial')

    expect(sent.map(({ headers }) => headers['x-jolt-gate-csrf'])).toEqual([undefined, 'c-1'])
    expect(sent[1]?.body).toEqual({ name: 'trial' })
  })

  it('gives nothing for an answer without a body', async () => {
    answering(() => new Response(null, { status: 204 }))

    expect(await api.removePerson(4)).toBeUndefined()
  })
})

describe('a refusal', () => {
  it('is told in the words of the server', async () => {
    answering(() => problem('QUEUE_FULL', 409))

    const error: unknown = await api.startRun(1, 'plans/a.gate.yaml').catch((fault: unknown) => fault)

    expect(error).toBeInstanceOf(ApiError)
    expect(wordsOf(error)).toBe('it is QUEUE_FULL')
  })

  it('that is no problem of ours, such as a page of a proxy, is told by its status', async () => {
    answering(() => new Response('<html>Bad gateway</html>', { status: 502 }))

    await expect(api.projects()).rejects.toThrow('the server answered 502')
  })

  it('because the session has ended brings the sign-in back', async () => {
    const ended = vi.fn()
    whenNobody(ended)
    answering(() => problem('NOT_SIGNED_IN', 401))

    await expect(api.projects()).rejects.toThrow()

    expect(ended).toHaveBeenCalledOnce()
  })

  it('of the network says that the server does not answer', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('failed to fetch')))

    await expect(api.projects()).rejects.toThrow('The server does not answer')
  })
})

describe('a rehearsal', () => {
  const streaming = (pieces: string[]) =>
    answering(() => {
      const bytes = new TextEncoder()
      const body = new ReadableStream({
        start(controller) {
          for (const piece of pieces) controller.enqueue(bytes.encode(piece))
          controller.close()
        },
      })
      return new Response(body, { headers: { 'content-type': 'application/x-ndjson' } })
    })

  it('is told event by event, wherever the network cuts the lines', async () => {
    const lines =
      '{"kind":"begin","id":"r1"}\n{"kind":"fault","detail":"Tür"}\n{"kind":"end","id":"r1","passed":false}\n'
    streaming([lines.slice(0, 10), lines.slice(10, 41), lines.slice(41, 42), lines.slice(42)])
    const events: RehearsalEvent[] = []

    await api.rehearse(1, { plan: 'a.gate.yaml' }, (event) => events.push(event), new AbortController().signal)

    expect(events.map(({ kind }) => kind)).toEqual(['begin', 'fault', 'end'])
    expect(events[1]).toMatchObject({ detail: 'Tür' })
  })

  it('that is refused tells why', async () => {
    answering(() => problem('NOT_PERMITTED', 403))

    await expect(
      api.rehearse(1, { plan: 'a.gate.yaml' }, () => undefined, new AbortController().signal),
    ).rejects.toThrow('it is NOT_PERMITTED')
  })
})
