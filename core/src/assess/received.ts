import { parseJson } from '../language/json-path.js'
import type { Json } from '../language/sentences.js'
import { parseXml, type XmlDocument } from '../language/xml.js'

/** What is known of a response beside its status and body. */
export interface ReceivedFacts {
  /** The value of a header, by its name in lower case; several of one name are joined by a comma and a blank. */
  header(name: string): string | undefined
  /** The Set-Cookie fields, one a cookie, which must never be joined (RFC 6265, section 3). */
  setCookies(): string[]
  /** Bytes of the decoded body. */
  size: number
  /** From due to the last byte. */
  timeMs: number
}

/** A response as checks and keeps see it. The body becomes text, and the text JSON or XML, at most once. */
export class Received {
  private parsed: { json: Json | undefined } | undefined
  private parsedXml: { document: XmlDocument | undefined } | undefined

  constructor(
    readonly status: number,
    readonly body: string,
    readonly facts: ReceivedFacts,
  ) {}

  /** A message without headers, such as one of a socket, or nothing at all. */
  static ofText(text: string, status = 0, timeMs = 0): Received {
    return new Received(status, text, { header: () => undefined, setCookies: () => [], size: text.length, timeMs })
  }

  /** The body as JSON, or undefined when it is none. */
  json(): Json | undefined {
    this.parsed ??= { json: parseJson(this.body) }
    return this.parsed.json
  }

  /** The body as XML, or undefined when it is none. */
  xml(): XmlDocument | undefined {
    this.parsedXml ??= { document: this.body === '' ? undefined : parseXml(this.body) }
    return this.parsedXml.document
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
