// Answers of HTTP/1.1 as they come over a connection: framing by RFC 9112, and what is no HTTP, which is an error and
// never a guess. The same texts go through a library, and what differs is written down.
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net'
import { once } from 'node:events'
import fc from 'fast-check'
import { afterAll, describe, expect, it } from 'vitest'
import type { Method } from '@jolt-gate/core'
import { AnswerReader } from '../src/http/links/answer-reader.js'
import type { AnswerHead } from '../src/http/links/link.js'
import { requestHead, RequestFields } from '../src/http/links/request-head.js'
import { LibraryLink } from '../src/http/links/library-link.js'
import { PlainLink } from '../src/http/links/plain-link.js'
import { WayOut } from '../src/network/way-out.js'
import { straightTo } from '../src/walk/alone.js'
import { ANSWER_TEXTS, unwrittenDifference } from './canned.js'
import { journeyOf, runPlan } from './run-plan.js'

interface Read {
  status: number
  body: string
  fields: [string, string][]
  isDone: boolean
  isKept: boolean
  fault: string
}

/** What is read of some pieces, after which the other side closes the connection or not. */
function read(pieces: readonly string[], { isHead = false, isClosed = false } = {}): Read {
  const found: Read = { status: 0, body: '', fields: [], isDone: false, isKept: true, fault: '' }
  const reader = new AnswerReader()
  const taker = {
    onHead: (head: AnswerHead) => Object.assign(found, { status: head.status, fields: head.fields() }),
    onPiece: (piece: Buffer) => (found.body += piece.toString('latin1')),
    onDone: () => (found.isDone = true),
  }
  reader.begin(taker, isHead)
  try {
    for (const piece of pieces) reader.take(Buffer.from(piece, 'latin1'), piece.length, 0)
    if (isClosed) reader.close(0)
  } catch (error) {
    found.fault = String(error instanceof Error ? error.message : error)
  }
  return { ...found, isKept: reader.isKept }
}
const OK = 'HTTP/1.1 200 OK\r\n'
const byByte = (text: string) => text.split('')

