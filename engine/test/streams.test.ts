// Server-sent events against a real server: read by the standard, awaited, timed, lost and opened again.
import { once } from 'node:events'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, describe, expect, it } from 'vitest'
import { WayOut } from '../src/network/way-out.js'
import { EventStream } from '../src/walk/steps/stream/event-stream.js'
import { journeyOf, planFor, runPlan } from './run-plan.js'

const servers: Server[] = []
type Answer = (request: IncomingMessage, response: ServerResponse, number: number) => void

/** A server of one stream; requests are counted from 1. */
async function streaming(answer: Answer): Promise<string> {
  let count = 0
  const server = createServer((request, response) => {
    response.on('error', () => undefined)
    answer(request, response, ++count)
  })
  servers.push(server)
  server.listen(0, '127.0.0.1')
  await once(server, 'listening')
  return `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`
}
const begin = (response: ServerResponse) => response.writeHead(200, { 'content-type': 'text/event-stream' })
const event = (fields: object, more = '') => `${more}data: ${JSON.stringify(fields)}\n\n`
afterAll(() => {
  for (const server of servers) {
    server.closeAllConnections()
    server.close()
  }
})

describe('the format of events', () => {
  /** What comes of a body, up to its end: type, data and id of each event. */
  async function eventsOf(body: string | Buffer): Promise<unknown[][]> {
    const origin = await streaming((_, response) => begin(response).end(body))
    const out = new WayOut({ tls: undefined, proxy: undefined, localAddress: undefined }, new Set([origin]))
    return new Promise((resolve) => {
      const seen: unknown[][] = []
      new EventStream(new URL(origin), out, [], {
        onOpen: () => undefined,
        onEvent: (...one) => seen.push(one),
        onRetry: (ms) => seen.push(['retry', ms]),
        onLost: () => {
          resolve(seen)
        },
        onFault: (kind, detail) => {
          resolve([...seen, [kind, detail]])
        },
      })
    })
  }

  // Examples of the HTML living standard, section 9.2.6.
  it.each([
    [
      'a comment, an id, an id that is taken back, and a block that has no end',
      ': test stream\n\ndata: first event\nid: 1\n\ndata:second event\nid\n\ndata:  third event',
      [
        ['message', 'first event', '1'],
        ['message', 'second event', ''],
      ],
    ],
    [
      'empty data, two empty lines of it, and a block that has no end',
      'data\n\ndata\ndata\n\ndata:',
      [
        ['message', '', undefined],
        ['message', '\n', undefined],
      ],
    ],
    [
      'a blank after the colon, or none',
      'data:test\n\ndata: test\n\n',
      [
        ['message', 'test', undefined],
        ['message', 'test', undefined],
      ],
    ],
    [
      'types of events',
      'event: add\ndata: 73857293\n\nevent: remove\ndata: 2153\n\nevent: add\ndata: 113411\n\n',
      [
        ['add', '73857293', undefined],
        ['remove', '2153', undefined],
        ['add', '113411', undefined],
      ],
    ],
  ])('%s', async (_, body, expected) => {
    expect(await eventsOf(body)).toEqual(expected)
  })

  // Section 9.2.5 and 9.2.6: a byte order mark, any of three ends of lines, and fields that are none.
  it.each([
    ['\ufeffdata: a\r\n\r\ndata: b\r\rdata: c\n\n', ['a', 'b', 'c']],
    ['data: a\nwhat: ever\nid: with\0zero\n\n', ['a']],
    ['data: x\r\ndata: y\r\n\r\n', ['x\ny']],
    ['data: Øre, 渡し船 ⛴\n\n', ['Øre, 渡し船 ⛴']],
  ])('%j', async (body, data) => {
    expect((await eventsOf(body)).map((one) => one[1])).toEqual(data)
  })

  it('letters that come in pieces are put together, and retry is a number or nothing', async () => {
    const bytes = Buffer.from('retry: 40\nretry: soon\ndata: ⛴\n\n')
    const origin = await streaming((_, response) => {
      begin(response)
      for (const byte of bytes) response.write(Buffer.from([byte]))
      response.end()
    })
    const plan = `      - stream: GET /\n        steps:\n          - await: data is "⛴"\n`
    const { result } = await runPlan(origin, journeyOf(plan, 1))
    expect(result.steps.flatMap(({ failures }) => failures)).toEqual([])
    expect((await eventsOf(bytes)).slice(0, 1)).toEqual([['retry', 40]])
  })
})

