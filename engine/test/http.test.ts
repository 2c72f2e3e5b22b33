// HTTP in full, against real servers on loopback: codings, cookies, connections, HTTP/2, TLS, proxies, hostile answers.
import { once } from 'node:events'
import { createServer, type Server } from 'node:http'
import { createSecureServer } from 'node:http2'
import { connect, type AddressInfo, type Socket } from 'node:net'
import { Worker } from 'node:worker_threads'
import { brotliCompressSync, gzipSync } from 'node:zlib'
import { generate } from 'selfsigned'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { journeyOf, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
let count = 0
const sockets: Server[] = []

beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    const path = request.url ?? ''
    if (path === '/gzip') response.writeHead(200, { 'content-encoding': 'gzip' }).end(gzipSync('{"packed":"gzip"}'))
    else if (path === '/br')
      response.writeHead(200, { 'content-encoding': 'br' }).end(brotliCompressSync('{"packed":"br"}'))
    else if (path === '/notgzip') response.writeHead(200, { 'content-encoding': 'gzip' }).end('{"plain":1}')
    else if (path === '/bomb')
      response.writeHead(200, { 'content-encoding': 'gzip' }).end(gzipSync(Buffer.alloc(30_000_000)))
    else if (path === '/login')
      response.writeHead(200, { 'set-cookie': ['seat=12; Path=/', 'deck=low; Path=/deck'] }).end('{}')
    else if (path === '/cookies') response.end(JSON.stringify({ got: request.headers.cookie ?? '' }))
    else if (path === '/token') response.end(JSON.stringify({ token: `t${String(++count)}` }))
    else if (path.startsWith('/port')) response.end(JSON.stringify({ port: request.socket.remotePort }))
    else if (path === '/endless') {
      const timer = setInterval(() => response.write(Buffer.alloc(1_000_000)), 1)
      response.on('close', () => clearInterval(timer))
    } else if (path === '/drip') {
      response.writeHead(200, { 'content-length': '1000' })
      const timer = setInterval(() => response.write('.'), 50)
      response.on('close', () => clearInterval(timer))
    } else if (path === '/half') {
      request.socket.write('HTTP/1.1 200 OK\r\ncontent-length: 100\r\n\r\nhalf')
      request.socket.end()
    } else if (path === '/garbage') request.socket.end('\x00\xff not http at all\r\n\r\n')
    else if (path === '/utf8') response.end(Buffer.from([0x7b, 0xff, 0xfe, 0x7d]))
    else response.end('{"ok":true}')
  })
})
beforeEach(() => {
  count = 0
  server.arrivals.clear()
  server.bodies.length = 0
})
afterAll(async () => {
  await server.stop()
  for (const socket of sockets) socket.close()
})
const seen = (path: string) => server.arrivals.get(path)?.length ?? 0

