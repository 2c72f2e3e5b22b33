// A command line of curl, split as a POSIX shell would.
import { parse, type ParseEntry } from 'shell-quote'
import parseOptions from 'yargs-parser'
import { hideCredentials } from './credentials.js'
import { newDraft, writeDraft, type Imported } from './draft.js'
import { ImportFault } from './fault.js'
import { escapeBraces } from './json-tree.js'
import { secret, stepOfRequest, type SeenRequest } from './request.js'
import { httpUrl } from './url.js'

const MOST_CHARACTERS = 200_000
/** What each option of curl is called here; those of the second list take a value. */
const FLAGS = {
  alias: {
    request: ['X'],
    header: ['H'],
    data: ['d', 'data-ascii'],
    'data-raw': ['data-binary'],
    form: ['F', 'form-string'],
    user: ['u'],
    'user-agent': ['A'],
    referer: ['e'],
    cookie: ['b'],
    get: ['G'],
    head: ['I'],
  },
  array: ['header', 'data', 'data-raw', 'data-urlencode', 'json', 'form', 'cookie'],
  string: ['request', 'user', 'user-agent', 'referer', 'url'],
  boolean: [
    'get',
    'head',
    'L',
    'location',
    'k',
    'insecure',
    's',
    'silent',
    'S',
    'v',
    'verbose',
    'f',
    'fail',
    'i',
    'include',
    'compressed',
    'N',
    'g',
    'globoff',
  ],
} as const
/** Options that take a value and mean nothing for a load. */
const WITHOUT_MEANING = [
  'o',
  'output',
  'm',
  'max-time',
  'connect-timeout',
  'w',
  'write-out',
  'c',
  'cookie-jar',
  'cacert',
  'cert',
  'key',
  'resolve',
  'retry',
  'limit-rate',
  'x',
  'proxy',
  'D',
  'dump-header',
  'interface',
  'max-redirs',
]

/** Makes a draft of one request. */
export function importCurl(line: string, name = ''): Imported {
  const words = shellWords(line)
  if (words[0] !== 'curl') throw new ImportFault('the command line must start with curl')
  const asked = optionsOf(words.slice(1))
  const url = httpUrl(asked.url ?? '', 'curl')
  const draft = newDraft(name || (url.pathname === '/' ? url.hostname : decodeURI(url.pathname).slice(1)), url.origin)
  const step = stepOfRequest({ ...asked, url }, draft)
  if (asked.user !== undefined) {
    const [user = '', ...password] = asked.user.split(':')
    step.auth = { basic: [secret(draft, 'user', user), secret(draft, 'password', password.join(':'))] }
  }
  if (asked.cookies.length > 0) step.headers['cookie'] = escapeBraces(asked.cookies.join('; '))
  step.checks.push('status is 2xx')
  draft.journeys.push({ name: 'visit', steps: [step] })
  draft.notes.push(...asked.notes, ...droppedOptions(asked.dropped))
  hideCredentials(draft)
  return writeDraft(draft)
}

/**
 * The words of a command line.
 *
 * Quoting as in POSIX.1-2017, Shell Command Language, 2.2; `$'..'` as in POSIX.1-2024, since browsers copy it.
 */
export function shellWords(line: string): string[] {
  if (line.length > MOST_CHARACTERS) throw new ImportFault('the command line is longer than 200 000 characters')
  const plain = line
    .trim()
    .replaceAll(/\\\r?\n/g, ' ')
    .replaceAll(
      /\$'((?:[^'\\]|\\.)*)'/gs,
      (_, inner: string) => `'${unescaped(inner).replaceAll("'", String.raw`'\''`)}'`,
    )
  return parsedWords(plain).map((word) => {
    if (typeof word === 'string') return word
    if ('pattern' in word) return word.pattern
    if ('comment' in word) return ''
    throw new ImportFault(`"${word.op}" is not part of a single command; put the URL in quotes`)
  })
}

/** Nothing is expanded: what a variable holds is not known here. */
function parsedWords(plain: string): ParseEntry[] {
  try {
    return parse(plain, (name) => `$${name}`)
  } catch (error) {
    throw new ImportFault(`a shell could not read this: ${error instanceof Error ? error.message : String(error)}`)
  }
}

function unescaped(text: string): string {
  const simple: Record<string, string> = { n: '\n', t: '\t', r: '\r', '0': '\0' }
  return text.replaceAll(
    /\\(?:u([0-9a-fA-F]{4})|x([0-9a-fA-F]{1,2})|(.))/gs,
    (_, unicode?: string, hex?: string, other?: string) => {
      const code = unicode ?? hex
      return code === undefined ? (simple[other ?? ''] ?? other ?? '') : String.fromCharCode(parseInt(code, 16))
    },
  )
}

