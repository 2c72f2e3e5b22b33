import { once } from 'node:events'
import { createServer, type Server } from 'node:http'
import { createServer as createTcpServer, type AddressInfo, type Socket } from 'node:net'
import { createServer as createTlsServer, TLSSocket } from 'node:tls'
import { generate } from 'selfsigned'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { Connections } from '../src/http/connections.js'
import type { Link } from '../src/http/links/link.js'
import { RequestFields } from '../src/http/links/request-head.js'
import { closePorts, GUARDED, holdToNetworks, reachable, refusal } from '../src/index.js'
import { WayOut } from '../src/network/way-out.js'
import { straightTo } from '../src/walk/alone.js'
import { metricFaults } from '../src/metrics/metric-names.js'
import { Names, type NameAnswer } from '../src/network/names.js'
import { journeyOf, runPlan } from './run-plan.js'

const answer = (addresses: string[], holdsMs = 60_000): NameAnswer => ({
  addresses: addresses.map((address) => ({ address, family: 4 })),
  holdsMs: Promise.resolve(holdsMs),
})

let server: Server
let port = 0
beforeAll(async () => {
  // On Linux all of 127.0.0.0/8 is this machine: each address stands for a machine of its own.
  server = createServer((request, response) => response.end(request.socket.localAddress)).listen(0, '0.0.0.0')
  await once(server, 'listening')
  port = (server.address() as AddressInfo).port
})
afterAll(() => {
  server.closeAllConnections()
  server.close()
})

/** The body of what is at the root. */
const askOver = (link: Link, origin: string): Promise<string> =>
  new Promise((resolve, reject) => {
    let body = ''
    const nothing = () => undefined
    link.send(
      {
        ...{ origin, path: '/', method: 'GET', body: null, isOpen: true, onFault: reject },
        ...{ onStarted: nothing, onReady: nothing, onHead: nothing },
        onPiece: (piece) => (body += piece.toString()),
        onDone: () => {
          resolve(body)
        },
      },
      new RequestFields([]),
      [],
    )
  })

describe('a name', () => {
  it('leads to all its addresses in turn, and elsewhere when its time is over and it has moved', async () => {
    let [nowMs, asked] = [0, 0]
    const answers = [answer(['127.0.0.1', '127.0.0.2'], 5000), answer(['127.0.0.3'])]
    const names = new Names(
      () => Promise.resolve(answers[Math.min(asked++, 1)] ?? answer([])),
      () => nowMs,
    )
    const connections = new Connections(new WayOut(straightTo(''), undefined, names))
    const origin = `http://harbour.localhost:${String(port)}`
    const links = [1, 2, 3].map(() => connections.take(origin, 1))
    const ask = (link: Link) => askOver(link, origin)

    const met: string[] = []
    for (const link of links) met.push(await ask(link))
    for (const link of links) connections.giveBack(link)
    const kept = connections.take(origin, 1)
    expect(links).toContain(kept)
    connections.giveBack(kept)
    nowMs = 5001
    connections.giveBack(connections.take(origin, 1))
    await expect.poll(() => names.version).toBe(1)
    const moved = await ask(connections.take(origin, 1))
    connections.close()

    expect(met).toEqual(['127.0.0.1', '127.0.0.2', '127.0.0.1'])
    expect([asked, moved]).toEqual([2, '127.0.0.3'])
  })

  it('that cannot be asked for again leads where it led', async () => {
    let [nowMs, asked] = [0, 0]
    const names = new Names(
      () => (asked++ === 0 ? Promise.resolve(answer(['192.0.2.1'], 2000)) : Promise.reject(new Error('no answer'))),
      () => nowMs,
    )
    const addresses = () =>
      new Promise((resolve) => {
        names.addressesOf('harbour.example', (error, found) => {
          resolve(error ?? found.map(({ address }) => address))
        })
      })

    expect(await addresses()).toEqual(['192.0.2.1'])
    nowMs = 2001
    expect(await addresses()).toEqual(['192.0.2.1'])
    await expect.poll(() => asked).toBe(2)
    expect(await addresses()).toEqual(['192.0.2.1'])
  })
})

