// Credentials that an import found: taken out of the plan, which goes into Git, and named in "what was made".
import type { Written } from '../write/yaml-text.js'
import type { Draft, DraftSend, DraftStep } from './draft.js'
import { secret } from './request.js'

/** Names of fields, headers, parameters and elements whose values let somebody in. */
const CREDENTIAL =
  /^(?:x[-_])?(?:(?:access|refresh|id|auth|api|session|bearer|security|csrf|xsrf|device)[-_ ]?)*(?:token|key|secret|password|passwd|passphrase|pwd|pin|otp|jwt|sid|session|sessionid|signature|sig|credential|authorization|auth|cookie|assertion|code_verifier)s?$/i
/** The same as the last words of a longer name, such as that of a secret store's header; places in lists are none. */
const ENDS_IN_CREDENTIAL =
  /[-_ ](?:token|secret|password|passwd|passphrase|pwd|otp|cvv|cvc|signature|credential|(?:api|access|auth|private|account|subscription|shared)[-_ ]?key)s?$/i
const PLACE_IN_LIST = /(?:page|next|previous|cursor|continuation|sync)[-_ ]?token$/i
/**
 * Credentials wherever they stand: JSON Web Tokens (RFC 7519), and tokens that secret stores, code hosts and clouds
 * begin with letters of their own (common practice, no source).
 */
const TOKENS =
  /\b(?:eyJ[\w-]{8,}\.[\w-]{8,}\.[\w-]*|hv[sbr]\.[\w-]{20,}|gh[pousr]_[A-Za-z0-9]{30,}|github_pat_\w{20,}|glpat-[\w-]{18,}|xox[abprs]-[\w-]{10,}|[sr]k_(?:live|test)_[A-Za-z0-9]{16,}|(?:AKIA|ASIA)[0-9A-Z]{16}|AIza[\w-]{30,}|npm_[A-Za-z0-9]{30,})/g
/** What may be the number of a payment card: 13 to 19 digits (ISO/IEC 7812-1), in groups or not. */
const CARD = /(?<![\w.-])[3-6](?:[ -]?\d){12,18}(?![\w-])/g
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
    return text
      .replaceAll(TOKENS, (token) => this.taken(token, 'token', 'a token'))
      .replaceAll(CARD, (number) => (isCard(number) ? this.taken(number, 'card', 'a card number') : number))
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
    if (typeof value === 'number' && isCard(String(value))) return this.taken(String(value), 'card', 'a card number')
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

/** Whether what bears a name lets somebody in. */
export function isCredential(name: string): boolean {
  const parted = name.replaceAll(/([a-z])([A-Z])/g, '$1_$2')
  return CREDENTIAL.test(parted) || (ENDS_IN_CREDENTIAL.test(parted) && !PLACE_IN_LIST.test(parted))
}

/** The check digit of card numbers (ISO/IEC 7812-1, annex B: the formula of Luhn). */
function isCard(text: string): boolean {
  const digits = Array.from(text.replaceAll(/[ -]/g, ''), Number)
  if (digits.length < 13 || digits.length > 19 || digits.some(Number.isNaN)) return false
  const sum = digits.toReversed().reduce((total, digit, index) => {
    const doubled = index % 2 === 1 ? 2 * digit : digit
    return total + (doubled > 9 ? doubled - 9 : doubled)
  }, 0)
  return sum % 10 === 0
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