describe('an answer', () => {
  // The texts of RFC 9112, sections 4, 6 and 7, in the words of a ferry company.
  it.each<[string, string, Partial<Read>]>([
    ['of a length', `${OK}Content-Length: 5\r\n\r\nferry`, { status: 200, body: 'ferry', isDone: true, isKept: true }],
    ['of no length', `${OK}Content-Length: 0\r\n\r\n`, { body: '', isDone: true }],
    ['without a reason', 'HTTP/1.1 200 \r\nContent-Length: 1\r\n\r\nx', { body: 'x', isDone: true }],
    [
      'in chunks',
      `${OK}Transfer-Encoding: chunked\r\n\r\n5\r\nferry\r\nA\r\n0123456789\r\n0\r\n\r\n`,
      { body: 'ferry0123456789', isDone: true, isKept: true },
    ],
    [
      'in chunks with extensions',
      `${OK}Transfer-Encoding: Chunked\r\n\r\n5 ;a=b;c="d"\r\nferry\r\n0\r\n\r\n`,
      { body: 'ferry', isDone: true },
    ],
    [
      'in chunks with trailers',
      `${OK}Transfer-Encoding: chunked\r\n\r\n1\r\nx\r\n0\r\nDigest: 1\r\nDeck: low\r\n\r\n`,
      { body: 'x', isDone: true, isKept: true },
    ],
    [
      'after interim ones',
      `HTTP/1.1 100 Continue\r\n\r\nHTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\n${OK}Content-Length: 1\r\n\r\nx`,
      { status: 200, body: 'x', isDone: true },
    ],
    [
      '204, whatever its length',
      'HTTP/1.1 204 No Content\r\nContent-Length: 9\r\n\r\n',
      { status: 204, isDone: true, isKept: true },
    ],
    [
      '304, whatever its length',
      'HTTP/1.1 304 Not Modified\r\nContent-Length: 9\r\n\r\n',
      { status: 304, isDone: true },
    ],
    ['that closes', `${OK}Connection: Close\r\nContent-Length: 1\r\n\r\nx`, { isDone: true, isKept: false }],
    ['of HTTP/1.0', 'HTTP/1.0 200 OK\r\nContent-Length: 1\r\n\r\nx', { isDone: true, isKept: false }],
    [
      'of HTTP/1.0 that stays',
      'HTTP/1.0 200 OK\r\nConnection: keep-alive\r\nContent-Length: 1\r\n\r\nx',
      { isDone: true, isKept: true },
    ],
    [
      'and more than was asked for',
      `${OK}Content-Length: 1\r\n\r\nxHTTP/1.1 200 OK\r\n\r\n`,
      { body: 'x', isDone: true, isKept: false },
    ],
    ['that is not there yet', `${OK}Content-Length: 9\r\n\r\nferry`, { body: 'ferry', isDone: false }],
  ])('%s is read, in one piece and byte by byte', (_, text, expected) => {
    expect(read([text])).toMatchObject({ fault: '', ...expected })
    expect(read(byByte(text))).toMatchObject({ fault: '', ...expected })
  })

  it('to HEAD has no body, and one without a length ends with its connection', () => {
    const head = `${OK}Content-Length: 9\r\n\r\n`
    expect(read([head], { isHead: true })).toMatchObject({ isDone: true, isKept: true, body: '' })
    expect(read([`${OK}\r\nfer`, 'ry'], { isClosed: true })).toMatchObject({
      body: 'ferry',
      isDone: true,
      isKept: false,
    })
    expect(read([`${OK}\r\nfer`])).toMatchObject({ isDone: false })
    expect(read([`${OK}Content-Length: 9\r\n\r\nfer`], { isClosed: true })).toMatchObject({ isDone: false })
    expect(read([`${OK}Transfer-Encoding: chunked\r\n\r\n3\r\nfer\r\n`], { isClosed: true }).isDone).toBe(false)
  })

  it('has its fields without the blanks around them, each as often as it came', () => {
    const { fields } = read([`${OK}Set-Cookie:\t a=1 \r\nset-cookie: b=\xe4\r\nX:\r\nContent-Length: 0\r\n\r\n`])
    expect(fields).toEqual([
      ['set-cookie', 'a=1'],
      ['set-cookie', 'b=\xe4'],
      ['x', ''],
      ['content-length', '0'],
    ])
  })

  it('is the same however it is cut', () => {
    const chunks = fc.array(fc.string({ unit: 'grapheme-ascii', minLength: 1, maxLength: 40 }), { maxLength: 6 })
    fc.assert(
      fc.property(chunks, fc.array(fc.nat(400), { maxLength: 8 }), (parts, cuts) => {
        const body = parts.map((part) => `${part.length.toString(16)}\r\n${part}\r\n`).join('')
        const text = `${OK}Transfer-Encoding: chunked\r\n\r\n${body}0\r\n\r\n`
        const at = [0, ...cuts.filter((cut) => cut < text.length).toSorted((a, b) => a - b), text.length]
        const pieces = at.slice(1).map((end, index) => text.slice(at[index], end))
        expect(read(pieces)).toMatchObject({ fault: '', isDone: true, body: parts.join('') })
      }),
    )
  })
})

