// What goes over the wire, against the examples that the standards print; and against senseless bytes.
import { createHash } from 'node:crypto'
import { createServer, type Socket } from 'node:net'
import fc from 'fast-check'
import { afterEach, describe, expect, it } from 'vitest'
import { Cookies } from '../src/http/cookies.js'
import { journeyOf, runPlan } from './run-plan.js'

const open: { close(): void }[] = []
afterEach(() => {
  for (const one of open.splice(0)) one.close()
})

/** A server of raw bytes: `answer` is given what came and the socket. */
async function startRaw(answer: (request: string, socket: Socket) => void): Promise<string> {
  const server = createServer((socket) => {
    socket.on('error', () => undefined)
    socket.on('data', (data) => answer(data.toString('latin1'), socket))
  })
  open.push(server)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const address = server.address()
  return `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`
}
const answerOk = (socket: Socket) => socket.write('HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok')

describe('sign-in', () => {
  // RFC 7617, section 2: user-id "Aladdin", password "open sesame"; section 2.1: user "test", password "123£" in UTF-8.
  // RFC 6750, section 2.1: the bearer token mF_9.B5f-4.1JqM.
  it('is written as RFC 7617 and RFC 6750 print it', async () => {
    const seen: string[] = []
    const origin = await startRaw((request, socket) => {
      seen.push(/^authorization: (.*)\r$/im.exec(request)?.[1] ?? '')
      answerOk(socket)
    })
    const steps = ['basic: [Aladdin, open sesame]', 'basic: [test, 123£]', 'bearer: mF_9.B5f-4.1JqM']
      .map((auth) => `      - send: GET /\n        auth: { ${auth} }\n`)
      .join('')

    await runPlan(origin, journeyOf(steps, 1))

    expect(seen).toEqual(['Basic QWxhZGRpbjpvcGVuIHNlc2FtZQ==', 'Basic dGVzdDoxMjPCow==', 'Bearer mF_9.B5f-4.1JqM'])
  })
})

describe('cookies', () => {
  // RFC 6265, section 3.1: the session cookie, scope by path and domain, two cookies together, and a deletion.
  it('come and go as the examples of RFC 6265 show', () => {
    const cookies = Cookies.none()
    cookies.store('https://www.example.com/', [
      'SID=31d4d96e407aad42; Path=/; Secure; HttpOnly',
      'lang=en-US; Path=/; Domain=example.com',
    ])

    expect(cookies.fieldFor('https://www.example.com/')).toBe('SID=31d4d96e407aad42; lang=en-US')
    expect(cookies.fieldFor('https://other.example.com/')).toBe('lang=en-US')
    expect(cookies.fieldFor('http://www.example.com/')).toBe('lang=en-US')

    cookies.store('https://www.example.com/', [
      'lang=; Expires=Sun, 06 Nov 1994 08:49:37 GMT; Domain=example.com; Path=/',
    ])
    expect(cookies.fieldFor('https://www.example.com/')).toBe('SID=31d4d96e407aad42')
  })
})

