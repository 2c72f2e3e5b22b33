// Target files, `targets/NAME.target.yaml`.
import type { Node } from 'yaml'
import { fileTextAt, readWord, type FileReader } from './context.js'
import {
  offsetOf,
  readEntries,
  readFields,
  readList,
  readPhrase,
  readScalar,
  readSwitch,
  readText,
  scalarOf,
  type Field,
} from './fields.js'
import type { Problem } from './model.js'
import type { Permission, Metric, Target, Tls } from './target-model.js'
import { parseHours } from './permission.js'
import { openSource, problemsOf, writtenText, type Source } from './source.js'
import { readTextMap } from './texts.js'

export interface TargetReading {
  target: Target | undefined
  problems: Problem[]
}

/**
 * Reads a target file.
 *
 * @param file - its path, which gives the target its name
 * @param text - its content
 * @param files - certificates and keys that it names; undefined for those that are not there
 * @returns the target, unless a problem is an error, and all problems with their places
 */
export function readTarget(file: string, text: string, files: FileReader = () => undefined): TargetReading {
  const source = openSource(file, text)
  if (source.root === null) {
    if (source.problems.length === 0)
      source.report(0, 'EMPTY', 'the target file is empty: it needs an origin such as http://127.0.0.1:7710')
    return { target: undefined, problems: problemsOf(source) }
  }
  const fields = readFields(source, source.root, 'the target', 'target')
  const origin = readOrigin(source, fields.get('origin'))
  if (!fields.has('origin'))
    source.report(0, 'ORIGIN', 'the target has no origin: add one, such as origin: http://127.0.0.1:7710')
  const target: Target = {
    name: nameOfTargetFile(file),
    file,
    origin: origin ?? '',
    also: readList(source, fields.get('also')?.value ?? null, 'also').flatMap((item) => originOf(source, item) ?? []),
    values: readTextMap(source, fields.get('values')?.value ?? null, 'values'),
    headers: readTextMap(source, fields.get('headers')?.value ?? null, 'headers'),
    secrets: readSecrets(source, fields.get('secrets')),
    metrics: readMetrics(source, fields.get('metrics')),
    permission: readPermission(source, fields.get('permission')),
    traces: readTraces(source, fields.get('traces')),
    tls: readTls({ source, files }, fields.get('tls')),
    proxy: readProxy(source, fields.get('proxy')),
    localAddress: readText(source, fields.get('local address'), 'local address'),
  }
  readText(source, fields.get('about'), 'about')
  return { target: origin === undefined ? undefined : target, problems: problemsOf(source) }
}

/** A target that is nothing but an origin, as in `target: http://127.0.0.1:7710`; undefined when it is no origin. */
export function targetOfOrigin(text: string): Target | undefined {
  const origin = parseOrigin(text)
  return origin === undefined
    ? undefined
    : {
        name: origin,
        file: '',
        origin,
        also: [],
        values: [],
        headers: [],
        secrets: [],
        metrics: [],
        permission: undefined,
        traces: undefined,
        tls: undefined,
        proxy: undefined,
        localAddress: undefined,
      }
}