/** Known forms of request smuggling, turned to answers, and whatever else would have to be guessed. */
const HOSTILE: [string, string][] = [
  ['both lengths', `${OK}Content-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n`],
  ['two lengths', `${OK}Content-Length: 5\r\nContent-Length: 6\r\n\r\nferry`],
  ['two equal lengths', `${OK}Content-Length: 5\r\nContent-Length: 5\r\n\r\nferry`],
  ['a list of lengths', `${OK}Content-Length: 5, 5\r\n\r\nferry`],
  ['a length with a sign', `${OK}Content-Length: +5\r\n\r\nferry`],
  ['a length in hex', `${OK}Content-Length: 0x5\r\n\r\nferry`],
  ['a length below nothing', `${OK}Content-Length: -1\r\n\r\n`],
  ['a length of twenty digits', `${OK}Content-Length: 99999999999999999999\r\n\r\n`],
  ['a coding after chunks', `${OK}Transfer-Encoding: chunked, gzip\r\n\r\n0\r\n\r\n`],
  ['chunks in another coding', `${OK}Transfer-Encoding: gzip, chunked\r\n\r\n0\r\n\r\n`],
  ['a coding of another name', `${OK}Transfer-Encoding: xchunked\r\n\r\n0\r\n\r\n`],
  ['two codings', `${OK}Transfer-Encoding: chunked\r\nTransfer-Encoding: identity\r\n\r\n0\r\n\r\n`],
  ['chunks of HTTP/1.0', 'HTTP/1.0 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n'],
  ['a folded line', `${OK}Deck: low\r\n and high\r\nContent-Length: 0\r\n\r\n`],
  ['a blank before the colon', `${OK}Content-Length : 5\r\n\r\nferry`],
  ['a blank before a name', `${OK} Content-Length: 5\r\n\r\nferry`],
  ['a field without a name', `${OK}: 5\r\nContent-Length: 0\r\n\r\n`],
  ['a field without a colon', `${OK}Deck\r\nContent-Length: 0\r\n\r\n`],
  ['a line that ends with LF alone', 'HTTP/1.1 200 OK\nContent-Length: 0\n\n'],
  ['a field that ends with LF alone', `${OK}Deck: low\nContent-Length: 0\r\n\r\n`],
  ['CR within a value', `${OK}Deck: a\rb\r\nContent-Length: 0\r\n\r\n`],
  ['NUL within a value', `${OK}Deck: a\0b\r\nContent-Length: 0\r\n\r\n`],
  ['no status line', 'ferry\r\n\r\n'],
  ['an empty line first', `\r\n${OK}Content-Length: 0\r\n\r\n`],
  ['another version', 'HTTP/2.0 200 OK\r\nContent-Length: 0\r\n\r\n'],
  ['a status of two digits', 'HTTP/1.1 20 OK\r\nContent-Length: 0\r\n\r\n'],
  ['another protocol unasked', 'HTTP/1.1 101 Switching Protocols\r\nUpgrade: h2c\r\n\r\n'],
  ['a head without an end', `${OK}Deck: ${'x'.repeat(20_000)}`],
  ['interim answers without an end', 'HTTP/1.1 100 Continue\r\n\r\n'.repeat(40)],
  ['a chunk longer than it says', `${OK}Transfer-Encoding: chunked\r\n\r\n5\r\nferry!\r\n0\r\n\r\n`],
  ['a chunk size below nothing', `${OK}Transfer-Encoding: chunked\r\n\r\n-5\r\nferry\r\n0\r\n\r\n`],
  ['a chunk size with 0x', `${OK}Transfer-Encoding: chunked\r\n\r\n0x5\r\nferry\r\n0\r\n\r\n`],
  ['a chunk size of twenty digits', `${OK}Transfer-Encoding: chunked\r\n\r\n${'F'.repeat(20)}\r\nferry`],
  ['a chunk size with blanks after it', `${OK}Transfer-Encoding: chunked\r\n\r\n5 \r\nferry\r\n0\r\n\r\n`],
  ['a chunk size that ends with LF alone', `${OK}Transfer-Encoding: chunked\r\n\r\n5\nferry\r\n0\r\n\r\n`],
  ['a chunk size without an end', `${OK}Transfer-Encoding: chunked\r\n\r\n5;${'x'.repeat(5000)}`],
  ['a trailer without a colon', `${OK}Transfer-Encoding: chunked\r\n\r\n0\r\nDeck\r\n\r\n`],
  ['a trailer without an end', `${OK}Transfer-Encoding: chunked\r\n\r\n0\r\nDeck: ${'x'.repeat(20_000)}`],
]

