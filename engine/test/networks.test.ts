// Users who come over networks: what a link does to their bytes, whatever is spoken over it, and who is counted where.
import { once } from 'node:events'
import { createServer as createPlain, type RequestListener } from 'node:http'
import { createSecureServer, createServer as createH2 } from 'node:http2'
import { createServer, type AddressInfo, type Server } from 'node:net'
import { Draws, networkOf, type PlanNetwork } from '@jolt-gate/core'
import { generate } from 'selfsigned'
import { WebSocketServer } from 'ws'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { Releases } from '../src/network/releases.js'
import { UserLink } from '../src/network/user-link.js'
import { WayOut } from '../src/network/way-out.js'
import { journeyOf, planFor, runPlan } from './run-plan.js'

const BODY = 'x'.repeat(20_000)
const [DELAY_MS, DOWN_BITS, UP_BITS] = [60, 2_000_000, 400_000]
const CELL = `  - { network: cell, weight: 1, delay: ${String(DELAY_MS)}ms, down: 2 Mbit/s, up: 400 kbit/s }\n`
const link = (own: Partial<PlanNetwork>): PlanNetwork => ({
  ...{ name: 'cell', weight: 1, delayMs: 0, jitterMs: 0, downBits: undefined, upBits: undefined },
  ...own,
})

describe('a link', () => {
  const made = (own: Partial<PlanNetwork>) => new UserLink(link(own), new Releases(() => undefined), new Draws(1))

  it('lets bytes through in turn, at its rate, and each later by half of its delay', () => {
    const { up, down } = made({ delayMs: 80, downBits: 1_600_000, upBits: 800_000 })
    // 200 bytes in a millisecond down, and 100 up.
    const first = down.leaves(2000, 1000)
    expect([first, down.arrives(first, down.drawDelay())]).toEqual([1010, 1050])
    // What comes while the link is busy waits for it; what comes later does not.
    expect([down.leaves(1000, 1004), down.leaves(200, 2000)]).toEqual([1015, 2001])
    expect([up.leaves(1000, 1000), up.drawDelay()]).toEqual([1010, 40])
  })

  it('varies by its jitter to either side, evenly, and lets nothing overtake', () => {
    const { down } = made({ delayMs: 80, jitterMs: 20 })
    const drawn = Array.from({ length: 4000 }, () => down.drawDelay())
    expect(Math.min(...drawn)).toBeGreaterThanOrEqual(30)
    expect(Math.max(...drawn)).toBeLessThanOrEqual(50)
    const mean = drawn.reduce((sum, one) => sum + one, 0) / drawn.length
    const variance = drawn.reduce((sum, one) => sum + (one - mean) ** 2, 0) / drawn.length
    // Of the uniform distribution over 20 ms: its mean is known to within 0.1 ms, its variance is 20²/12.
    expect(Math.abs(mean - 40)).toBeLessThan(0.4)
    expect(Math.abs(variance - 400 / 12)).toBeLessThan(2)
    expect(down.arrives(1000, 50)).toBe(1050)
    expect(down.arrives(1001, 30)).toBe(1050)
  })

  it('lets go of what it holds when its moment comes, in the order in which it was held', () => {
    const gone: string[] = []
    const rings: number[] = []
    const releases = new Releases((atMs) => rings.push(atMs))
    for (const [atMs, name] of [
      [5, 'b'],
      [3, 'a'],
      [5, 'c'],
      [9, 'd'],
    ] as const)
      releases.hold(atMs, () => gone.push(name))
    releases.run(2.9)
    expect(gone).toEqual([])
    releases.run(5)
    expect([gone, releases.nextMs(), rings]).toEqual([['a', 'b', 'c'], 9, [5, 3, 5, 9]])
  })
})

