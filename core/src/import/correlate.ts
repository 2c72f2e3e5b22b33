// Values that came out of one response and went into a later request: kept there, and used here by name.
import { parseJson } from '../language/json-path.js'
import type { Written } from '../write/yaml-text.js'
import type { DraftSend } from './draft.js'
import { leavesOf } from './json-tree.js'

export interface Exchange {
  step: DraftSend
  /** Text of the response, its type and headers. */
  text: string
  type: string
  headers: [string, string][]
}

const DATE = /^\d{4}-\d\d-\d\d(?:T.*)?$/
const MOST_TEXT = 1_000_000

/** Pages that are looked through for a value, from the last one back. */
const MOST_PAGES = 50

/** Finds such values, and changes the steps: a keep where the value came from, `{name}` where it went. */
export function correlate(exchanges: readonly Exchange[]): number {
  const names = new Set<string>()
  const known = new KnownValues()
  let found = 0
  for (const exchange of exchanges) {
    for (const value of candidatesOf(exchange.step)) {
      const source = known.sourceOf(value)
      if (source === undefined) continue
      const { keeps } = source.step
      const kept = Object.entries(keeps).find(([, keep]) => keep.replace(/^secret /, '') === source.keep)?.[0]
      const name = kept ?? free(source.name, names)
      names.add(name)
      const isSecret = /token|secret|session|csrf|xsrf|jwt|key/i.test(name)
      if (kept === undefined) keeps[name] = `${isSecret ? 'secret ' : ''}${source.keep}`
      replaceIn(exchange.step, value, name)
      found++
    }
    known.add(exchange)
  }
  return found
}

/** Values of the responses so far, the latest first; each response is read once. */
class KnownValues {
  private readonly sources = new Map<string, Source>()
  private readonly pages: Exchange[] = []

  add(exchange: Exchange): void {
    const { step, type, headers } = exchange
    const text = exchange.text.slice(0, MOST_TEXT)
    for (const [name, value] of headers)
      if (isMade(value) && !OWN_HEADERS.test(name))
        this.sources.set(value, { step, keep: `header ${name.toLowerCase()}`, name: wordOf(name.replace(/^x-/i, '')) })
    if (!/json/.test(type)) {
      this.pages.push({ ...exchange, text })
      return
    }
    const json = parseJson(text)
    const own = new Set<string>()
    for (const leaf of json === undefined ? [] : leavesOf(json)) {
      // The first place of a value within a response is its own.
      if (!isMade(leaf.text) || own.has(leaf.text)) continue
      own.add(leaf.text)
      this.sources.set(leaf.text, { step, keep: `json ${leaf.path}`, name: nameFor(leaf.key, leaf.parents, step) })
    }
  }

  sourceOf(value: string): Source | undefined {
    const exact = this.sources.get(value)
    if (exact !== undefined) return exact
    for (const { step, text } of this.pages.slice(-MOST_PAGES).reverse()) {
      const place = text.indexOf(value)
      const match = place < 0 ? undefined : matchFor(text, place, value, step)
      if (match !== undefined) return match
    }
    return undefined
  }
}
const OWN_HEADERS = /^(set-cookie|content-length|etag|date|age|last-modified|expires)$/i

function free(name: string, names: ReadonlySet<string>): string {
  let unique = name
  for (let number = 2; names.has(unique); number++) unique = `${name}${String(number)}`
  return unique
}

// ---------- where values go

/** Values of a request that look as if a machine had made them. */
function candidatesOf(step: DraftSend): string[] {
  const url = step.url.replace(/^https?:\/\/[^/]+/, '')
  const [path = '', query = ''] = url.split('?')
  const texts = [
    ...path.split('/').map(decoded),
    ...new URLSearchParams(query).values(),
    ...Object.values(step.headers),
    ...(step.auth === undefined ? [] : textsIn(step.auth)),
    ...(step.body === undefined ? [] : textsIn(step.body.value)),
  ]
  return [...new Set(texts)].filter((text) => isMade(text))
}

/** Numbers of three digits and more, and longer texts with digits in them; no dates, which people choose. */
function isMade(text: string): boolean {
  if (text.includes('{') || DATE.test(text) || text.length > 4000) return false
  if (/^\d+$/.test(text)) return text.length >= 3
  return text.length >= 6 && /\d/.test(text) && !/\s/.test(text)
}

