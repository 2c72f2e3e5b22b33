// The head of an answer, read strictly by RFC 9112: what is not quite as it should be is an error, never a guess.
import type { AnswerHead } from './link.js'
import { notHttp } from './not-http.js'
import { TOKEN } from './token.js'

export const MOST_HEAD_BYTES = 16_384

/** How the body of an answer ends (RFC 9112, section 6.3). */
export type Framing =
  { kind: 'none' } | { kind: 'sized'; bytes: number } | { kind: 'chunked' } | { kind: 'until close' }

export interface ReadHead {
  head: AnswerHead
  framing: Framing
  /** Whether the connection may be used again, and for how long; null where the server does not say. */
  isKept: boolean
  keptMs: number | null
}

const [TAB, LF, CR, BLANK, COLON, DELETE] = [9, 10, 13, 32, 58, 127]
const NONE: readonly string[] = []

/**
 * Where the lines end that an empty one closes.
 *
 * @returns the place after the empty line; −1 where it has not come yet
 */
export function endOfLines(bytes: Buffer, from: number, to: number): number {
  const last = Math.min(to, from + MOST_HEAD_BYTES + 1)
  let line = from
  for (let at = from; at < last; at++) {
    if (bytes[at] !== LF) continue
    if (at === line || bytes[at - 1] !== CR) throw notHttp('a line ends without CR')
    if (at - 1 === line) return at + 1
    line = at + 1
  }
  if (to - from > MOST_HEAD_BYTES) throw notHttp('the head is too long')
  return -1
}

/** Heads that were read lately, by their length: many answers of a second have the same. */
const lately: (({ text: string; isHead: boolean } & ReadHead) | undefined)[] = []
const MOST_LATELY = 64

/**
 * Reads a head, from its status line to the empty line.
 *
 * @param isHead - whether the request was a HEAD: its answer has no body, whatever it says
 */
export function readHead(text: string, isHead: boolean): ReadHead {
  const place = text.length % MOST_LATELY
  const known = lately[place]
  if (known?.text === text && known.isHead === isHead) return known
  const read = readNew(text, isHead)
  lately[place] = { text, isHead, ...read }
  return read
}

/** Reads it in one pass. */
function readNew(text: string, isHead: boolean): ReadHead {
  const status = statusOf(text)
  const isOld = text.charCodeAt(VERSION_AT) === ZERO
  const fields = readFields(text, endOfLine(text, STATUS_END) + 2)
  const framing = framingOf(fields, status, isHead, isOld)
  const { connection } = fields
  const isKept = isOld ? options(connection).includes('keep-alive') : isKeptBy(connection)
  return {
    head: new HeadText(status, text, fields.from, fields.hasCookies, fields.hasCoding),
    framing,
    isKept: isKept && framing.kind !== 'until close',
    keptMs: fields.keepAlive === '' ? null : keptOf(fields.keepAlive),
  }
}

// ---------- the status line

const BEGINS = 'HTTP/1.'
const [VERSION_AT, STATUS_AT, STATUS_END] = [7, 9, 12]
const [ZERO, ONE, NINE] = [48, 49, 57]

function statusOf(text: string): number {
  const version = text.charCodeAt(VERSION_AT)
  const after = text.charCodeAt(STATUS_END)
  const [first, second, third] = [digitAt(text, STATUS_AT), digitAt(text, STATUS_AT + 1), digitAt(text, STATUS_AT + 2)]
  if (
    !text.startsWith(BEGINS) ||
    (version !== ZERO && version !== ONE) ||
    text.charCodeAt(STATUS_AT - 1) !== BLANK ||
    !(first > 0 && second >= 0 && third >= 0) ||
    (after !== BLANK && after !== CR)
  )
    throw notHttp('no status line')
  return 100 * first + 10 * second + third
}

/** −1 for what is no digit. */
function digitAt(text: string, at: number): number {
  const code = text.charCodeAt(at)
  return code >= ZERO && code <= NINE ? code - ZERO : -1
}

// ---------- fields

/** What the fields say of the message and its connection. */
class Fields {
  lengths = 0
  length = ''
  codings = 0
  coding = ''
  /** Values of the field, joined; empty where there is none. */
  connection = ''
  keepAlive = ''
  hasCookies = false
  hasCoding = false

  /** @param from - where the first of them begins */
  constructor(readonly from: number) {}
}

/** Reads the fields of a head, or of trailers. */
export function readFields(text: string, from: number): Fields {
  const fields = new Fields(from)
  for (let at = from; at < text.length - 2;) {
    const colon = endOfName(text, at)
    const end = endOfLine(text, colon + 1)
    note(fields, text, at, colon, end)
    at = end + 2
  }
  return fields
}