describe('who comes over which', () => {
  const networks = [
    link({ name: 'cell', weight: 3 }),
    link({ name: 'office', weight: 1 }),
    link({ name: 'ship', weight: 6 }),
  ]

  it('is drawn by weight and seed, and is the same for a user at any time', () => {
    const of = networkOf({ networks, seed: 7 })
    const users = Array.from({ length: 20_000 }, (_, user) => user)
    const drawn = users.map(of)
    expect(users.toReversed().map(of).toReversed()).toEqual(drawn)
    const shares = networks.map((_, network) => drawn.filter((one) => one === network).length / drawn.length)
    // Three deviations of a share of 20 000 draws are 0.0106 at most.
    for (const [index, share] of [0.3, 0.1, 0.6].entries())
      expect(Math.abs((shares[index] ?? 0) - share)).toBeLessThan(0.0106)
    const other = users.map(networkOf({ networks, seed: 8 }))
    expect(other).not.toEqual(drawn)
  })
})

interface Spoken {
  origin: string
  steps: string
  target?: string
  files?: Record<string, string>
  /** Trips to and fro before the first request is on its way. */
  trips: number
}
const servers: Server[] = []
const spoken: Record<string, Spoken> = {}
const portOf = ({ address }: Pick<Server, 'address'>) => (address() as AddressInfo).port
async function listening(server: Server): Promise<string> {
  servers.push(server)
  server.listen(0, '127.0.0.1')
  await once(server, 'listening')
  return `127.0.0.1:${String(portOf({ address: () => server.address() }))}`
}
const GETS = (more = '') => `      - send: GET /first\n${more}      - send: GET /second\n${more}`
const POST = '      - send: POST /third\n        text: "' + 'y'.repeat(3000) + '"\n'

beforeAll(async () => {
  const answer: RequestListener = (request, response) => {
    request.resume().on('end', () => response.end(request.url === '/third' ? '{}' : BODY))
  }
  const names = [{ name: 'subjectAltName' as const, altNames: [{ type: 7 as const, ip: '127.0.0.1' }] }]
  const { private: key, cert } = await generate([{ name: 'commonName', value: '127.0.0.1' }], { extensions: names })
  const trusted = { target: 'tls: { ca: ca.pem }\n', files: { 'ca.pem': cert } }
  const plain = await listening(createPlain(answer))
  const h2 = createH2((request, response) => {
    request.resume().on('end', () => response.end(request.url === '/third' ? '{}' : BODY))
  })
  const secure = createSecureServer({ key, cert, allowHTTP1: true }, (request, response) => {
    request.resume().on('end', () => response.end(request.url === '/third' ? '{}' : BODY))
  })
  const withSockets = createPlain()
  new WebSocketServer({ server: withSockets }).on('connection', (socket) => {
    socket.on('message', () => socket.send(JSON.stringify({ body: BODY })))
  })
  spoken['HTTP/1.1'] = { origin: `http://${plain}`, steps: GETS() + POST, trips: 1 }
  const two = '        http: 2\n'
  spoken['HTTP/2'] = { origin: `http://${await listening(h2)}`, steps: GETS(two) + POST + two, trips: 1 }
  const secured = `https://${await listening(secure)}`
  // TLS 1.3 takes one round trip more (RFC 8446, figure 1).
  spoken['HTTP/1.1 over TLS'] = { origin: secured, steps: GETS() + POST, trips: 2, ...trusted }
  spoken['HTTP/2 over TLS'] = { origin: secured, steps: GETS(two) + POST + two, trips: 2, ...trusted }
  spoken['WebSocket'] = {
    origin: `http://${await listening(withSockets)}`,
    steps: `      - socket: GET /
        name: first
        steps:
          - say: { text: ask }
            name: second
          - await: json $.body exists
            name: third
            within: 5s\n`,
    trips: 2,
  }
})
afterAll(() => {
  for (const server of servers) server.close()
})