describe('what is no HTTP', () => {
  it.each(HOSTILE)('%s is an error, in one piece and byte by byte', (_, text) => {
    expect(read([text]).fault).not.toBe('')
    expect(read([text]).isDone).toBe(false)
    expect(read(byByte(text)).fault).toBe(read([text]).fault)
  })

  it('never throws anything else, whatever comes', () => {
    const pieces = fc.array(
      fc.oneof(
        fc.constantFrom(
          OK,
          'Content-Length: 5\r\n',
          'Transfer-Encoding: chunked\r\n',
          '\r\n',
          '5\r\nferry\r\n',
          '0\r\n\r\n',
        ),
        fc.string({ maxLength: 20 }),
      ),
      { maxLength: 12 },
    )
    fc.assert(
      fc.property(pieces, (texts) => {
        const reader = new AnswerReader()
        let ended = 0
        const nothing = () => undefined
        reader.begin({ onHead: nothing, onPiece: nothing, onDone: () => ended++ }, false)
        try {
          for (const text of texts) reader.take(Buffer.from(text, 'latin1'), Buffer.from(text, 'latin1').length, 0)
        } catch (error) {
          expect(error).toMatchObject({ code: 'NOT_HTTP' })
        }
        expect(ended).toBeLessThanOrEqual(1)
      }),
      { numRuns: 2000 },
    )
  })
})

describe('a library', () => {
  it('reads and refuses the same answers, but for what is written down', async () => {
    await fc.assert(
      fc.asyncProperty(ANSWER_TEXTS, async (text) => {
        expect(await unwrittenDifference(text)).toBeUndefined()
      }),
      // New texts are for the fuzz: what comes of them is read by a person.
      { numRuns: 1500, seed: 29 },
    )
  })
})

const headOf = (method: Method, path: string, fields: string[], bodyBytes: number) =>
  requestHead(method, path, 'ferries.example', new RequestFields(fields), [], bodyBytes)

it('the same head is read anew where it answers HEAD, which has no body', () => {
  const text = `${OK}Content-Length: 5\r\n\r\n`

  expect(read([text, 'ferry'])).toMatchObject({ body: 'ferry', isDone: true })
  expect(read([text], { isHead: true })).toMatchObject({ body: '', isDone: true })
  expect(read([text, 'quays'])).toMatchObject({ body: 'quays', isDone: true })
})

describe('the head of a request', () => {
  it('is written as the standard has it', () => {
    expect(headOf('GET', '/a?b', ['accept', '*/*'], 0)).toBe(
      'GET /a?b HTTP/1.1\r\nhost: ferries.example\r\nconnection: keep-alive\r\naccept: */*\r\n\r\n',
    )
    expect(headOf('POST', '/', ['Host', 'b', 'Connection', 'Close'], 3)).toBe(
      'POST / HTTP/1.1\r\nhost: b\r\nconnection: close\r\ncontent-length: 3\r\n\r\n',
    )
    expect(headOf('PUT', '/', [], 0)).toContain('content-length: 0')
    expect(headOf('POST', '/', ['content-length', '3'], 3).match(/content-length/g)).toHaveLength(1)
  })

  it.each([
    ['a path with a blank', '/a b', []],
    ['a path with the end of a line', '/a\r\nx: y', []],
    ['a value with the end of a line', '/', ['deck', 'low\r\nx: y']],
    ['a value beyond latin1', '/', ['deck', 'low\u{2014}']],
    ['a name with a colon', '/', ['de:ck', 'low']],
    ['a name with a blank', '/', ['de ck', 'low']],
    ['a coding of its own', '/', ['Transfer-Encoding', 'chunked']],
    ['another length', '/', ['content-length', '4']],
    ['another connection', '/', ['connection', 'upgrade']],
    ['what it expects', '/', ['expect', '100-continue']],
  ])('is refused with %s', (_, path, headers) => {
    expect(() => headOf('GET', path, headers, 0)).toThrow(/invalid/)
  })
})

// Real connections: what a server does between and after its answers.
const servers: Server[] = []
afterAll(() => {
  for (const server of servers) server.close()
})
async function serving(
  answer: (socket: Socket, number: number, asked: string) => void,
): Promise<{ origin: string; met: Socket[] }> {
  const met: Socket[] = []
  let number = 0
  const server = createServer((socket) => {
    met.push(socket)
    socket.on('error', () => undefined)
    socket.on('data', (asked) => {
      answer(socket, ++number, asked.toString('latin1'))
    })
  }).listen(0, '127.0.0.1')
  servers.push(server)
  await once(server, 'listening')
  return { origin: `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`, met }
}
const TWO = journeyOf('      - send: GET /a\n      - send: GET /b\n', 1)