interface Asked extends Omit<SeenRequest, 'url'> {
  url: string | undefined
  user: string | undefined
  cookies: string[]
  notes: string[]
  /** Options without a meaning for a load, as they were written. */
  dropped: string[]
}

function optionsOf(words: readonly string[]): Asked {
  const options = parseOptions([...words], {
    alias: mutable(FLAGS.alias),
    array: [...FLAGS.array],
    string: [...FLAGS.string, ...FLAGS.array, ...WITHOUT_MEANING],
    boolean: [...FLAGS.boolean],
    configuration: {
      'greedy-arrays': false,
      'camel-case-expansion': false,
      'dot-notation': false,
      'parse-numbers': false,
      'boolean-negation': false,
    },
  })
  const texts = (name: string): string[] => listOf(options[name])
  const text = (name: string): string | undefined => listOf(options[name]).at(-1)
  const notes: string[] = []
  const headers = texts('header').flatMap((header): [string, string][] => {
    const [, name = '', value = ''] = /^([^:;]+)[:;]\s*(.*)$/s.exec(header) ?? []
    return name === '' ? [] : [[name, value]]
  })
  for (const name of ['user-agent', 'referer']) {
    const value = text(name)
    if (value !== undefined) headers.push([name, value])
  }
  const isJson = texts('json').length > 0
  const encoded = texts('data-urlencode').map(encodedData)
  const data = [...texts('data').map((one) => dataOf(one, notes)), ...texts('data-raw'), ...encoded, ...texts('json')]
  const parts = texts('form').map((part): [string, string] => {
    const [, name = '', value = ''] = /^([^=]*)=(.*)$/s.exec(part) ?? []
    if (value.startsWith('@'))
      notes.push(
        `the part "${name}" sends the file ${value.slice(1)}: put the file into the repository and write { file: PATH } here`,
      )
    return [name, value]
  })
  const isGet = options['get'] === true
  const joined = data.join(isJson ? '' : '&')
  const hasBody = !isGet && (data.length > 0 || parts.length > 0)
  const given = headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1]
  const looksLikeJson = given === undefined && !isJson && encoded.length === 0 && /^\s*[{[]/.test(joined)
  if (looksLikeJson && parts.length === 0 && hasBody)
    notes.push('the body looks like JSON and is sent as JSON; curl would have sent it as a form')
  return {
    method: options['head'] === true ? 'HEAD' : (text('request')?.toUpperCase() ?? (hasBody ? 'POST' : 'GET')),
    url: withQuery(addressOf(text('url') ?? listOf(options._)[0]), isGet ? joined : ''),
    headers,
    body: hasBody ? bodyOf(joined, parts, given, isJson || looksLikeJson) : undefined,
    user: text('user'),
    cookies: texts('cookie'),
    notes,
    dropped: words.filter((word) => isDropped(word)),
  }
}

/** Whether a word is an option that this import knows and leaves out. */
function isDropped(word: string): boolean {
  const name = /^--?([A-Za-z][\w-]*)/.exec(word)?.[1]
  return name !== undefined && WITHOUT_MEANING.includes(word.startsWith('--') ? name : name.slice(0, 1))
}

function droppedOptions(dropped: readonly string[]): string[] {
  return dropped.length === 0
    ? []
    : [`left out, since they mean nothing for a load: ${[...new Set(dropped)].join(' ')}`]
}

function bodyOf(text: string, parts: [string, string][], given: string | undefined, isJson: boolean): Asked['body'] {
  if (parts.length > 0) return { type: 'multipart/form-data', text, fields: parts }
  return { type: given ?? (isJson ? 'application/json' : 'application/x-www-form-urlencoded'), text, fields: undefined }
}

function addressOf(written: string | undefined): string | undefined {
  return written === undefined || /^\w+:\/\//.test(written) ? written : `http://${written}`
}

function withQuery(url: string | undefined, query: string): string | undefined {
  return url === undefined || query === '' ? url : `${url}${url.includes('?') ? '&' : '?'}${query}`
}

function encodedData(data: string): string {
  const [, name = '', text = ''] = /^(?:([^=]*)=)?(.*)$/s.exec(data) ?? []
  return `${name === '' ? '' : `${name}=`}${encodeURIComponent(text)}`
}

/** What the parser of options gives: one value, several or none. */
function listOf(value: unknown): string[] {
  if (value === undefined) return []
  return (Array.isArray(value) ? value : [value]).map(String)
}

const mutable = (alias: Readonly<Record<string, readonly string[]>>): Record<string, string[]> =>
  Object.fromEntries(Object.entries(alias).map(([name, others]) => [name, [...others]]))

function dataOf(text: string, notes: string[]): string {
  if (!text.startsWith('@')) return text.replaceAll(/[\r\n]/g, '')
  notes.push(`the body is the file ${text.slice(1)}: put it into the repository and write file: PATH`)
  return ''
}
