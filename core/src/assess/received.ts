import { parseJson } from '../language/json-path.js'
import type { Json } from '../language/sentences.js'
import { parseXml, type XmlDocument } from '../language/xml.js'

/** What is known of a response beside its status and body. */
export interface ReceivedFacts {
  /** The value of a header, by its name in lower case; several of one name are joined by a comma and a blank. */
  header(name: string): string | undefined
  /** The Set-Cookie fields, one a cookie, which must never be joined (RFC 6265, section 3). */
  setCookies(): readonly string[]
  /** Bytes of the decoded body. */
  size: number
  /** From due to the last byte. */
  timeMs: number
  /** The type of an event; undefined for all that is none. */
  event?: string
  /** Whether it answers HEAD. */
  isHead?: boolean
}

/**
 * A body is not what a subject or source reads it as: nothing can be said of what is in it, that it lacks something
 * included.
 */
export class UnreadableBody extends Error {}

/** Statuses of answers without a body (RFC 9110, sections 15.3.5, 15.3.6 and 15.4.5). */
const BODILESS = new Set([204, 205, 304])
const BYTE_ORDER_MARK = '\ufeff'
/** Digits and what stands between them, too many for a number of 2⁵³ or less to need. */
const LONG_NUMBER = /-?\d[\d.eE+-]{15,}/g

/** A response as checks and keeps see it. The body becomes text, and the text JSON or XML, at most once. */
export class Received {
  private parsed: { json: Json } | UnreadableBody | undefined
  private parsedXml: { document: XmlDocument } | UnreadableBody | undefined
  private numbers: Map<number, Set<string>> | undefined

  constructor(
    readonly status: number,
    readonly body: string,
    readonly facts: ReceivedFacts,
  ) {}

  /** A message without headers, such as one of a socket, or nothing at all. */
  static ofText(text: string, status = 0, timeMs = 0): Received {
    return new Received(status, text, { header: () => undefined, setCookies: () => [], size: text.length, timeMs })
  }

  /** An event of a stream: its data as the body. */
  static ofEvent(event: string, data: string, timeMs: number): Received {
    const { facts } = Received.ofText(data, 0, timeMs)
    return new Received(0, data, { ...facts, event })
  }

  /** Whether an answer of its kind never has a body: then nothing is in it, and that is as it should be. */
  get isBodiless(): boolean {
    return BODILESS.has(this.status) || this.facts.isHead === true
  }

  /** @throws UnreadableBody for a body that is not JSON */
  json(): Json {
    if (this.parsed === undefined) {
      // A byte order mark may be ignored (RFC 8259, section 8.1).
      const json = parseJson(this.body.startsWith(BYTE_ORDER_MARK) ? this.body.slice(1) : this.body)
      this.parsed = json === undefined ? unreadable('JSON', this.body) : { json }
    }
    if (this.parsed instanceof UnreadableBody) throw this.parsed
    return this.parsed.json
  }

  /** @throws UnreadableBody for a body that is not XML */
  xml(): XmlDocument {
    if (this.parsedXml === undefined) {
      const document = this.body === '' ? undefined : parseXml(this.body)
      this.parsedXml = document === undefined ? unreadable('XML', this.body) : { document }
    }
    if (this.parsedXml instanceof UnreadableBody) throw this.parsedXml
    return this.parsedXml.document
  }

  /** How numbers of the body that are equal to this one are written in it; only of those that are long. */
  writtenAs(number: number): ReadonlySet<string> {
    if (this.numbers === undefined) {
      this.numbers = new Map()
      for (const [written] of this.body.matchAll(LONG_NUMBER)) {
        const texts = this.numbers.get(Number(written)) ?? new Set()
        this.numbers.set(Number(written), texts.add(written))
      }
    }
    return this.numbers.get(number) ?? new Set()
  }

  /** The value of a cookie that this response sets. */
  cookie(name: string): string | undefined {
    for (const field of this.facts.setCookies()) {
      const [, key, value] = /^\s*([^=;]+?)\s*=\s*([^;]*)/.exec(field) ?? []
      if (key === name) return value?.trim()
    }
    return undefined
  }
}

/** Says what is there instead, in so few words that failures of one cause have one detail. */
function unreadable(what: 'JSON' | 'XML', body: string): UnreadableBody {
  const start = body.trimStart()
  if (start === '') return new UnreadableBody(`not ${what}: the body is empty`)
  const first = start.slice(0, 1)
  const begins = what === 'JSON' ? '{["' : '<'
  if (begins.includes(first)) return new UnreadableBody(`not ${what}: begins with ${first}, and cannot be parsed`)
  const word = /^<?[!?/]?[A-Za-z]{1,20}/.exec(start)?.[0] ?? first
  return new UnreadableBody(`not ${what}: starts with ${word}`)
}