const [ONE_WAY_BITS, BYTE_BITS] = [BODY.length * 8, 8]
describe('over a network', () => {
  it.each(['HTTP/1.1', 'HTTP/2', 'HTTP/1.1 over TLS', 'HTTP/2 over TLS'])(
    '%s takes no less than its link: to connect, to ask and to be answered',
    async (name) => {
      const { origin, steps, trips, ...extra } = spoken[name] as Spoken
      const { result } = await runPlan(origin, journeyOf(steps, 3, `networks:\n${CELL}`), extra)
      expect(result.totals).toMatchObject({ requests: 9, failedRequests: 0 })
      const least = result.steps.map(({ responseTime }) => responseTime?.min ?? 0)
      const downMs = (1000 * ONE_WAY_BITS) / DOWN_BITS
      expect(least[0]).toBeGreaterThan((1 + trips) * DELAY_MS + downMs)
      expect(least[1]).toBeGreaterThan(DELAY_MS + downMs)
      expect(least[2]).toBeGreaterThan(DELAY_MS + (1000 * 3000 * BYTE_BITS) / UP_BITS)
      // The second goes over the connection of the first.
      expect(result.steps.map(({ connectTime }) => connectTime?.count ?? 0)).toEqual([3, 0, 0])
      expect(result.steps[0]?.connectTime?.min).toBeGreaterThan(trips * DELAY_MS)
      expect(result.networks).toMatchObject([{ name: 'cell', requests: 9, failed: 0 }])
    },
  )

  it('WebSockets take no less than their link, either', async () => {
    const { origin, steps } = spoken['WebSocket'] as Spoken
    const { result } = await runPlan(origin, journeyOf(steps, 3, `networks:\n${CELL}`))
    expect(result.totals.failedRequests).toBe(0)
    const least = new Map(result.steps.map(({ name, responseTime }) => [name, responseTime?.min ?? 0]))
    expect(least.get('first')).toBeGreaterThan(2 * DELAY_MS)
    // Closed at both ends, within the drain.
    expect(result.journeys).toMatchObject([{ finished: 3, unfinished: 0 }])
    expect(least.get('third')).toBeGreaterThan(DELAY_MS + (1000 * ONE_WAY_BITS) / DOWN_BITS)
  })

  it('what one of a user’s connections sends waits for what another does: they have one link', async () => {
    const { origin } = spoken['HTTP/1.1'] as Spoken
    const steps = '      - parallel:\n          - send: GET /a\n          - send: GET /b\n          - send: GET /c\n'
    const { result } = await runPlan(origin, journeyOf(steps, 1, `networks:\n${CELL}`))
    const slowest = Math.max(...result.steps.map(({ responseTime }) => responseTime?.max ?? 0))
    expect(slowest).toBeGreaterThan(2 * DELAY_MS + (3 * 1000 * ONE_WAY_BITS) / DOWN_BITS)
  })

  it('each network is counted by itself, all of them add up, and a gate of one is of that alone', async () => {
    const { origin } = spoken['HTTP/1.1'] as Spoken
    const plan = `networks:
${CELL}  - { network: office, weight: 2 }
journeys:
  a:
    steps:
      - send: GET /first
      - send: GET /second
        check: [response time under 10ms]
load:
  - { phase: p, rate: 40/s, for: 2s }
gates:
  - failed requests on network "cell" at most 1 %
  - failed requests on network "office" at most 100 %
  - failed requests at most 100 %
`
    const users = planFor(origin, plan).plan
    const of = networkOf(users)
    const expected = Array.from({ length: 80 }, (_, user) => of(user)).filter((network) => network === 0).length
    for (const senders of [1, 3]) {
      const { result, judgement } = await runPlan(origin, plan, { senders })
      expect(result.totals.requests).toBe(160)
      expect(result.networks?.map(({ name, requests }) => [name, requests])).toEqual([
        ['cell', 2 * expected],
        ['office', 160 - 2 * expected],
      ])
      // Over the link it takes 140 ms and more.
      expect(result.networks?.[0]?.failed).toBe(expected)
      expect(result.totals.failedRequests).toBe(result.networks?.reduce((sum, { failed }) => sum + failed, 0))
      expect(judgement.verdict).toBe('shut')
      expect(result.gates.filter(({ status }) => status === 'breached').map(({ rule }) => rule)).toEqual([
        'failed requests on network "cell" at most 1 %',
      ])
    }
  })

  it('a user who comes back has the same network, and the connection of before', async () => {
    const { origin } = spoken['HTTP/1.1'] as Spoken
    const plan = `networks:
${CELL}  - { network: office, weight: 1 }
journeys:
  a:
    returning: yes
    steps:
      - send: GET /first
load:
  - { phase: p, users: 8, for: 2s }
`
    const { result } = await runPlan(origin, plan)
    const of = networkOf(planFor(origin, plan).plan)
    expect(new Set(Array.from({ length: 8 }, (_, user) => of(user)))).toEqual(new Set([0, 1]))
    expect(result.steps[0]?.connectTime?.count).toBe(8)
    expect(result.totals.failedRequests).toBe(0)
  })
})

