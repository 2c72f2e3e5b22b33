// Answers that are nearly right, and what a library and our own reader make of each, over canned bytes.
import { Duplex } from 'node:stream'
import fc from 'fast-check'
import { Client } from 'undici'
import { AnswerReader } from '../src/http/links/answer-reader.js'

export type Outcome = { kind: 'read'; status: number; body: string } | { kind: 'refused'; fault: string }

/** Our own reader; after the text the connection ends. */
export function ownOutcome(text: string): Outcome {
  const reader = new AnswerReader()
  let [status, body, isDone] = [0, '', false]
  reader.begin(
    {
      onHead: (head) => (status = head.status),
      onPiece: (piece) => (body += piece.toString('latin1')),
      onDone: () => (isDone = true),
    },
    false,
  )
  try {
    reader.take(Buffer.from(text, 'latin1'), text.length, 0)
    reader.close(0)
  } catch (error) {
    if (!isDone) return { kind: 'refused', fault: error instanceof Error ? error.message : String(error) }
  }
  return isDone ? { kind: 'read', status, body } : { kind: 'refused', fault: 'cut off' }
}

/** A connection that says one thing as soon as it is asked, and ends. */
class Canned extends Duplex {
  constructor(private readonly text: string) {
    super()
  }

  setTimeout(): this {
    return this
  }
  setNoDelay(): this {
    return this
  }
  setKeepAlive(): this {
    return this
  }
  ref(): this {
    return this
  }
  unref(): this {
    return this
  }

  override _read(): void {
    // What there is to say was pushed already.
  }

  override _write(_: Buffer, __: BufferEncoding, done: () => void): void {
    // The library takes an answer for none that comes while it still writes.
    setImmediate(() => {
      if (this.text !== '') this.push(Buffer.from(this.text, 'latin1'))
      this.push(null)
    })
    done()
  }
}

/** What undici makes of it. */
export async function libraryOutcome(text: string): Promise<Outcome> {
  const client = new Client('http://harbour.example', {
    connect: (_: unknown, done: (error: null, socket: Duplex) => void) => {
      setImmediate(done, null, new Canned(text))
    },
  } as unknown as Client.Options)
  try {
    const { statusCode, body } = await client.request({ path: '/', method: 'GET' })
    const bytes = Buffer.from(await body.arrayBuffer())
    return { kind: 'read', status: statusCode, body: bytes.toString('latin1') }
  } catch (error) {
    return { kind: 'refused', fault: error instanceof Error ? error.message : String(error) }
  } finally {
    void client.destroy().catch(() => undefined)
  }
}

const line = (...texts: string[]) => fc.constantFrom(...texts)
const LINES = fc.oneof(
  line('Content-Length: 5', 'content-length: 3', 'Content-Length:5 ', 'Content-Length: 05', 'Content-Length: 5, 5'),
  line('Transfer-Encoding: chunked', 'transfer-encoding: CHUNKED', 'Transfer-Encoding: gzip, chunked'),
  line('Transfer-Encoding: chunked, gzip', 'Transfer-Encoding: identity', 'Content-Length : 5', 'Content-Length: +5'),
  line('Connection: close', 'Connection: keep-alive', 'Keep-Alive: timeout=5', 'Deck: low', 'Deck:', ' folded', ': x'),
  line('Deck: a\0b', 'Deck: a\rb', 'Deck', 'De ck: low', 'Deck: \xe4', 'Deck: \x7f', 'Upgrade: h2c'),
)
const ENDS = fc.oneof({ weight: 30, arbitrary: fc.constant('\r\n') }, line('\n', '\r', '\r\r\n', ''))
const STATUS = fc.oneof(
  { weight: 20, arbitrary: line('HTTP/1.1 200 OK', 'HTTP/1.1 204 No Content', 'HTTP/1.1 304 Not Modified') },
  line(
    'HTTP/1.0 200 OK',
    'HTTP/1.1 200',
    'HTTP/1.1 200 ',
    'HTTP/1.1 100 Continue',
    'HTTP/1.1 20 OK',
    'HTTP/2.0 200 OK',
  ),
)
const BODIES = fc.oneof(
  line('ferry', 'fer', '', 'ferry and more', '5\r\nferry\r\n0\r\n\r\n', '5;a=b\r\nferry\r\n0\r\n\r\n', '0\r\n\r\n'),
  line('5\r\nferry\r\n0\r\nDeck: low\r\n\r\n', '5\r\nferry\r\n', '5\nferry\n0\n\n', '0x5\r\nferry\r\n0\r\n\r\n'),
  line('5 \r\nferry\r\n0\r\n\r\n', '5\r\nferry!\r\n0\r\n\r\n', '-5\r\nferry\r\n0\r\n\r\n', 'ffffffffffffffff1\r\nx'),
  fc.array(line('5', '0', 'a', ';', '\r\n', 'ferry', ' '), { maxLength: 8 }).map((parts) => parts.join('')),
)

export const ANSWER_TEXTS = fc
  .tuple(STATUS, ENDS, fc.array(fc.tuple(LINES, ENDS), { maxLength: 4 }), ENDS, BODIES)
  .map(([status, end, fields, last, body]) => `${status}${end}${fields.flat().join('')}${last}${body}`)

/** Where the two differ, and why we hold to ours. */
const WRITTEN: [why: string, is: (text: string, own: Outcome, library: Outcome) => boolean][] = [
  [
    'a transfer-encoding other than chunked, once and alone, is refused (RFC 9112, section 6.3)',
    (_, own) => own.kind === 'refused' && own.fault === 'a transfer-encoding that is not chunked',
  ],
  [
    'a 204 or 304 has no body, whatever length it says (RFC 9112, section 6.3)',
    (_, own, library) =>
      own.kind === 'read' && (own.status === 204 || own.status === 304) && library.kind === 'refused',
  ],
  [
    'a control character in a head is refused wherever it stands, as is a CR that ends no line (RFC 9110, section 5.5)',
    (text, own) => own.kind === 'refused' && (own.fault === 'a control character in the head' || /\r(?!\n)/.test(text)),
  ],
  [
    'blanks before the extension of a chunk are read over (RFC 9112, section 7.1.1: BWS)',
    (text, own, library) => own.kind === 'read' && library.kind === 'refused' && /\r\n[0-9a-f]+[ \t]+;/i.test(text),
  ],
  [
    'a version that is not 1.0 or 1.1 is refused (RFC 9112, section 2.3)',
    (text, own) => own.kind === 'refused' && own.fault === 'no status line' && !/^HTTP\/1\.[01] /.test(text),
  ],
]

/** How the library differs from our reader beyond what is written down; undefined where it does not. */
export async function unwrittenDifference(text: string): Promise<string | undefined> {
  const [own, library] = [ownOutcome(text), await libraryOutcome(text)]
  const isSame =
    own.kind === 'read'
      ? library.kind === 'read' && own.status === library.status && own.body === library.body
      : library.kind === 'refused'
  if (isSame || WRITTEN.some(([, is]) => is(text, own, library))) return undefined
  return `ours: ${JSON.stringify(own)}, the library's: ${JSON.stringify(library)}`
}
