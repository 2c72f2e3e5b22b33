// Secrets are masked in whatever is stored or shown.
import { base64 } from '@jolt-gate/core'

const MASK = '•••'
/** A secret has at least so many characters (plan format, Values). */
export const LEAST_SECRET = 4
/** Of the secrets that responses gave: the latest. The failure of a user names its own ones as well. */
const MOST_PASSING = 200
const EXCERPT_LENGTH = 300

export class Mask {
  /** Forms by secret; those of responses pass, the oldest first. */
  private readonly lasting = new Map<string, string[]>()
  private readonly passing = new Map<string, string[]>()

  /**
   * Adds a secret of the target or of setup. Those under four characters would hide too much and are left alone: a
   * target refuses them, and what a response gives is no secret when it is so short.
   */
  add(secret: string): void {
    if (secret.length >= LEAST_SECRET && !this.lasting.has(secret)) this.lasting.set(secret, formsOf(secret))
  }

  /** Adds a secret that a response gave to one user. */
  addPassing(secret: string): void {
    if (secret.length < LEAST_SECRET || this.lasting.has(secret) || this.passing.has(secret)) return
    this.passing.set(secret, formsOf(secret))
    if (this.passing.size <= MOST_PASSING) return
    const [oldest] = this.passing.keys()
    if (oldest !== undefined) this.passing.delete(oldest)
  }

  /**
   * The text with every form of every secret masked.
   *
   * @param own - further secrets, of the user whose text it is
   */
  apply(text: string, own: readonly string[] = []): string {
    const others = own.filter((secret) => secret.length >= LEAST_SECRET).map(formsOf)
    const forms = [...this.lasting.values(), ...this.passing.values(), ...others].flat()
    // A longer form goes before one that it holds.
    const found = forms.filter((form) => text.includes(form)).sort((one, other) => other.length - one.length)
    return found.reduce((masked, form) => masked.replaceAll(form, MASK), text)
  }

  /** The beginning of a text, masked; a secret that the cut goes through is masked too. */
  excerpt(text: string, own: readonly string[] = []): string {
    return this.apply(text.slice(0, 20 * EXCERPT_LENGTH), own).slice(0, EXCERPT_LENGTH)
  }
}

/** Every way in which we or a peer may write a secret. */
function formsOf(secret: string): string[] {
  const json = JSON.stringify(secret).slice(1, -1)
  const ascii = json.replaceAll(/[^\x20-\x7e]/g, (one) => `\\u${one.charCodeAt(0).toString(16).padStart(4, '0')}`)
  const percent = encodeURIComponent(secret)
  // RFC 3986 leaves fewer characters as they are, and RFC 6570 with it.
  const strict = percent.replaceAll(/[!'()*]/g, (one) => `%${one.charCodeAt(0).toString(16).toUpperCase()}`)
  const form = new URLSearchParams([['', secret]]).toString().slice(1)
  const url = [percent, strict, form].flatMap((one) => [
    one,
    one.replaceAll(/%[0-9A-F]{2}/g, (hex) => hex.toLowerCase()),
  ])
  const xml = secret.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
  const attribute = xml.replaceAll('"', '&quot;').replaceAll("'", '&apos;')
  return [
    secret,
    json,
    ascii,
    json.replaceAll('/', String.raw`\/`),
    JSON.stringify(json).slice(1, -1),
    ...url,
    xml,
    xml.replaceAll('"', '&quot;'),
    attribute,
    attribute.replaceAll('&apos;', '&#39;'),
    ...inBase64(secret),
  ]
}

/**
 * What of a secret can be seen in base64, wherever it stands in the text that was encoded: three bytes make four
 * characters, so there are three ways to stand, and characters shared with a neighbour are left out.
 */
function inBase64(secret: string): string[] {
  const bytes = [0, 1, 2].flatMap((shift) => {
    const encoded = base64('\0'.repeat(shift) + secret)
    const unpadded = encoded.replace(/=+$/, '')
    const own = unpadded.slice(shift === 0 ? 0 : shift + 1, encoded === unpadded ? undefined : -1)
    return own.length >= LEAST_SECRET ? [own] : []
  })
  // With the alphabet for URLs, too (RFC 4648, section 5).
  return [...bytes, ...bytes.map((form) => form.replaceAll('+', '-').replaceAll('/', '_'))]
}

const HIDDEN_HEADERS = new Set(['authorization', 'proxy-authorization', 'cookie', 'set-cookie'])

/** The value of a header as it may be shown: of those that carry a sign-in, nothing but their scheme. */
export function maskHeader(name: string, value: string): string {
  if (!HIDDEN_HEADERS.has(name.toLowerCase())) return value
  const scheme = /^(Basic|Bearer)\s/i.exec(value)?.[1]
  return scheme === undefined ? MASK : `${scheme} ${MASK}`
}