describe('a connection', () => {
  it.each([
    ['is used again', `${OK}Content-Length: 2\r\n\r\nok`, 1],
    ['is not used again after an answer that closes', `${OK}Connection: close\r\nContent-Length: 2\r\n\r\nok`, 2],
    ['is not used again after bytes that nobody asked for', `${OK}Content-Length: 2\r\n\r\nokHTTP/1.1 200 OK\r\n`, 2],
    [
      'is not used again where the server keeps it for a moment',
      `${OK}Keep-Alive: timeout=1\r\nContent-Length: 2\r\n\r\nok`,
      2,
    ],
  ])('%s', async (_, answer, connections) => {
    const { origin, met } = await serving((socket) => socket.write(answer))
    const { result } = await runPlan(origin, TWO)

    expect(result.steps.map(({ requests, failed }) => [requests, failed])).toEqual([
      [1, 0],
      [1, 0],
    ])
    expect(met).toHaveLength(connections)
  })

  it('that ends within an answer fails it, one whose answer ends with it does not', async () => {
    const cut = await serving((socket) => socket.end(`${OK}Content-Length: 9\r\n\r\nferry`))
    const whole = await serving((socket) => socket.end(`${OK}\r\nferry`))
    const check = journeyOf('      - send: GET /a\n        check: [body is "ferry"]\n', 1)

    expect((await runPlan(cut.origin, check)).result.steps[0]?.failures).toMatchObject([{ kind: 'reset' }])
    expect((await runPlan(whole.origin, check)).result.steps[0]).toMatchObject({ requests: 1, failed: 0 })
  })

  it('gives each answer its own body, though all are read into the same bytes', async () => {
    const { origin } = await serving((socket, number, asked) => {
      const body = /^GET \/(\S+)/.exec(asked)?.[1] ?? ''
      const text = `${OK}Content-Length: ${String(body.length)}\r\n\r\n${body}`
      // In one piece, or in two that others come between.
      const cut = number % 3 === 0 ? text.length - 2 : text.length
      socket.write(text.slice(0, cut))
      if (cut < text.length) setTimeout(() => socket.write(text.slice(cut)), 2)
    })
    const steps = `      - repeat: 5
        steps:
          - send: GET /{user.number}
            check: ['body is {user.number}']
`
    const { result } = await runPlan(origin, journeyOf(steps, 50))

    expect(result.steps[0]).toMatchObject({ requests: 250, failed: 0 })
  })

  it.each([
    ['our own', (origin: string, out: WayOut) => new PlainLink(origin, out)],
    ['a library’s', (origin: string, out: WayOut) => new LibraryLink(origin, 1, out)],
  ])('of %s kind does not send what was given up before it went out', async (_, linkTo) => {
    const asked: string[] = []
    const { origin } = await serving((socket, __, text) => {
      asked.push(text.split(' ')[1] ?? '')
      socket.write(`${OK}Content-Length: 0\r\n\r\n`)
    })
    const link = linkTo(origin, new WayOut(straightTo(origin), new Set([origin])))
    const nothing = () => undefined
    const send = (path: string, isOpen: boolean) =>
      new Promise<number>((onDone, onFault) => {
        const carried = { origin, path, method: 'GET' as const, body: null, isOpen, onDone, onFault }
        const untold = { onStarted: nothing, onReady: nothing, onHead: nothing, onPiece: nothing }
        link.send({ ...carried, ...untold }, new RequestFields([]), [])
      })
    await send('/a', true)
    void send('/b', false)
    link.destroy()
    await new Promise((resolve) => setTimeout(resolve, 50))

    expect(asked).toEqual(['/a'])
  })

  it('that speaks no HTTP fails its request, and says why', async () => {
    const { origin } = await serving((socket) =>
      socket.write(`${OK}Content-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n`),
    )
    const { result } = await runPlan(origin, journeyOf('      - send: GET /a\n', 1))

    expect(result.steps[0]?.failures).toMatchObject([
      { kind: 'protocol', detail: 'not HTTP: both content-length and transfer-encoding' },
    ])
  })
})