function* textsIn(value: Written): Generator<string> {
  if (typeof value === 'string') yield value
  else if (typeof value === 'number') yield String(value)
  else if (typeof value === 'object' && value !== null)
    for (const child of Object.values<Written>(value)) yield* textsIn(child)
}

function replaceIn(step: DraftSend, value: string, name: string): void {
  const swap = (text: string) => (text === value ? `{${name}}` : text)
  const inPart = (part: string) => (decoded(part) === value ? `{${name}}` : part)
  const [path = '', query] = step.url.split('?', 2)
  const pairs = query?.split('&').map((pair) =>
    pair
      .split('=', 2)
      .map((part, place) => (place === 1 ? inPart(part) : part))
      .join('='),
  )
  step.url = path.split('/').map(inPart).join('/') + (pairs === undefined ? '' : `?${pairs.join('&')}`)
  step.headers = Object.fromEntries(Object.entries(step.headers).map(([key, text]) => [key, swap(text)]))
  if (step.auth !== undefined)
    step.auth = {
      ...step.auth,
      ...(typeof step.auth['bearer'] === 'string' ? { bearer: swap(step.auth['bearer']) } : {}),
    }
  if (step.body !== undefined) step.body = { ...step.body, value: replaced(step.body.value, value, `{${name}}`) }
}

function replaced(value: Written, before: string, after: string): Written {
  if (typeof value === 'string' || typeof value === 'number') return String(value) === before ? after : value
  if (typeof value !== 'object' || value === null) return value
  if (isList(value)) return value.map((item) => replaced(item, before, after))
  return Object.fromEntries(Object.entries(value).map(([key, child]) => [key, replaced(child, before, after)]))
}

function isList(value: Written): value is readonly Written[] {
  return Array.isArray(value)
}

// ---------- where values come from

interface Source {
  step: DraftSend
  keep: string
  name: string
}

/** A regular expression that finds the value by what stands right before it. */
function matchFor(text: string, place: number, value: string, step: DraftSend): Source | undefined {
  const before = text.slice(Math.max(0, place - 60), place)
  // From the last tag, attribute or line, so that it says what it is.
  const lead = /(?:name="([\w-]+)"[^<>\n]*|[\w-]+=")?[^<>\n"']*["'>=/]?$/.exec(before)
  const context = lead?.[0] ?? ''
  if (context.trim() === '' || value.length > 200) return undefined
  const escaped = context.replaceAll(/[.*+?^${}()|[\]\\/]/g, String.raw`\$&`)
  const keep = `match /${escaped}([^"'<>\\s&?\\/]+)/`
  const found = new RegExp(`${escaped}([^"'<>\\s&?\\/]+)`).exec(text)
  if (found?.[1] !== value) return undefined
  const named = lead?.[1] ?? /([A-Za-z]+)s?\/$/.exec(context)?.[1]
  return { step, keep, name: wordOf(named === undefined ? lastNoun(step) : singular(named)) }
}

/** `$.token` is a token; `$.sailings[0].id` is a sailing; `$.id` of "send holds" is a hold. */
function nameFor(key: string, parents: readonly string[], step: DraftSend): string {
  if (!/^(id|uuid|key|code|number|ref)$/i.test(key)) return wordOf(key)
  const parent = parents.findLast((one) => one !== '')
  return wordOf(singular(parent ?? lastNoun(step)))
}

function lastNoun(step: DraftSend): string {
  const words =
    step.url
      .split('?')[0]
      ?.split('/')
      .filter((part) => /^[A-Za-z_-]+$/.test(part)) ?? []
  return singular(words.at(-1) ?? 'value')
}

export function singular(word: string): string {
  if (/ies$/.test(word)) return word.replace(/ies$/, 'y')
  return /[^s]s$/.test(word) ? word.slice(0, -1) : word
}

const RESERVED = ['secret', 'run', 'user', 'journey', 'now']
function wordOf(text: string): string {
  const word =
    text
      .replaceAll(/[^A-Za-z0-9]+/g, '_')
      .replaceAll(/^_+|_+$/g, '')
      .toLowerCase() || 'value'
  return RESERVED.includes(word) ? `${word}_id` : word
}

function decoded(part: string): string {
  try {
    return decodeURIComponent(part)
  } catch {
    return part
  }
}
