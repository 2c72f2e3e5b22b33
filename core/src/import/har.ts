// A recording of browser traffic (HAR 1.2) as entries that can be chosen from.
// Source: "HTTP Archive (HAR) format", version 1.2, J. Odvarko and others; W3C Web Performance WG draft, 2012.
import { parseJson } from '../language/json-path.js'
import type { Json } from '../language/sentences.js'
import { ImportFault } from './fault.js'
import { at, isObject, listOf, textOf } from './json-tree.js'
import { decodeBase64, type SeenRequest } from './request.js'

const MOST_ENTRIES = 20_000
const MOST_BODY = 2_000_000

/** Why an entry would be left out unless a person wants it. */
/** The largest recording; what reads it holds it whole. */
export const MOST_HAR_BYTES = 512_000_000

export type LeftOut = 'static file' | 'tracker' | 'preflight' | 'redirect' | 'no answer' | 'other host'

export interface HarEntry {
  number: number
  page: string
  startedMs: number
  endedMs: number
  request: SeenRequest
  status: number
  type: string
  responseHeaders: [string, string][]
  responseText: string
  leftOut: LeftOut | undefined
  /** What a chain of redirects ended in. */
  answer: HarEntry | undefined
}
export interface HarReading {
  entries: HarEntry[]
  /** Title of each page by its id. */
  pages: Map<string, string>
  /** Hosts with the number of requests to each, the most first. */
  hosts: { origin: string; requests: number }[]
}

const STATIC_TYPE =
  /^(image|font|video|audio)\/|^text\/css|javascript|ecmascript|wasm|application\/(font|x-font|vnd.ms-fontobject|manifest)|manifest\+json/i
const STATIC_PATH =
  /\.(?:css|m?js|map|png|jpe?g|gif|svg|ico|webp|avif|woff2?|ttf|otf|eot|mp[34]|webm|wasm|webmanifest)$/i
const TRACKER_PATH = /\/(?:collect|beacon|pixel|track(?:ing)?|analytics|telemetry|rum|metrics\/events)(?:$|[/.?])/i

/** Reads a recording; a fault names the entry. */
export function readHar(text: string): HarReading {
  const log = at(parseJson(text.replace(/^\ufeff/, '')), 'log')
  if (!isObject(log)) throw new ImportFault('this is not a HAR file: it has no "log"')
  const listed = listOf(log['entries'])
  if (listed.length === 0) throw new ImportFault('the recording holds no entries')
  if (listed.length > MOST_ENTRIES)
    throw new ImportFault(
      `the recording has ${String(listed.length)} entries; at most ${String(MOST_ENTRIES)} are read`,
    )
  const pages = new Map(listOf(log['pages']).map((page) => [textOf(at(page, 'id')), textOf(at(page, 'title'))]))
  const entries = listed
    .flatMap((entry, index) => entryOf(entry, index + 1) ?? [])
    .sort((a, b) => a.startedMs - b.startedMs)
  const counts = new Map<string, number>()
  for (const { request } of entries) counts.set(request.url.origin, (counts.get(request.url.origin) ?? 0) + 1)
  const first = entries.find(({ type }) => type === 'text/html')?.request.url.origin
  const hosts = [...counts]
    .map(([origin, requests]) => ({ origin, requests }))
    .sort((a, b) => Number(b.origin === first) - Number(a.origin === first) || b.requests - a.requests)
  markRedirects(entries)
  return { entries, pages, hosts }
}

function entryOf(entry: Json, number: number): HarEntry | undefined {
  const [request, response] = [at(entry, 'request'), at(entry, 'response')]
  const address = textOf(at(request, 'url'))
  // Pages of extensions, data and blobs are no traffic.
  if (/^(?:data|blob|about|chrome|moz|safari|ws|wss|file)[\w-]*:/i.test(address)) return undefined
  if (!URL.canParse(address)) throw new ImportFault(`entry ${String(number)}: "${address.slice(0, 80)}" is not a URL`)
  const startedMs = Date.parse(textOf(at(entry, 'startedDateTime')))
  if (Number.isNaN(startedMs)) throw new ImportFault(`entry ${String(number)}: startedDateTime is not a date`)
  const took = at(entry, 'time')
  const content = at(response, 'content')
  const type = (textOf(at(content, 'mimeType')).split(';')[0] ?? '').trim().toLowerCase()
  const raw = textOf(at(content, 'text')).slice(0, MOST_BODY)
  const status = at(response, 'status')
  const headers = pairsOf(at(request, 'headers'))
  const url = new URL(address)
  url.hash = ''
  const seen: HarEntry = {
    number,
    page: textOf(at(entry, 'pageref')),
    startedMs,
    endedMs: startedMs + (typeof took === 'number' && took > 0 ? took : 0),
    request: {
      method: (textOf(at(request, 'method')) || 'GET').toUpperCase(),
      url,
      headers,
      body: bodyOf(at(request, 'postData')),
    },
    status: typeof status === 'number' ? status : 0,
    type,
    responseHeaders: pairsOf(at(response, 'headers')),
    responseText: textOf(at(content, 'encoding')) === 'base64' ? decodeBase64(raw) : raw,
    leftOut: undefined,
    answer: undefined,
  }
  return { ...seen, leftOut: whyLeftOut(seen, textOf(at(entry, '_resourceType'))) }
}

function pairsOf(list: Json | undefined): [string, string][] {
  return listOf(list).map((pair) => [textOf(at(pair, 'name')), textOf(at(pair, 'value'))])
}

function bodyOf(data: Json | undefined): SeenRequest['body'] {
  if (!isObject(data)) return undefined
  const params = pairsOf(data['params'])
  return { type: textOf(data['mimeType']), text: textOf(data['text']), fields: params.length > 0 ? params : undefined }
}

function whyLeftOut({ request, status, type }: HarEntry, resource: string): LeftOut | undefined {
  const isAsking = request.headers.some(([name]) => name.toLowerCase() === 'access-control-request-method')
  if (request.method === 'OPTIONS' && isAsking) return 'preflight'
  if (status === 0) return 'no answer'
  if (
    /^(?:ping|beacon|csp-violation-report|cspviolationreport)$/i.test(resource) ||
    TRACKER_PATH.test(request.url.pathname)
  )
    return 'tracker'
  const isStatic =
    STATIC_TYPE.test(type) ||
    STATIC_PATH.test(request.url.pathname) ||
    /^(?:image|font|stylesheet|script|media|manifest)$/i.test(resource)
  return isStatic && request.method === 'GET' ? 'static file' : undefined
}

/** A redirect is followed by the step that caused it: the requests it led to are no steps of their own. */
function markRedirects(entries: readonly HarEntry[]): void {
  const begun = new Map<HarEntry, HarEntry>()
  for (const [index, entry] of entries.entries()) {
    if (entry.status < 300 || entry.status >= 400) continue
    const location = entry.responseHeaders.find(([name]) => name.toLowerCase() === 'location')?.[1]
    if (location === undefined || !URL.canParse(location, entry.request.url.href)) continue
    const to = new URL(location, entry.request.url)
    to.hash = ''
    const next = entries.slice(index + 1).find((one) => one.leftOut === undefined && one.request.url.href === to.href)
    if (next === undefined) continue
    next.leftOut = 'redirect'
    const first = begun.get(entry) ?? entry
    begun.set(next, first)
    first.answer = next
  }
}
