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
/** What each option of curl is called here; those of `array` and `string` take a value. */
const FLAGS = {
  alias: {
    request: ['X'],
    header: ['H'],
    data: ['d', 'data-ascii'],
    form: ['F', 'form-string'],
    user: ['u'],
    'user-agent': ['A'],
    referer: ['e'],
    cookie: ['b'],
    range: ['r'],
    'upload-file': ['T'],
    get: ['G'],
    head: ['I'],
  },
  array: ['header', 'data', 'data-raw', 'data-binary', 'data-urlencode', 'json', 'form', 'cookie', 'url-query'],
  string: ['request', 'user', 'user-agent', 'referer', 'url', 'oauth2-bearer', 'range', 'upload-file'],
  boolean: ['get', 'head'],
} as const
/** Options that mean nothing for a load: without a value, and with one. */
const PLAIN_FLAGS =
  'L location k insecure s silent S show-error v verbose f fail fail-with-body i include compressed N no-buffer g globoff # progress-bar no-progress-meter q disable Z parallel path-as-is basic http1.0 0 http1.1 http2 http2-prior-knowledge http3 http3-only tlsv1 1 tlsv1.0 tlsv1.1 tlsv1.2 tlsv1.3 ssl ssl-reqd ipv4 4 ipv6 6 no-keepalive no-alpn tcp-nodelay tcp-fastopen create-dirs O remote-name remote-name-all J remote-header-name R remote-time raw tr-encoding location-trusted post301 post302 post303 retry-all-errors retry-connrefused styled-output no-sessionid junk-session-cookies j suppress-connect-headers'.split(
    ' ',
  )
const VALUED_FLAGS =
  'o output output-dir m max-time connect-timeout w write-out c cookie-jar cacert capath cert E cert-type key key-type pass ciphers tls13-ciphers curves resolve connect-to retry retry-delay retry-max-time limit-rate rate x proxy U proxy-user proxy-header preproxy socks4 socks4a socks5 socks5-hostname noproxy D dump-header interface local-port max-redirs max-filesize keepalive-time y speed-time Y speed-limit C continue-at K config trace trace-ascii stderr dns-servers doh-url unix-socket abstract-unix-socket tls-max z time-cond proto proto-redir happy-eyeballs-timeout-ms pinnedpubkey crlfile engine variable'.split(
    ' ',
  )
/** Options that mean something which is not made here: without a value, and with one. */
const UNMADE_FLAGS =
  'digest ntlm negotiate anyauth n netrc netrc-optional proxy-digest proxy-ntlm haproxy-protocol'.split(' ')
const UNMADE_VALUED = 'aws-sigv4 netrc-file request-target delegation service-name expand-data expand-header'.split(' ')
const NEXT = ['--next', '-:']

/**
 * Makes a draft of one request.
 *
 * @param line - a command line of curl, as a shell reads it
 * @param name - of the plan; by default from the address
 * @throws ImportFault for what is no such line
 */
export function importCurl(line: string, name = ''): Imported {
  const words = shellWords(line)
  if (words[0] !== 'curl') throw new ImportFault('the command line must start with curl')
  const [own, further] = partedAtNext(words.slice(1))
  const asked = optionsOf(own)
  const url = httpUrl(asked.url ?? '', 'curl')
  const draft = newDraft(name || (url.pathname === '/' ? url.hostname : decodeURI(url.pathname).slice(1)), url.origin)
  const step = stepOfRequest({ ...asked, url }, draft)
  if (asked.user !== undefined) {
    const [user = '', ...password] = asked.user.split(':')
    step.auth = { basic: [secret(draft, 'user', user), secret(draft, 'password', password.join(':'))] }
  }
  if (asked.bearer !== undefined) step.auth = { bearer: escapeBraces(asked.bearer) }
  if (asked.cookies.length > 0) step.headers['cookie'] = escapeBraces(asked.cookies.join('; '))
  step.checks.push('status is 2xx')
  draft.journeys.push({ name: 'visit', steps: [step] })
  draft.notes.push(...asked.notes, ...droppedOptions(own))
  if (further > 0)
    draft.notes.push(
      `left out: ${further === 1 ? 'the request' : `${String(further)} requests`} after --next; import each by itself`,
    )
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
  bearer: string | undefined
  cookies: string[]
  notes: string[]
}