describe('HTTP/1.1', () => {
  // RFC 9112: section 3.2 (Host, origin form), 6.3 (length of a body), 7.1 (chunks with extensions and a trailer).
  it('is sent and read as RFC 9112 says', async () => {
    let first = ''
    const origin = await startRaw((request, socket) => {
      first ||= request
      const path = / (\S+) /.exec(request)?.[1] ?? ''
      if (path.startsWith('/chunks'))
        socket.write(
          'HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n4;a=1\r\nWiki\r\n5\r\npedia\r\n0\r\nX-After: 1\r\n\r\n',
        )
      else if (path === '/to-the-end') socket.end('HTTP/1.1 200 OK\r\nConnection: close\r\n\r\nto the end')
      else if (path === '/none') socket.write('HTTP/1.1 204 No Content\r\n\r\n')
      else if (path === '/early')
        socket.write('HTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\nHTTP/1.1 200 OK\r\nContent-Length: 5\r\n\r\nafter')
      else if (path === '/two-lengths')
        socket.end('HTTP/1.1 200 OK\r\nContent-Length: 2\r\nContent-Length: 7\r\n\r\nsmuggled')
      else if (path === '/both')
        socket.end(
          'HTTP/1.1 200 OK\r\nContent-Length: 3\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\nHTTP/1.1 200 OK\r\n\r\n',
        )
      else answerOk(socket)
    })
    const steps = `      - send: GET /chunks?q=1
        check: [body is "Wikipedia"]
      - send: GET /to-the-end
        check: [body is "to the end"]
      - send: DELETE /none
        check: [status is 204, body is ""]
      - send: GET /early
        check: [body is "after"]
      - send: GET /two-lengths
        name: two lengths
      - send: GET /after
        check: [body is "ok"]
`
    const { result } = await runPlan(origin, journeyOf(steps, 1))

    expect(first).toMatch(/^GET \/chunks\?q=1 HTTP\/1\.1\r\nhost: 127\.0\.0\.1:\d+\r\n/i)
    expect(first.endsWith('\r\n\r\n')).toBe(true)
    // Two lengths that differ are no message: RFC 9112, section 6.3, point 5.
    expect(result.steps.map(({ name, failures }) => [name, failures[0]?.kind])).toEqual([
      ['GET /chunks?q=1', undefined],
      ['GET /to-the-end', undefined],
      ['DELETE /none', undefined],
      ['GET /early', undefined],
      ['two lengths', 'protocol'],
      ['GET /after', undefined],
    ])
  })

  it('of senseless bytes fails the request and nothing else', async () => {
    const bytes = fc.oneof(
      fc.uint8Array({ minLength: 1, maxLength: 300 }),
      fc
        .array(
          fc.constantFrom(
            'HTTP/1.1 200 OK\r\n',
            'HTTP/1.1 999\r\n',
            'content-length: -1\r\n',
            'content-length: 99999999999999999999\r\n',
            'transfer-encoding: chunked\r\n',
            '\r\n',
            'ffffffffffffffff\r\n',
            '\0',
            'x: y\n',
            'location: \r\n',
          ),
          { minLength: 1, maxLength: 8 },
        )
        .map((parts) => new TextEncoder().encode(parts.join(''))),
    )
    const answers = fc.sample(bytes, { numRuns: 120, seed: 7 })
    let asked = 0
    const origin = await startRaw((request, socket) => {
      if (request.startsWith('GET /fine')) answerOk(socket)
      else socket.end(answers[asked++ % answers.length] ?? '')
    })
    const steps =
      '      - send: GET /noise\n        timeout: 1s\n        check: [body exists]\n      - send: GET /fine\n'

    const { result } = await runPlan(origin, journeyOf(steps, 120).replace('for: 400ms', 'for: 2s'))

    expect(result.steps.map(({ requests }) => requests)).toEqual([120, 120])
    expect(result.steps[1]?.failed).toBe(0)
  })
})

describe('WebSocket', () => {
  // RFC 6455, section 1.3: what is answered to a key; section 5.7: "Hello" in an unmasked frame, and masked from a
  // client.
  it('opens, masks and reads as RFC 6455 says', async () => {
    const frames: Buffer[] = []
    const accept = (key: string) =>
      createHash('sha1').update(`${key}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`).digest('base64')
    const server = createServer((socket) => {
      let isOpen = false
      socket.on('error', () => undefined)
      socket.on('data', (data) => {
        if (isOpen) {
          frames.push(data)
          if (frames.length === 1) socket.write(Buffer.from([0x81, 0x05, 0x48, 0x65, 0x6c, 0x6c, 0x6f]))
          return
        }
        isOpen = true
        const key = /^sec-websocket-key: (.*)\r$/im.exec(data.toString())?.[1] ?? ''
        socket.write(
          `HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Accept: ${accept(key)}\r\n\r\n`,
        )
      })
    })
    open.push(server)
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const address = server.address()
    const origin = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`
    const steps =
      '      - socket: GET /chat\n        name: chat\n        steps:\n          - say: Hello\n          - await: body is "Hello"\n            name: hello\n'

    const { result } = await runPlan(origin, journeyOf(steps, 1))

    expect(accept('dGhlIHNhbXBsZSBub25jZQ==')).toBe('s3pPLMBiTxaQ9kYGzzhZRbK+xOo=')
    expect(result.steps.find(({ name }) => name === 'hello')).toMatchObject({ requests: 1, failed: 0 })
    const [said] = frames
    expect([said?.[0], said?.[1]]).toEqual([0x81, 0x85])
    const mask = said?.subarray(2, 6) ?? Buffer.alloc(4)
    expect(
      Buffer.from(said?.subarray(6, 11).map((byte, index) => byte ^ (mask[index % 4] ?? 0)) ?? []).toString(),
    ).toBe('Hello')
  })
})