/** Most fields are told from those that matter here by their length. */
function note(fields: Fields, text: string, at: number, colon: number, end: number): void {
  switch (colon - at) {
    case 'connection'.length:
      if (isNamed(text, at, 'connection')) fields.connection = joined(fields.connection, text, colon, end)
      else if (isNamed(text, at, 'keep-alive')) fields.keepAlive = joined(fields.keepAlive, text, colon, end)
      else if (isNamed(text, at, 'set-cookie')) fields.hasCookies = true
      return
    case 'content-length'.length:
      if (!isNamed(text, at, 'content-length')) return
      fields.lengths++
      fields.length = valueOf(text, colon, end)
      return
    case 'content-encoding'.length:
      if (isNamed(text, at, 'content-encoding')) fields.hasCoding = true
      return
    case 'transfer-encoding'.length:
      if (!isNamed(text, at, 'transfer-encoding')) return
      fields.codings++
      fields.coding = valueOf(text, colon, end).toLowerCase()
  }
}

function joined(before: string, text: string, colon: number, end: number): string {
  const value = valueOf(text, colon, end)
  return before === '' ? value : `${before},${value}`
}

/** A line that begins with a space goes on with the one before (obs-fold): RFC 9112, section 5.2. */
function endOfName(text: string, from: number): number {
  let at = from
  while (TOKEN[text.charCodeAt(at)] === 1) at++
  if (at > from && text.charCodeAt(at) === COLON) return at
  const line = text.slice(from, endOfLine(text, from))
  throw notHttp(line.includes(':') ? 'a field name that is no token' : 'a field without a colon')
}

/** Where a line ends; nothing before it may be a control but the tab. */
function endOfLine(text: string, from: number): number {
  let at = from
  for (let code = text.charCodeAt(at); code >= BLANK ? code !== DELETE : code === TAB; code = text.charCodeAt(at)) at++
  if (text.charCodeAt(at) !== CR || text.charCodeAt(at + 1) !== LF) throw notHttp('a control character in the head')
  return at
}

/** Without the spaces and tabs around it (OWS; `trim` takes more). */
function valueOf(text: string, colon: number, end: number): string {
  let [from, to] = [colon + 1, end]
  while (from < to && isBlank(text.charCodeAt(from))) from++
  while (to > from && isBlank(text.charCodeAt(to - 1))) to--
  return text.slice(from, to)
}
const isBlank = (code: number): boolean => code === BLANK || code === TAB

/** Whether a name stands at a place, in whichever case. */
function isNamed(text: string, at: number, name: string): boolean {
  for (let index = 0; index < name.length; index++) {
    const code = text.charCodeAt(at + index)
    if ((code >= CAPITAL_A && code <= CAPITAL_Z ? code | LOWER : code) !== name.charCodeAt(index)) return false
  }
  return true
}
/** Capitals differ from small letters by one bit. */
const [CAPITAL_A, CAPITAL_Z, LOWER] = [65, 90, 32]

// ---------- what they mean

function framingOf(fields: Fields, status: number, isHead: boolean, isOld: boolean): Framing {
  const { lengths, length, codings, coding } = fields
  if (codings > 0 && lengths > 0) throw notHttp('both content-length and transfer-encoding')
  if (lengths > 1) throw notHttp('content-length more than once')
  if (codings > 0 && (isOld || codings > 1 || coding !== 'chunked'))
    throw notHttp('a transfer-encoding that is not chunked')
  if (lengths > 0 && !/^\d{1,15}$/.test(length)) throw notHttp('a content-length that is no number')
  if (isHead || status < 200 || status === 204 || status === 304) return { kind: 'none' }
  if (codings > 0) return { kind: 'chunked' }
  return lengths === 0 ? { kind: 'until close' } : { kind: 'sized', bytes: Number(length) }
}

const options = (connection: string): string[] =>
  connection
    .toLowerCase()
    .split(',')
    .map((option) => option.replaceAll(/^[ \t]+|[ \t]+$/g, ''))

const isKeptBy = (connection: string): boolean =>
  connection === '' || connection === 'keep-alive' || !options(connection).includes('close')

/** So long before the server closes an idle connection it is not used any more. */
const BEFORE_CLOSE_MS = 2000

function keptOf(keepAlive: string): number | null {
  const seconds = /(?:^|[,;\s])timeout=(\d{1,6})/i.exec(keepAlive)?.[1]
  return seconds === undefined ? null : Math.max(0, 1000 * Number(seconds) - BEFORE_CLOSE_MS)
}

// ---------- for those who ask for more

/** A head as it came: what few ask for is looked up when they do. */
class HeadText implements AnswerHead {
  constructor(
    readonly status: number,
    private readonly text: string,
    private readonly from: number,
    readonly hasCookies: boolean,
    readonly hasCoding: boolean,
  ) {}

  get bytes(): number {
    return this.text.length
  }

  values(name: string): readonly string[] {
    let found = NONE
    this.each((at, colon, end) => {
      if (colon - at === name.length && isNamed(this.text, at, name)) found = [...found, valueOf(this.text, colon, end)]
    })
    return found
  }

  fields(): [name: string, value: string][] {
    const fields: [string, string][] = []
    this.each((at, colon, end) => {
      fields.push([this.text.slice(at, colon).toLowerCase(), valueOf(this.text, colon, end)])
    })
    return fields
  }

  private each(take: (at: number, colon: number, end: number) => void): void {
    for (let at = this.from; at < this.text.length - 2;) {
      const [colon, end] = [this.text.indexOf(':', at), this.text.indexOf('\r\n', at)]
      take(at, colon, end)
      at = end + 2
    }
  }
}