describe('the way out', () => {
  it.each([
    ['another port', { host: '127.0.0.1', port: 9, to: 'http:' }],
    ['TLS where none is permitted', { host: '127.0.0.1', port: 1, to: 'https:' }],
    ['another host', { host: 'elsewhere.example', port: 80, to: 'http:' }],
    ['a database that is not of the target', { host: '192.0.2.7', port: 3306, to: 'database' }],
  ] as const)('leads to no origin but those it was given: %s', async (_, destination) => {
    const out = new WayOut(straightTo(''), new Set(['http://127.0.0.1:1', 'http://booking.example']))

    const [error] = (await once(out.connect(destination), 'error').catch((one: unknown) => [one])) as [unknown]

    expect(error).toMatchObject({ code: 'NOT_PERMITTED' })
  })

  it('leads to the proxy on the way to an origin, which is no origin itself', async () => {
    const out = new WayOut({ ...straightTo(''), proxy: 'http://127.0.0.1:1' }, new Set(['http://booking.example']))

    const [error] = (await once(out.connect({ host: '127.0.0.1', port: 1, to: 'http:' }), 'error').catch(
      (one: unknown) => [one],
    )) as [unknown]

    expect(error).not.toMatchObject({ code: 'NOT_PERMITTED' })
    expect(out.permits('http://127.0.0.1:1')).toBe(false)
  })

  it('leads to an origin as the target names it: an address of IPv6, a name with the dot of the root', async () => {
    for (const [origin, host] of [
      ['http://[::1]:1', '::1'],
      ['http://localhost.:1', 'localhost.'],
    ] as const) {
      const out = new WayOut(straightTo(''), new Set([origin]))

      const [error] = (await once(out.connect({ host, port: 1, to: 'http:' }), 'error').catch((one: unknown) => [
        one,
      ])) as [unknown]

      expect(error).not.toMatchObject({ code: 'NOT_PERMITTED' })
    }
  })

  it('gives a bare socket, of TLS too, that reads into the buffer of whoever asked', async () => {
    const { cert, private: key } = await generate([{ name: 'commonName', value: 'localhost' }])
    const greet = (socket: Socket) => socket.end('moored')
    const servers = [createTcpServer(greet), createTlsServer({ cert, key }, greet)]
    for (const [index, to] of (['http:', 'https:'] as const).entries()) {
      const at = servers[index]?.listen(0, '127.0.0.1')
      if (at === undefined) continue
      await once(at, 'listening')
      const out = new WayOut(
        { ...straightTo(''), tls: { ca: undefined, cert: undefined, key: undefined, verify: false } },
        undefined,
      )
      const buffer = Buffer.alloc(64)
      let read = ''
      const socket = out.connect({
        ...{ host: '127.0.0.1', port: (at.address() as AddressInfo).port, to },
        onread: {
          buffer,
          callback: (count) => {
            read += buffer.toString('utf8', 0, count)
            return true
          },
        },
      })
      await once(socket, 'close')
      at.close()

      expect(read).toBe('moored')
      expect(socket instanceof TLSSocket).toBe(to === 'https:')
    }
  })
})