describe('events that are awaited', () => {
  it('are timed from when their await began, or from when they say that they were sent', async () => {
    const origin = await streaming((_, response) => {
      begin(response).write(event({ kind: 'hello' }))
      const sent = Date.now()
      setTimeout(() => response.write(event({ kind: 'noise' })), 20)
      setTimeout(() => response.write(event({ kind: 'departed', at: sent, ferry: 'f-7' }, 'event: board\n')), 120)
    })
    const steps = `      - stream: GET /departures
        name: board
        steps:
          - await: json $.kind is "hello"
            name: hello
          - await: event is "board"
            name: departed
            sent at: json $.at
            keep: { ferry: json $.ferry }
      - send: GET /{ferry}
        name: look
        check: [status is 200]
        timeout: 300ms
        on failure: continue
`
    const { result } = await runPlan(origin, journeyOf(steps, 3))
    const step = (name: string) => result.steps.find((one) => one.name === name)
    expect(['board', 'hello', 'departed'].map((name) => [step(name)?.requests, step(name)?.failed])).toEqual([
      [3, 0],
      [3, 0],
      [3, 0],
    ])
    // Both ends have one clock, which counts milliseconds.
    expect(step('departed')?.responseTime?.min).toBeGreaterThan(118)
    expect(step('look')?.requests).toBe(3)
    expect(step('board: reconnect')?.requests).toBe(0)
  })

  it.each([
    ['never come: a timeout', 'json $.kind is "never"', '', 'timeout', /no matching event in 200 ms/],
    ['do not say when they were sent', 'json $.kind is "x"', 'sent at: json $.at', 'check', /does not say when/],
    ['were sent hours from now', 'json $.kind is "late"', 'sent at: json $.at', 'check', /clocks are apart/],
  ])('%s', async (_, check, more, kind, detail) => {
    const origin = await streaming((__, response) => {
      begin(response).write(event({ kind: 'x' }) + event({ kind: 'late', at: '2199-01-01T00:00:00Z' }))
    })
    const steps = `      - stream: GET /\n        name: s\n        steps:\n          - await: ${check}\n            name: e\n            within: 200ms\n            ${more}\n`
    const { result } = await runPlan(origin, journeyOf(steps, 1))
    const [failure] = result.steps.find(({ name }) => name === 'e')?.failures ?? []
    expect(failure).toMatchObject({ kind, detail: expect.stringMatching(detail) as string })
  })

  it('stays open for as long as it is said, and no longer', async () => {
    const closed: number[] = []
    const origin = await streaming((request, response) => {
      const beganMs = performance.now()
      begin(response).write(event({ kind: 'x' }))
      request.on('close', () => closed.push(performance.now() - beganMs))
    })
    const { result } = await runPlan(
      origin,
      journeyOf('      - stream: GET /\n        name: s\n        for: 600ms\n', 2),
    )
    expect(result.journeys).toMatchObject([{ finished: 2, failed: 0 }])
    await expect.poll(() => closed.length).toBe(2)
    expect(Math.min(...closed)).toBeGreaterThan(590)
  })
})

describe('a stream that is lost', () => {
  it('is opened again with the id of the last event, after the time that the server named; each gap is counted', async () => {
    const ids: (string | undefined)[] = []
    const origin = await streaming((request, response, number) => {
      ids.push(request.headers['last-event-id']?.toString())
      begin(response).write(number === 1 ? `retry: 80\nid: 7\n${event({ n: 1 })}` : event({ n: number }))
      if (number < 3) setTimeout(() => (number === 1 ? response.end() : response.destroy()), 20)
    })
    const steps = `      - stream: GET /\n        name: s\n        steps:\n          - await: json $.n is 3\n            name: third\n`
    const { result } = await runPlan(origin, journeyOf(steps, 1))
    const again = result.steps.find(({ name }) => name === 's: reconnect')
    expect(ids).toEqual([undefined, '7', '7'])
    expect([result.totals.failedRequests, again?.requests, again?.failed]).toEqual([0, 2, 0])
    expect(again?.responseTime?.min).toBeGreaterThan(79)
  })

  it('whose server says no is given up, and what was awaited has failed', async () => {
    const origin = await streaming((_, response, number) => {
      if (number === 1) begin(response).end(`retry: 60\n${event({ n: 1 })}`)
      else response.writeHead(204).end()
    })
    const steps = `      - stream: GET /\n        name: s\n        steps:\n          - await: json $.n is 2\n            name: second\n`
    const { result, judgement } = await runPlan(origin, journeyOf(steps, 1))
    const failures = (name: string) =>
      result.steps.find((one) => one.name === name)?.failures.map(({ kind, detail }) => `${kind}: ${detail}`)
    expect(failures('s: reconnect')).toEqual(['status: 204'])
    expect(failures('second')).toEqual(['stream: it could not be opened again: 204'])
    expect(judgement.verdict).toBe('shut')
  })

  it.each([
    ['500', { 'content-type': 'text/event-stream' }, 500, 'status'],
    ['another type', { 'content-type': 'application/json' }, 200, 'stream'],
    ['no type', {}, 200, 'stream'],
    ['a content coding', { 'content-type': 'text/event-stream', 'content-encoding': 'gzip' }, 200, 'decoding'],
  ])('is no stream to begin with: %s', async (_, headers, status, kind) => {
    const origin = await streaming((__, response) => response.writeHead(status, headers).write('data: {}\n\n'))
    const steps = '      - stream: GET /\n        name: s\n        steps:\n          - await: data exists\n'
    const { result, judgement } = await runPlan(origin, journeyOf(steps, 1))
    expect(result.steps[0]?.failures).toMatchObject([{ kind, count: 1 }])
    expect(judgement.verdict).toBe('shut')
  })
})

