// The head of an answer, read strictly by RFC 9112: what is not quite as it should be is an error, never a guess.
import { AnswerFields } from './answer-fields.js'
import { notHttp } from './not-http.js'

export const MOST_HEAD_BYTES = 16_384

/** How the body of an answer ends (RFC 9112, section 6.3). */
export type Framing =
  { kind: 'none' } | { kind: 'sized'; bytes: number } | { kind: 'chunked' } | { kind: 'until close' }

export interface ReadHead {
  head: AnswerFields
  framing: Framing
  /** Whether the connection may be used again, and for how long; null where the server does not say. */
  isKept: boolean
  keptMs: number | null
}

const [CR, LF] = [13, 10]

/**
 * Where the lines end that an empty one closes.
 *
 * @returns the place after the empty line; −1 where it has not come yet
 */
export function endOfLines(bytes: Buffer, from: number): number {
  for (let line = from; ;) {
    const end = bytes.indexOf(LF, line)
    if ((end < 0 ? bytes.length : end) - from > MOST_HEAD_BYTES) throw notHttp('the head is too long')
    if (end < 0) return -1
    if (end === line || bytes[end - 1] !== CR) throw notHttp('a line ends without CR')
    if (end - 1 === line) return end + 1
    line = end + 1
  }
}

const STATUS = /^HTTP\/1\.([01]) ([1-9]\d\d)(?: [^\r\n]*)?\r\n/
/** Controls but the tab, and a CR that ends no line. */
// eslint-disable-next-line no-control-regex -- that is what is looked for
const STRAY = /[\0-\x08\x0b\x0c\x0e-\x1f\x7f]|\r(?!\n)/

/**
 * Reads a head, from its status line to the empty line.
 *
 * @param isHead - whether the request was a HEAD: its answer has no body, whatever it says
 */
export function readHead(text: string, isHead: boolean): ReadHead {
  if (STRAY.test(text)) throw notHttp('a control character in the head')
  const line = STATUS.exec(text)
  if (line === null) throw notHttp('no status line')
  const status = Number(line[2])
  const raw = readFields(text, line[0].length)
  const head = new AnswerFields(status, raw, text.length)
  const framing = framingOf(head, isHead, line[1] === '0')
  const options = head.values('connection').join(',').toLowerCase().split(',').map(trimmed)
  const isKept = line[1] === '0' ? options.includes('keep-alive') : !options.includes('close')
  return { head, framing, isKept: isKept && framing.kind !== 'until close', keptMs: keptOf(head) }
}

/** Names and values in turn. */
export function readFields(text: string, from: number): string[] {
  const raw: string[] = []
  for (let at = from; at < text.length - 2;) {
    const end = text.indexOf('\r\n', at)
    const colon = text.indexOf(':', at)
    if (colon < 0 || colon > end) throw notHttp('a field without a colon')
    const name = text.slice(at, colon)
    // A line that begins with a space goes on with the one before (obs-fold): RFC 9112, section 5.2.
    if (!isToken(name)) throw notHttp('a field name that is no token')
    raw.push(name, trimmed(text.slice(colon + 1, end)))
    at = end + 2
  }
  return raw
}

function framingOf(head: AnswerFields, isHead: boolean, isOld: boolean): Framing {
  const codings = head.values('transfer-encoding')
  const lengths = head.values('content-length')
  if (codings.length > 0 && lengths.length > 0) throw notHttp('both content-length and transfer-encoding')
  if (lengths.length > 1) throw notHttp('content-length more than once')
  if (codings.length > 0 && (isOld || codings.length > 1 || codings[0]?.toLowerCase() !== 'chunked'))
    throw notHttp('a transfer-encoding that is not chunked')
  const [length] = lengths
  if (length !== undefined && !/^\d{1,15}$/.test(length)) throw notHttp('a content-length that is no number')
  const { status } = head
  if (isHead || status < 200 || status === 204 || status === 304) return { kind: 'none' }
  if (codings.length > 0) return { kind: 'chunked' }
  return length === undefined ? { kind: 'until close' } : { kind: 'sized', bytes: Number(length) }
}

/** So long before the server closes an idle connection it is not used any more. */
const BEFORE_CLOSE_MS = 2000

function keptOf(head: AnswerFields): number | null {
  const seconds = /(?:^|[,;\s])timeout=(\d{1,6})/i.exec(head.values('keep-alive').join(','))?.[1]
  return seconds === undefined ? null : Math.max(0, 1000 * Number(seconds) - BEFORE_CLOSE_MS)
}

/** Without the spaces and tabs around it (OWS; `trim` takes more). */
function trimmed(value: string): string {
  let [from, to] = [0, value.length]
  while (from < to && isBlank(value.charCodeAt(from))) from++
  while (to > from && isBlank(value.charCodeAt(to - 1))) to--
  return from === 0 && to === value.length ? value : value.slice(from, to)
}
const isBlank = (code: number): boolean => code === 32 || code === 9

/** RFC 9110, section 5.6.2. */
const TOKEN = new Uint8Array(256)
for (const char of "!#$%&'*+-.^_`|~0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz")
  TOKEN[char.charCodeAt(0)] = 1

export function isToken(name: string): boolean {
  for (let index = 0; index < name.length; index++) if (TOKEN[name.charCodeAt(index)] !== 1) return false
  return name.length > 0
}