/** The path of a target's file, from the root of its repository. */
export const fileOfTarget = (name: string): string => `targets/${name}.target.yaml`
/** The name of a target, from the path of its file. */
export const nameOfTargetFile = (file: string): string => file.replace(/^.*\//, '').replace(/\.target\.yaml$/, '')

function parseOrigin(text: string): string | undefined {
  if (!/^https?:\/\/[^/]+\/?$/.test(text) || !URL.canParse(text)) return undefined
  const url = new URL(text)
  return url.username === '' && url.password === '' ? url.origin : undefined
}

function originOf(source: Source, node: Node): string | undefined {
  const scalar = scalarOf(source, node, 'an origin', offsetOf(node))
  if (scalar === undefined) return undefined
  const origin = parseOrigin(writtenText(scalar))
  if (origin === undefined)
    source.report(offsetOf(node), 'ORIGIN', `"${writtenText(scalar)}" is not an origin such as http://127.0.0.1:7710`)
  return origin
}

function readOrigin(source: Source, field: Field | undefined): string | undefined {
  const scalar = readScalar(source, field, 'origin')
  return scalar === undefined ? undefined : originOf(source, scalar)
}

function readSecrets(source: Source, field: Field | undefined): string[] {
  return readList(source, field?.value ?? null, 'secrets').flatMap((item) => {
    const scalar = scalarOf(source, item, 'a secret', offsetOf(item))
    if (scalar === undefined) return []
    const name = writtenText(scalar)
    if (/^[A-Za-z0-9_]+$/.test(name)) return [name]
    source.report(
      offsetOf(item),
      'NAME',
      `a secret's name may have letters, digits and _, found "${name}"; its value comes from JOLT_SECRET_NAME`,
    )
    return []
  })
}

/** What is read from the target, or beside it, each second. */
function readMetrics(source: Source, field: Field | undefined): Metric[] {
  return [...readEntries(source, field?.value ?? null, 'metrics')].flatMap(([name, entry]): Metric[] => {
    const what = `the metric "${name}"`
    const fields = readFields(source, entry.value, what, 'metric')
    const [url, family] = [readText(source, fields.get('url'), 'url'), readText(source, fields.get('family'), 'family')]
    if (url === undefined || family === undefined) {
      source.report(offsetOf(entry.key), 'METRIC', `${what} needs a url and a family of that page`)
      return []
    }
    if (!url.startsWith('/') && !URL.canParse(url)) {
      source.report(offsetOf(fields.get('url')?.value ?? null), 'URL', `"${url}" is neither a path nor a URL`)
      return []
    }
    const ceiling = Number(readText(source, fields.get('ceiling'), 'ceiling') ?? NaN)
    return [
      {
        name,
        url,
        family,
        labels: Object.fromEntries(readTextMap(source, fields.get('labels')?.value ?? null, 'labels')),
        as: readMetricKind(source, fields.get('as')),
        unit: readText(source, fields.get('unit'), 'unit') ?? '',
        ceiling: Number.isFinite(ceiling) ? ceiling : undefined,
      },
    ]
  })
}

function readMetricKind(source: Source, field: Field | undefined): Metric['as'] {
  const text = readText(source, field, 'as')
  const of = /^ratio of (\S+)$/.exec(text ?? '')?.[1]
  if (of !== undefined) return { kind: 'ratio', of }
  return { kind: readWord(source, field, 'as', ['value', 'rate']) ?? 'by type' }
}

function readPermission(source: Source, field: Field | undefined): Permission | undefined {
  if (field === undefined) return undefined
  const fields = readFields(source, field.value, 'permission', 'permission')
  const by = readText(source, fields.get('by'), 'by')
  const rate = fields.get('rate')
  const ratePerSecond = rate === undefined ? undefined : readPhrase(source, rate.value, 'RateOnly', 'rate')
  const hours = readText(source, fields.get('hours'), 'hours')
  const wrong = hours === undefined ? undefined : parseHours(hours)
  if (typeof wrong === 'string')
    source.report(
      offsetOf(fields.get('hours')?.value ?? null),
      'HOURS',
      `hours must be such as Mon to Fri 06:00 to 18:00 (UTC), comma-separated; found "${wrong}"`,
    )
  const until = readText(source, fields.get('until'), 'until')
  if (until !== undefined && !/^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$/.test(until))
    source.report(
      offsetOf(fields.get('until')?.value ?? null),
      'DATE',
      `until must be a date such as 2026-12-31, found "${until}"`,
    )
  const missing = Object.entries({ by, rate, until }).flatMap(([name, value]) => (value === undefined ? [name] : []))
  if (missing.length > 0)
    source.report(
      offsetOf(field.key),
      'PERMISSION',
      `a permission says who gives it, the highest rate and the last day: add ${missing.join(' and ')}`,
    )
  return by === undefined || ratePerSecond === undefined || until === undefined
    ? undefined
    : { by, ratePerSecond, hours, until }
}

function readTls(context: { source: Source; files: FileReader }, field: Field | undefined): Tls | undefined {
  if (field === undefined) return undefined
  const { source } = context
  const fields = readFields(source, field.value, 'tls', 'tls')
  const pem = (key: string): string | undefined => {
    const path = readText(source, fields.get(key), key)
    return path === undefined ? undefined : fileTextAt(context, offsetOf(fields.get(key)?.value ?? null), path)
  }
  return {
    ca: pem('ca'),
    cert: pem('cert'),
    key: pem('key'),
    verify: readSwitch(source, fields.get('verify'), 'verify') ?? true,
  }
}

function readTraces(source: Source, field: Field | undefined): string | undefined {
  const text = readText(source, field, 'traces')
  if (text === undefined || field === undefined) return undefined
  const filled = text.replace('{trace}', '0')
  if (filled !== text && URL.canParse(filled) && /^https?:$/.test(new URL(filled).protocol)) return text
  source.report(
    offsetOf(field.value),
    'TRACES',
    `"${text}" is not an address with {trace} in it, such as https://traces.example/{trace}`,
  )
  return undefined
}

function readProxy(source: Source, field: Field | undefined): string | undefined {
  const text = readText(source, field, 'proxy')
  if (text === undefined || field === undefined) return undefined
  if (URL.canParse(text) && /^https?:$/.test(new URL(text).protocol)) return text
  source.report(offsetOf(field.value), 'PROXY', `"${text}" is not a proxy such as http://127.0.0.1:3128`)
  return undefined
}