describe('HTTP', () => {
  it('takes off gzip and br, and bounds what comes out', async () => {
    const steps = ['gzip', 'br']
      .map((coding) => `      - send: GET /${coding}\n        check: [json $.packed is "${coding}"]\n`)
      .join('')
    const broken = ['notgzip', 'bomb']
      .map((path) => `      - send: GET /${path}\n        check: [body exists]\n`)
      .join('')
    const { result } = await runPlan(server.origin, journeyOf(steps + broken, 2))

    expect(result.steps.map(({ name, failures }) => [name, failures[0]?.kind])).toEqual([
      ['GET /gzip', undefined],
      ['GET /br', undefined],
      ['GET /notgzip', 'decoding'],
      ['GET /bomb', 'too large'],
    ])
  })

  it('counts the bytes of heads and bodies as the server does', async () => {
    const met: Socket[] = []
    const counted = createServer((request, response) => {
      request.resume().on('end', () => response.writeHead(200, { 'content-length': 2 }).end('{}'))
    })
    sockets.push(counted.on('connection', (socket) => met.push(socket)).listen(0, '127.0.0.1'))
    await once(counted, 'listening')
    const origin = `http://127.0.0.1:${String((counted.address() as AddressInfo).port)}`
    const steps = `      - send: GET /a/path?and=more
        headers: { x-port: Lärkholm }
      - send: POST /b
        json: { text: Lärkholm }
      - send: DELETE /c
`
    const { result } = await runPlan(origin, journeyOf(steps, 3))

    const sum = (count: (socket: Socket) => number) => met.reduce((all, socket) => all + count(socket), 0)
    expect(result.totals.bytesSent).toBe(sum((socket) => socket.bytesRead))
    expect(result.totals.bytesReceived).toBe(sum((socket) => socket.bytesWritten))
  })

  it('keeps the cookies of a user by path (RFC 6265), and those of one who comes back', async () => {
    const steps = (login: string) => `      - when: value user.iteration is ${login}
        steps:
          - send: GET /login
            keep: { seat: cookie seat }
      - send: GET /cookies
        keep: { got: json $.got }
      - send: POST /report
        json: "{got} {seat}"
`
    await runPlan(server.origin, journeyOf(steps('0'), 3))
    expect(server.bodies.filter((body) => body !== '')).toEqual(new Array(3).fill('"seat=12 12"'))

    server.bodies.length = 0
    const returning = journeyOf(steps('0'), 1)
      .replace('  a:\n', '  a:\n    returning: yes\n')
      .replace('starts: 1, for: 400ms', 'users: 2, iterations: 3')
    const { result } = await runPlan(server.origin, returning)
    expect(server.bodies.filter((body) => body !== '')).toEqual(new Array(6).fill('"seat=12 12"'))
    expect(seen('/login')).toBe(5)
    expect(result.totals.journeys).toBe(6)
  })

  it('shares connections, or gives each user its own', async () => {
    const steps =
      '      - send: GET /port\n        keep: { p: json $.port }\n      - send: POST /used\n        json: { port: "{p}" }\n      - send: GET /port\n        keep: { q: json $.port }\n      - send: POST /used\n        json: { port: "{q}" }\n'
    const ports = async (connections: string) => {
      server.bodies.length = 0
      await runPlan(server.origin, journeyOf(steps, 5, `connections: ${connections}\n`))
      return new Set(server.bodies.filter((body) => body !== '')).size
    }

    expect(await ports('per user')).toBe(5)
    // Users who come back keep theirs, and the run still ends when its load does.
    const returning = journeyOf(steps, 1, 'connections: per user\n')
      .replace('  a:\n', '  a:\n    returning: yes\n')
      .replace('starts: 1, for: 400ms', 'users: 3, iterations: 4')
    server.bodies.length = 0
    await runPlan(server.origin, returning)
    expect(new Set(server.bodies.filter((body) => body !== '')).size).toBe(3)
    expect(await ports('shared')).toBeLessThan(5)
  })

  it('uses a connection over TLS again, also after what is large', async () => {
    const { private: key, cert } = await generate([{ name: 'commonName', value: 'localhost' }])
    // In a thread of its own: its answers are there before this one is told that its writes are through.
    const server = new Worker(
      `const { parentPort, workerData } = require('node:worker_threads')
       let connections = 0
       const server = require('node:https').createServer(workerData, (request, response) => {
         request.resume().on('end', () => response.end(String(connections)))
       })
       server.on('secureConnection', () => connections++)
       server.listen(0, '127.0.0.1', () => parentPort.postMessage(server.address().port))`,
      { eval: true, workerData: { key, cert } },
    )
    const [port] = (await once(server, 'message')) as [number]
    const steps = `      - repeat: 20
        steps:
          - send: GET /a
          - send: POST /b
            text: "${'x'.repeat(100_000)}"
      - send: GET /count
        check: [json $ at most 40]
`
    const { result } = await runPlan(`https://127.0.0.1:${String(port)}`, journeyOf(steps, 40), {
      target: 'tls: { verify: no }\n',
    })
    await server.terminate()

    expect(result.steps.at(-1)?.failures).toEqual([])
    expect(result.totals).toMatchObject({ requests: 40 * 41, failedRequests: 0 })
  })

  it('speaks HTTP/2 and TLS with a certificate of its own, and refuses one that it does not know', async () => {
    const names = [{ name: 'subjectAltName' as const, altNames: [{ type: 7 as const, ip: '127.0.0.1' }] }]
    const { private: key, cert } = await generate([{ name: 'commonName', value: '127.0.0.1' }], { extensions: names })
    const secure = createSecureServer({ key, cert, allowHTTP1: true }, (request, response) => {
      response.setHeader('content-type', 'application/json')
      response.end(JSON.stringify({ version: request.httpVersion }))
    })
    await new Promise<void>((resolve) => secure.listen(0, '127.0.0.1', resolve))
    const origin = `https://127.0.0.1:${String((secure.address() as AddressInfo).port)}`
    const steps =
      '      - send: GET /one\n        check: [json $.version is "1.1"]\n      - send: POST /two\n        http: 2\n        json: { a: 1 }\n        check: [json $.version is "2.0"]\n'

    const known = await runPlan(origin, journeyOf(steps), {
      target: 'tls: { ca: ca.pem }\n',
      files: { 'ca.pem': cert },
    })
    const unknown = await runPlan(origin, journeyOf(steps, 1))
    // It is trusted, and of another name than the one that is asked for.
    const { result: misnamed } = await runPlan(origin.replace('127.0.0.1', 'localhost'), journeyOf(steps, 1), {
      target: 'tls: { ca: ca.pem }\n',
      files: { 'ca.pem': cert },
    })
    const unchecked = await runPlan(origin, journeyOf(steps, 1), { target: 'tls: { verify: no }\n' })
    secure.close()

    expect(known.result.totals).toMatchObject({ requests: 8, failedRequests: 0 })
    expect(unknown.result.steps[0]?.failures).toMatchObject([{ kind: 'tls' }])
    expect(misnamed.steps[0]?.failures).toMatchObject([{ kind: 'tls' }])
    expect(unchecked.result.totals.failedRequests).toBe(0)
  })

  it('goes through a proxy, in absolute form', async () => {
    const asked: string[] = []
    const proxy = createServer((request, response) => {
      asked.push(request.url ?? '')
      response.end('{"through":"proxy"}')
    })
    proxy.on('connect', (request, socket) => {
      const { hostname, port } = new URL(`http://${request.url ?? ''}`)
      const onward = connect(Number(port), hostname, () => socket.write('HTTP/1.1 200 OK\r\n\r\n'))
      socket.pipe(onward).pipe(socket)
    })
    sockets.push(proxy)
    await new Promise<void>((resolve) => proxy.listen(0, '127.0.0.1', resolve))
    const address = `http://127.0.0.1:${String((proxy.address() as AddressInfo).port)}`

    const { result } = await runPlan(
      server.origin,
      journeyOf('      - send: GET /through\n        check: [json $.through is "proxy"]\n'),
      { target: `proxy: ${address}\n` },
    )

    expect(result.totals).toMatchObject({ requests: 4, failedRequests: 0 })
    expect(asked[0]).toBe(`${server.origin}/through`)
  })

  it('survives endless, dripping, halved and senseless answers: bounded, told, and the run goes on', async () => {
    const steps = ['endless', 'drip', 'half', 'garbage']
      .map((path) => `      - send: GET /${path}\n        timeout: 700ms\n`)
      .join('')
    const utf8 = '      - send: GET /utf8\n        check: [json $ exists]\n      - send: GET /fine\n'
    const { result } = await runPlan(server.origin, journeyOf(steps + utf8, 2))

    expect(result.steps.map(({ name, failures }) => [name, failures[0]?.kind])).toEqual([
      ['GET /endless', 'too large'],
      ['GET /drip', 'timeout'],
      ['GET /half', 'reset'],
      ['GET /garbage', 'protocol'],
      ['GET /utf8', 'check'],
      ['GET /fine', undefined],
    ])
    expect(seen('/fine')).toBe(2)
  })

  it('sends files and parts, and renews what setup kept while the load lasts', async () => {
    const parts = `setup:
  - send: GET /token
    refresh: every 1s
    keep: { token: json $.token }
journeys:
  a:
    steps:
      - send: POST /{token}
        multipart: { note: "for {user.number}", picture: { file: pier.bin } }
load:
  - { phase: p, rate: 10/s, for: 3s }
`
    const { result } = await runPlan(server.origin, parts, {
      files: { 'pier.bin': '' },
      fileBytes: () => new TextEncoder().encode('PIER'),
    })

    expect(result.totals.failedRequests).toBe(0)
    expect(server.bodies.filter((body) => /name="note"[\s\S]*for \d[\s\S]*PIER/.test(body))).toHaveLength(30)
    expect([...server.arrivals.keys()].filter((path) => /^\/t\d/.test(path)).length).toBeGreaterThanOrEqual(2)
  })
})