describe('a connection', () => {
  it.each([
    ['127.0.0.1', '127.0.0.1', undefined],
    ['localhost', '::1', undefined],
    ['booking.example', '192.0.2.7', undefined],
    ['booking.example', '127.0.0.1', 'which is this machine'],
    ['booking.example', '::ffff:127.0.0.1', 'which is this machine'],
    ['booking.example.', '0.0.0.0', 'which is this machine'],
    ['booking.example', '169.254.169.254', 'link-local'],
    ['fe80::1', 'fe80::1', 'link-local'],
    ['::ffff:a9fe:a9fe', '::ffff:a9fe:a9fe', 'link-local'],
    ['64:ff9b::a9fe:a9fe', '64:ff9b::a9fe:a9fe', 'link-local'],
    // Common practice, no source: where clouds hand out keys of machines.
    ['metadata.example', '100.100.100.200', 'keys of machines'],
    ['metadata.example', '::ffff:168.63.129.16', 'keys of machines'],
    ['192.0.0.192', '192.0.0.192', 'keys of machines'],
    ['metadata.example', 'fd00:ec2::254', 'keys of machines'],
    ['metadata.example', 'fd20:ce::254', 'keys of machines'],
  ])('to %s at %s', (host, address, fault) => {
    const why = refusal(host, address, 80)

    if (fault === undefined) expect(why).toBeUndefined()
    else expect(why).toContain(fault)
  })

  it('leads to the networks alone that are named, this machine included', async () => {
    expect(['10.4.0.0', '10.4.0.0/33', 'harbour/8', 'fd00::/129'].map((one) => holdToNetworks([one]))).toEqual(
      Array(4).fill(expect.stringContaining('is no network')),
    )
    holdToNetworks(['10.4.0.0/16', 'fd12::/16'])
    const met = ['10.4.7.1', '::ffff:10.4.7.1', 'fd12::7', '10.5.0.1', '192.0.2.7'].map(
      (address) => refusal(address, address, 80) === undefined,
    )
    const here = await reachable('127.0.0.1', port).catch((error: unknown) => String(error))
    const { result } = await runPlan(`http://127.0.0.1:${String(port)}`, journeyOf('      - send: GET /\n', 1))
    holdToNetworks([])
    const again = await reachable('127.0.0.1', port)

    expect(met).toEqual([true, true, true, false, false])
    expect(here).toContain('in none of the networks')
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'not permitted' }])
    expect(again).toBe('127.0.0.1')
  })

  it.each(['http', 'https'])('leads to the application by no proxy either, towards an origin of %s', async (scheme) => {
    const asked: string[] = []
    const own = createServer((request, response) => {
      asked.push(request.url ?? '')
      response.end('the application')
    }).listen(0, '127.0.0.1')
    own.on('connect', (request, socket) => {
      asked.push(request.url ?? '')
      socket.end()
    })
    await once(own, 'listening')
    const closed = (own.address() as AddressInfo).port
    const [step, target] = [
      journeyOf('      - send: GET /\n', 1),
      `proxy: http://127.0.0.1:${String(closed)}\ntls: { verify: no }\n`,
    ]
    const open = closePorts([closed])

    const { result } = await runPlan(`${scheme}://127.0.0.9:9`, step, { target })
    open()
    own.close()
    const origin = `${scheme}://127.0.0.9:9`
    const far = new Connections(new WayOut({ ...straightTo(''), proxy: 'http://169.254.169.254' }, new Set([origin])))
    const asking = askOver(far.take(origin, 1), origin)

    expect(asked).toEqual([])
    expect(result.steps[0]?.failures).toMatchObject([{ kind: 'not permitted' }])
    await expect(asking).rejects.toMatchObject({ code: 'NOT_PERMITTED' })
    far.close()
  })

  it('never leads to the application itself, whatever sends it', async () => {
    const own = createServer((_, response) => response.end('the application')).listen(0, '127.0.0.1')
    await once(own, 'listening')
    const closed = (own.address() as AddressInfo).port
    closePorts([closed])
    let met = 0
    own.on('connection', () => met++)
    const steps = ['127.0.0.1', 'localhost']
      .map((host) => `      - send: GET http://${host}:${String(closed)}/\n        name: ${host}\n`)
      .join('')
    const socket = `      - socket: GET ws://127.0.0.1:${String(closed)}/\n        name: socket\n`

    const { result } = await runPlan(`http://127.0.0.1:${String(closed)}`, journeyOf(steps + socket, 1), {
      target: `also: ["http://localhost:${String(closed)}"]\n`,
    })
    const beside = await GUARDED.request({
      origin: `http://127.0.0.1:${String(closed)}`,
      path: '/',
      method: 'GET',
    }).catch((error: unknown) => String(error))
    own.close()

    expect(result.steps.map(({ name, failures }) => [name, failures[0]?.kind])).toEqual([
      ['127.0.0.1', 'not permitted'],
      ['localhost', 'not permitted'],
      ['socket', 'not permitted'],
    ])
    expect(beside).toContain('belongs to Jolt Gate itself')
    expect(met).toBe(0)
  })
})

describe('the look at metrics before a load', () => {
  it('asks no origin that is not permitted, and follows no endpoint elsewhere', async () => {
    const met: string[] = []
    const elsewhere = createServer((request, response) => {
      met.push(request.url ?? '')
      response.end('# TYPE q gauge\nq 1\n# EOF\n')
    }).listen(0, '127.0.0.1')
    await once(elsewhere, 'listening')
    const far = `http://127.0.0.1:${String((elsewhere.address() as AddressInfo).port)}`
    const turning = createServer((_, response) => response.writeHead(302, { location: `${far}/led` }).end())
    turning.listen(0, '127.0.0.1')
    await once(turning, 'listening')
    const origin = `http://127.0.0.1:${String((turning.address() as AddressInfo).port)}`
    const metric = (name: string, url: string) => ({
      ...{ name, url, family: 'q', labels: {}, unit: '', ceiling: undefined },
      as: { kind: 'value' as const },
    })

    const faults = await metricFaults([metric('far', `${far}/m`), metric('led', '/m')], origin, new Set([origin]))

    for (const one of [elsewhere, turning]) one.close()
    expect(met).toEqual([])
    expect(faults.map(({ metric: name, isUnknown }) => [name, isUnknown])).toEqual([
      ['far', false],
      ['led', false],
    ])
  })
})