/** The words of the first request, and how many requests follow it. */
function partedAtNext(words: readonly string[]): [own: string[], further: number] {
  const first = words.findIndex((word) => NEXT.includes(word))
  if (first < 0) return [[...words], 0]
  return [words.slice(0, first), words.filter((word) => NEXT.includes(word)).length]
}

// eslint-disable-next-line max-lines-per-function -- one option after another
function optionsOf(words: readonly string[]): Asked {
  const options = parseOptions([...words], {
    alias: mutable(FLAGS.alias),
    array: [...FLAGS.array],
    string: [...FLAGS.string, ...FLAGS.array, ...VALUED_FLAGS, ...UNMADE_VALUED],
    boolean: [...FLAGS.boolean, ...PLAIN_FLAGS, ...UNMADE_FLAGS],
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
  const range = text('range')
  if (range !== undefined) headers.push(['range', `bytes=${range}`])
  const isJson = texts('json').length > 0
  const encoded = texts('data-urlencode').map((one) => encodedData(one, notes))
  const data = [
    ...texts('data').map((one) => dataOf(one, notes).replaceAll(/[\r\n]/g, '')),
    ...texts('data-raw'),
    ...texts('data-binary').map((one) => dataOf(one, notes)),
    ...encoded,
    ...texts('json').map((one) => dataOf(one, notes)),
  ]
  const upload = text('upload-file')
  if (upload !== undefined) notes.push(fileNote(upload))
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
  const usual = upload === undefined ? (hasBody ? 'POST' : 'GET') : 'PUT'
  const given = headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1]
  const looksLikeJson = given === undefined && !isJson && encoded.length === 0 && /^\s*[{[]/.test(joined)
  if (looksLikeJson && parts.length === 0 && hasBody)
    notes.push('the body looks like JSON and is sent as JSON; curl would have sent it as a form')
  return {
    method: options['head'] === true ? 'HEAD' : (text('request')?.toUpperCase() ?? usual),
    url: withQuery(
      addressOf(text('url') ?? listOf(options._)[0]),
      [...texts('url-query').map((one) => encodedData(one, notes)), ...(isGet && joined !== '' ? [joined] : [])].join(
        '&',
      ),
    ),
    headers,
    body: hasBody ? bodyOf(joined, parts, given, isJson || looksLikeJson) : undefined,
    user: text('user'),
    bearer: text('oauth2-bearer'),
    cookies: texts('cookie'),
    notes,
  }
}

/** Names every option that is left out: those that mean nothing for a load, those that do, and those not known. */
function droppedOptions(words: readonly string[]): string[] {
  const options = [...new Set(words.filter((word) => /^--?[^\s-]/.test(word)))].map((word) => ({
    word,
    name: nameOf(word),
  }))
  const made: readonly string[] = [
    ...FLAGS.array,
    ...FLAGS.string,
    ...FLAGS.boolean,
    ...Object.values(FLAGS.alias).flat(),
  ]
  const without = options.filter(({ name }) => VALUED_FLAGS.includes(name))
  const unmade = options.filter(({ name }) => [...UNMADE_FLAGS, ...UNMADE_VALUED].includes(name))
  const known = [...made, ...PLAIN_FLAGS, ...VALUED_FLAGS, ...UNMADE_FLAGS, ...UNMADE_VALUED]
  const unknown = options.filter(({ name }) => !known.includes(name))
  const listed = (some: typeof options) => some.map(({ word }) => word.split('=')[0] ?? '').join(' ')
  return [
    ...(without.length === 0 ? [] : [`left out, since they mean nothing for a load: ${listed(without)}`]),
    ...(unmade.length === 0 ? [] : [`left out, and the target may answer otherwise: ${listed(unmade)}`]),
    ...(unknown.length === 0 ? [] : [`left out, since they are not known: ${listed(unknown)}`]),
  ]
}

/** The name of an option: of several letters in one word, the first. */
const nameOf = (word: string): string =>
  word.startsWith('--') ? (word.slice(2).split('=')[0] ?? '') : word.slice(1, 2)

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

function encodedData(data: string, notes: string[]): string {
  const [, named, file] = /^([^=@]*)@(.+)$/s.exec(data) ?? []
  if (file !== undefined) {
    notes.push(fileNote(file))
    return named === undefined || named === '' ? '' : `${named}=`
  }
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
  if (!text.startsWith('@')) return text
  notes.push(fileNote(text.slice(1)))
  return ''
}

const fileNote = (file: string): string =>
  `the body is the file ${file}: put it into the repository and write file: PATH`
