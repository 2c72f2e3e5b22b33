// URLs from outside as URL templates, and names for requests from them.
import { ImportFault } from './fault.js'

/** A URL of HTTP; anything else is refused. */
export function httpUrl(text: string, what: string): URL {
  if (!URL.canParse(text)) throw new ImportFault(`${what}: "${text.slice(0, 120)}" is not a URL`)
  const url = new URL(text)
  if (url.protocol !== 'http:' && url.protocol !== 'https:')
    throw new ImportFault(`${what}: only http and https can be loaded`)
  return url
}

/** Path and query as a literal of a template: braces would be expressions. */
export function templateOf(url: URL): string {
  return (url.pathname + url.search).replaceAll('{', '%7B').replaceAll('}', '%7D')
}

const VERBS: Record<string, string> = { POST: 'send', PUT: 'put', PATCH: 'change', DELETE: 'delete' }

/** Whether a part of a path names one thing among many: digits, a UUID, a long code. */
export function isId(part: string): boolean {
  return (
    /^\d+$/.test(part) || /^[0-9a-f-]{16,}$/i.test(part) || (part.length > 8 && /\d/.test(part)) || part.startsWith('{')
  )
}

/** A name for a request from its path: `GET /sailings/42` is "sailings one". */
export function nameOf(method: string, path: string): string {
  const parts =
    path
      .split('?')[0]
      ?.split('/')
      .filter((part) => part !== '') ?? []
  const words = parts
    .map((part) =>
      isId(part)
        ? 'one'
        : decoded(part)
            .replaceAll(/\.\w+$/g, '')
            .replaceAll(/[^\p{L}\p{N}]+/gu, ' ')
            .trim(),
    )
    .filter((word) => word !== '')
  const verb = VERBS[method]
  const name = words.length === 0 ? 'home' : words.slice(-3).join(' ')
  return verb === undefined ? name : `${verb} ${name}`
}

function decoded(part: string): string {
  try {
    return decodeURIComponent(part)
  } catch {
    return part
  }
}

/** A name that is not taken yet. */
export function uniqueName(name: string, taken: Set<string>): string {
  let unique = name
  for (let number = 2; taken.has(unique); number++) unique = `${name} ${String(number)}`
  taken.add(unique)
  return unique
}
