// Credentials that an import found: taken out of the plan, which goes into Git, and named in "what was made".
import type { Written } from '../write/yaml-text.js'
import type { Draft, DraftSend, DraftStep } from './draft.js'
import { secret } from './request.js'

/** Names of fields, headers, parameters and elements whose values let somebody in. */
const CREDENTIAL =
  /^(?:x[-_])?(?:(?:access|refresh|id|auth|api|session|bearer|security|csrf|xsrf|device)[-_ ]?)*(?:token|key|secret|password|passwd|passphrase|pwd|pin|otp|jwt|sid|session|sessionid|signature|sig|credential|authorization|auth|cookie|assertion|code_verifier)s?$/i
/** JSON Web Tokens (RFC 7519) are credentials wherever they stand. */
const JWT = /\beyJ[\w-]{8,}\.[\w-]{8,}\.[\w-]*/g
/** Wholly a name that the plan looks up, or nothing. */
const NAMED = /^(?:\{[\w.]+\})?$/

/**
 * Takes every credential out of the steps of a draft: bearer tokens, cookies, keys and passwords in headers, paths'
 * queries, forms, JSON and XML. A value that is a secret in one place is one wherever it stands whole.
 */
export function hideCredentials(draft: Draft): void {
  const sends = [draft.setup, ...draft.journeys.map(({ steps }) => steps)].flatMap(sendsIn)
  for (const send of sends) new Hider(draft, send).hide()
  const byValue = new Map(Object.entries(draft.secrets).map(([name, value]) => [value, `{secret.${name}}`]))
  byValue.delete('')
  for (const send of sends) replaceWhole(send, byValue)
}

class Hider {
  constructor(
    private readonly draft: Draft,
    private readonly send: DraftSend,
  ) {}

  hide(): void {
    const { send } = this
    send.url = this.inUrl(send.url)
    for (const [name, value] of Object.entries(send.headers))
      send.headers[name] = isCredential(name)
        ? this.taken(value, name, `the header ${name}`)
        : this.withoutTokens(value)
    if (typeof send.auth?.['bearer'] === 'string')
      send.auth = { bearer: this.taken(send.auth['bearer'], 'token', 'the bearer token') }
    send.with = this.inMap(send.with, 'the value')
    send.query = this.inMap(send.query, 'the parameter')
    if (send.body === undefined) return
    const { key, value } = send.body
    send.body = { key, value: key === 'xml' ? this.inXml(value) : this.inValue(value, '', 'the field') }
  }

  /** A value put among the secrets, with a note that says where it stood. */
  private taken(value: string, name: string, where: string): string {
    if (NAMED.test(value)) return value
    const place = secret(this.draft, name.toLowerCase(), value.replaceAll('{{', '{'))
    this.draft.notes.push(`taken out: ${where} of ${this.send.name} is ${place} now`)
    return place
  }

  private withoutTokens(text: string): string {
    return text.replaceAll(JWT, (token) => this.taken(token, 'token', 'a token'))
  }

  private inUrl(url: string): string {
    const [path = '', query] = url.split('?', 2)
    const pairs = query?.split('&').map((pair) => {
      const [name = '', value = ''] = pair.split('=', 2)
      if (value === '' || !isCredential(decoded(name))) return pair
      return `${name}=${this.taken(decoded(value), decoded(name), `the parameter ${decoded(name)}`)}`
    })
    return this.withoutTokens(path) + (pairs === undefined ? '' : `?${pairs.join('&')}`)
  }

  private inMap(map: Record<string, Written>, where: string): Record<string, Written> {
    return Object.fromEntries(Object.entries(map).map(([key, value]) => [key, this.inValue(value, key, where)]))
  }

  private inValue(value: Written, name: string, where: string): Written {
    if (typeof value === 'string')
      return isCredential(name) ? this.taken(value, name, `${where} ${name}`) : this.withoutTokens(value)
    if (typeof value === 'number' && isCredential(name)) return this.taken(String(value), name, `${where} ${name}`)
    if (typeof value !== 'object' || value === null) return value
    if (isList(value)) return value.map((item) => this.inValue(item, name, where))
    return this.inMap({ ...value }, where)
  }

  /** The text of elements, and the values of attributes, that are named for a credential. */
  private inXml(value: Written): Written {
    if (typeof value !== 'string') return value
    const elements = value.replaceAll(
      /<((?:[\w-]+:)?([\w-]+))([^<>]*)>([^<>]+)<\/\1>/g,
      (whole, tag: string, name: string, rest: string, text: string) =>
        isCredential(name) && text.trim() !== ''
          ? `<${tag}${rest}>${this.taken(text, name, `the element ${tag}`)}</${tag}>`
          : whole,
    )
    const attributes = elements.replaceAll(
      /\s((?:[\w-]+:)?([\w-]+))="([^"<>]+)"/g,
      (whole, attribute: string, name: string, text: string) =>
        isCredential(name) ? ` ${attribute}="${this.taken(text, name, `the attribute ${attribute}`)}"` : whole,
    )
    return this.withoutTokens(attributes)
  }
}

function isCredential(name: string): boolean {
  return CREDENTIAL.test(name.replaceAll(/([a-z])([A-Z])/g, '$1_$2'))
}

function sendsIn(steps: readonly DraftStep[]): DraftSend[] {
  return steps.flatMap((step) => (step.kind === 'group' ? sendsIn(step.steps) : step.kind === 'send' ? [step] : []))
}

function replaceWhole(send: DraftSend, byValue: ReadonlyMap<string, string>): void {
  const swap = (text: string): string => byValue.get(text) ?? text
  const within = (value: Written): Written => {
    if (typeof value === 'string') return swap(value)
    if (typeof value !== 'object' || value === null) return value
    if (isList(value)) return value.map(within)
    return Object.fromEntries(Object.entries(value).map(([key, child]) => [key, within(child)]))
  }
  send.headers = Object.fromEntries(Object.entries(send.headers).map(([key, text]) => [key, swap(text)]))
  if (send.body !== undefined) send.body = { ...send.body, value: within(send.body.value) }
}

function isList(value: Written): value is readonly Written[] {
  return Array.isArray(value)
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}
