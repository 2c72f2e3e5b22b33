// Secrets are masked in whatever is stored or shown.
import { base64 } from '@jolt-gate/core'

const MASK = '•••'
const LEAST = 4
const MOST = 1000
const EXCERPT_LENGTH = 300

export class Mask {
  private readonly forms = new Set<string>()

  /** Adds a secret; those under four characters would hide too much and are left alone. */
  add(secret: string): void {
    if (secret.length < LEAST || this.forms.size > MOST) return
    const json = JSON.stringify(secret).slice(1, -1)
    for (const form of [secret, encodeURIComponent(secret), json, ...inBase64(secret)]) this.forms.add(form)
  }

  /** The text with every form of every secret masked: as it is, percent-encoded, in base64, in JSON escapes. */
  apply(text: string): string {
    let masked = text
    for (const form of this.forms) if (masked.includes(form)) masked = masked.replaceAll(form, MASK)
    return masked
  }

  /** The beginning of a text, masked; a secret that the cut goes through is masked too. */
  excerpt(text: string): string {
    return this.apply(text.slice(0, 20 * EXCERPT_LENGTH)).slice(0, EXCERPT_LENGTH)
  }
}

/**
 * What of a secret can be seen in base64, wherever it stands in the text that was encoded: three bytes make four
 * characters, so there are three ways to stand, and characters shared with a neighbour are left out.
 */
function inBase64(secret: string): string[] {
  return [0, 1, 2].flatMap((shift) => {
    const encoded = base64('\0'.repeat(shift) + secret)
    const unpadded = encoded.replace(/=+$/, '')
    const own = unpadded.slice(shift === 0 ? 0 : shift + 1, encoded === unpadded ? undefined : -1)
    return own.length >= LEAST ? [own] : []
  })
}

const HIDDEN_HEADERS = new Set(['authorization', 'proxy-authorization', 'cookie', 'set-cookie'])

/** The value of a header as it may be shown: of those that carry a sign-in, nothing but their scheme. */
export function maskHeader(name: string, value: string): string {
  if (!HIDDEN_HEADERS.has(name.toLowerCase())) return value
  const scheme = /^(Basic|Bearer)\s/i.exec(value)?.[1]
  return scheme === undefined ? MASK : `${scheme} ${MASK}`
}