it('a stream that is lost when its time is over has failed, though nothing was awaited', async () => {
  const origin = await streaming((_, response) => begin(response).end(event({ n: 1 })))
  const { result } = await runPlan(origin, journeyOf('      - stream: GET /\n        name: s\n        for: 500ms\n', 1))
  expect(result.steps[0]?.failures).toMatchObject([{ kind: 'stream', count: 1 }])
})

describe('a hostile stream', () => {
  it('may ask to be opened again at once: it is not flooded for it', async () => {
    let count = 0
    const origin = await streaming((_, response, number) => {
      count = number
      begin(response).end('retry: 0\n\n')
    })
    const { result } = await runPlan(
      origin,
      journeyOf('      - stream: GET /\n        name: s\n        for: 600ms\n', 1),
    )
    expect(count).toBeGreaterThan(2)
    expect(count).toBeLessThan(14)
    expect(result.steps.flatMap(({ failures }) => failures.map(({ kind }) => kind))).toEqual(['stream'])
  })

  it('of one endless event, or one that is too large, ends it; what is not awaited is not kept for ever', async () => {
    const origin = await streaming((request, response) => {
      begin(response)
      const piece = request.url === '/one' ? `data: ${'x'.repeat(65_000)}\n` : event({ many: 'y'.repeat(60_000) })
      const more = () => {
        while (response.writable && response.write(piece));
      }
      response.on('drain', more)
      more()
    })
    const steps = (path: string) =>
      `      - stream: GET /${path}\n        name: s\n        steps:\n          - await: json $.never exists\n            name: e\n            within: 1500ms\n`
    const one = await runPlan(origin, journeyOf(steps('one'), 1))
    expect(one.result.steps.find(({ name }) => name === 'e')?.failures).toMatchObject([{ kind: 'too large' }])
    const before = process.memoryUsage().rss
    const waiting = steps('many').replace('          - await', '          - wait: 1s\n          - await')
    const many = await runPlan(origin, journeyOf(waiting, 1))
    expect(many.result.steps.find(({ name }) => name === 'e')?.failures).toMatchObject([{ kind: 'timeout' }])
    expect(process.memoryUsage().rss - before).toBeLessThan(400_000_000)
  })

  it('leads nowhere else, and a port of our own stays closed', async () => {
    const origin = await streaming((_, response) => response.writeHead(307, { location: 'http://127.0.0.1:1/' }).end())
    const elsewhere = await runPlan(
      origin,
      journeyOf('      - stream: GET http://127.0.0.1:9/\n        name: s\n        for: 1s\n', 1),
    )
    expect(elsewhere.result.steps[0]?.failures).toMatchObject([{ kind: 'not permitted' }])
    const led = await runPlan(origin, journeyOf('      - stream: GET /\n        name: s\n        for: 1s\n', 1))
    expect(led.result.steps[0]?.failures).toMatchObject([{ kind: 'status', detail: '307' }])
  })
})

it.each([
  ['      - stream: POST /\n        for: 1s', /stream needs GET and a URL/],
  ['      - stream: GET /', /needs steps to await, or for/],
  ['      - stream: GET /\n        steps: [{ say: { text: x } }]', /a step of a stream is await or wait/],
  ['      - send: GET /\n        check: [event is "x"]', /event is a subject of what is awaited on a stream/],
  [
    '      - socket: GET /\n        steps: [{ await: data exists }]',
    /data is a subject of what is awaited on a stream/,
  ],
])('%s is refused', (steps, words) => {
  expect(() => planFor('http://127.0.0.1:1', journeyOf(`${steps}\n`))).toThrow(words)
})