describe('a hostile target, or none, over a network', () => {
  const failing = (origin: string, more = '') =>
    runPlan(origin, journeyOf(`      - send: GET /\n        timeout: 1500ms\n${more}`, 2, `networks:\n${CELL}`))

  it('nobody there is refused once the news is back, and a port of our own is as closed as ever', async () => {
    const free = createServer()
    const origin = `http://${await listening(free)}`
    await new Promise((resolve) => free.close(resolve))
    const { result } = await failing(origin)
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'refused', count: 2 }])

    const way = new WayOut({ tls: undefined, proxy: undefined, localAddress: undefined }, new Set([origin]))
    const over = way.over(new UserLink(link({ delayMs: 10 }), new Releases(() => undefined), new Draws(1)))
    const elsewhere = over.connect({ host: '169.254.1.1', port: 80, to: 'http:' })
    const [error] = (await once(elsewhere, 'error')) as [NodeJS.ErrnoException]
    expect(error.code).toBe('NOT_PERMITTED')
  })

  it('an answer that ends in the middle is a failure, after all that came of it', async () => {
    const half = createServer((socket) => {
      socket.on('error', () => undefined)
      socket.once('data', () => {
        socket.write(`HTTP/1.1 200 OK\r\ncontent-length: 40000\r\n\r\n${BODY}`)
        setTimeout(() => socket.destroy(), 20)
      })
    })
    const { result } = await failing(`http://${await listening(half)}`)
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'reset', count: 2 }])
  })

  it('an endless answer waits for the link: no more of it is held than a window', async () => {
    let sent = 0
    const endless = createServer((socket) => {
      socket.on('error', () => undefined)
      const piece = Buffer.alloc(65_536)
      const more = () => {
        while (socket.writable && socket.write(piece)) sent += piece.length
      }
      socket.once('data', () => {
        socket.write('HTTP/1.1 200 OK\r\ncontent-length: 900000000\r\n\r\n')
        socket.on('drain', more)
        more()
      })
    })
    const { result } = await failing(`http://${await listening(endless)}`)
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'timeout', count: 2 }])
    // In 1.5 s at 2 Mbit/s 375 kB come through; the rest is what two kernels and we hold of each of two connections.
    expect(sent).toBeLessThan(2 * 16_000_000)
  })
})

it('a server that is asked over a link is asked as by anyone: headers and bodies are the same', async () => {
  const seen: string[] = []
  const server = createPlain((request, response) => {
    const pieces: Buffer[] = []
    request.on('data', (piece: Buffer) => pieces.push(piece))
    request.on('end', () => {
      const { length } = Buffer.concat(pieces).toString()
      seen.push(`${request.method ?? ''} ${request.url ?? ''} ${String(request.headers['content-length'])} ${length}`)
      response.end('{}')
    })
  })
  const origin = `http://${await listening(server)}`
  const steps = `      - send: POST /a\n        text: "${'é'.repeat(40_000)}"\n`
  await runPlan(origin, journeyOf(steps, 1, `networks:\n  - { network: slow, delay: 5ms, up: 4 Mbit/s }\n`))
  await runPlan(origin, journeyOf(steps, 1))
  expect(seen).toEqual([seen[1], seen[1]])
  expect(seen[0]).toBe('POST /a 80000 40000')
})
