// A command line of curl, split as a POSIX shell would.
import { parse } from 'shell-quote'
import { newDraft, writeDraft, type Imported } from './draft.js'
import { ImportFault } from './fault.js'
import { secret, stepOfRequest, type SeenRequest } from './request.js'
import { httpUrl } from './url.js'

const MOST_CHARACTERS = 200_000
/** Options that take a value and mean nothing for a load. */
const IGNORED_WITH_VALUE = ['-o', '--output', '-m', '--max-time', '--connect-timeout', '-w', '--write-out', '-c', '--cookie-jar', '--cacert', '--cert', '--key', '--resolve', '--retry', '--limit-rate', '-x', '--proxy', '-D', '--dump-header', '--interface', '--max-redirs'] // prettier-ignore

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
  if (asked.cookies.length > 0) step.headers['cookie'] = asked.cookies.join('; ')
  step.checks.push('status is 2xx')
  draft.journeys.push({ name: 'visit', steps: [step] })
  draft.notes.push(...asked.notes)
  return writeDraft(draft)
}

/**
 * The words of a command line.
 *
 * Quoting as in POSIX.1-2017, Shell Command Language, 2.2; `$'..'` as in POSIX.1-2024, since browsers copy it.
 */
export function shellWords(line: string): string[] {
  if (line.length > MOST_CHARACTERS) throw new ImportFault('the command line is longer than 200 000 characters')
  const plain = line.trim().replaceAll(/\\\r?\n/g, ' ').replaceAll(/\$'((?:[^'\\]|\\.)*)'/gs, (_, inner: string) => `'${unescaped(inner).replaceAll("'", String.raw`'\''`)}'`) // prettier-ignore
  // Nothing is expanded: what a variable holds is not known here.
  return parse(plain, (name) => `$${name}`).map((word) => {
    if (typeof word === 'string') return word
    if ('pattern' in word) return word.pattern
    if ('comment' in word) return ''
    throw new ImportFault(`"${word.op}" is not part of a single command; put the URL in quotes`)
  })
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
}

function optionsOf(words: readonly string[]): Asked {
  const headers: [string, string][] = []
  const [data, cookies, notes]: [string[], string[], string[]] = [[], [], []]
  const parts: [string, string][] = []
  let [method, url, user]: (string | undefined)[] = []
  let [isGet, isJson, isEncoded] = [false, false, false]
  const rest = words.flatMap((word) => {
    const [, option, value] = /^(--[a-z-]+)=(.*)$/s.exec(word) ?? []
    const [, short, joined] = /^(-[XHdFubAem])(.+)$/s.exec(word) ?? []
    return option !== undefined ? [option, value ?? ''] : short !== undefined ? [short, joined ?? ''] : [word]
  })
  for (let index = 0; index < rest.length; index++) {
    const word = rest[index] ?? ''
    const value = () => rest[++index] ?? ''
    switch (word) {
      case '-X': case '--request': method = value().toUpperCase(); break
      case '-H': case '--header': {
        const [, name = '', text = ''] = /^([^:;]+)[:;]\s*(.*)$/s.exec(value()) ?? []
        if (name !== '') headers.push([name, text])
        break
      }
      case '-d': case '--data': case '--data-ascii': data.push(dataOf(value(), notes)); break
      case '--data-raw': case '--data-binary': data.push(value()); break
      case '--data-urlencode': {
        const [, name = '', text = ''] = /^(?:([^=]*)=)?(.*)$/s.exec(value()) ?? []
        data.push(`${name === '' ? '' : `${name}=`}${encodeURIComponent(text)}`)
        isEncoded = true
        break
      }
      case '--json': data.push(value()); isJson = true; break
      case '-F': case '--form': case '--form-string': {
        const [, name = '', text = ''] = /^([^=]*)=(.*)$/s.exec(value()) ?? []
        if (text.startsWith('@')) notes.push(`the part "${name}" sends the file ${text.slice(1)}: put the file into the repository and write { file: PATH } here`)
        parts.push([name, text])
        break
      }
      case '-u': case '--user': user = value(); break
      case '-A': case '--user-agent': headers.push(['user-agent', value()]); break
      case '-e': case '--referer': headers.push(['referer', value()]); break
      case '-b': case '--cookie': cookies.push(value()); break
      case '-G': case '--get': isGet = true; break
      case '-I': case '--head': method = 'HEAD'; break
      case '--url': url = value(); break
      default:
        if (IGNORED_WITH_VALUE.includes(word)) value()
        else if (!word.startsWith('-') && word !== '') url ??= /^\w+:\/\//.test(word) ? word : `http://${word}`
    }
  } // prettier-ignore
  const text = data.join(isJson ? '' : '&')
  if (isGet && url !== undefined && text !== '') url += `${url.includes('?') ? '&' : '?'}${text}`
  const hasBody = !isGet && (data.length > 0 || parts.length > 0)
  const given = headers.find(([name]) => name.toLowerCase() === 'content-type')?.[1]
  const type =
    parts.length > 0
      ? 'multipart/form-data'
      : (given ?? (isJson ? 'application/json' : 'application/x-www-form-urlencoded'))
  const looksLikeJson = given === undefined && !isJson && !isEncoded && /^\s*[{[]/.test(text)
  if (looksLikeJson) notes.push('the body looks like JSON and is sent as JSON; curl would have sent it as a form')
  return {
    method: method ?? (hasBody ? 'POST' : 'GET'),
    url,
    headers,
    body: hasBody
      ? { type: looksLikeJson ? 'application/json' : type, text, fields: parts.length > 0 ? parts : undefined }
      : undefined,
    user,
    cookies,
    notes,
  }
}

function dataOf(text: string, notes: string[]): string {
  if (!text.startsWith('@')) return text.replaceAll(/[\r\n]/g, '')
  notes.push(`the body is the file ${text.slice(1)}: put it into the repository and write file: PATH`)
  return ''
}
