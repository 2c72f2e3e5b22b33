// OpenMetrics text (version 1.0, which reads the older Prometheus text too, as far as samples go).

export interface MetricSample {
  name: string
  labels: Record<string, string>
  value: number
}
export interface MetricPage {
  /** Type of each family, as its TYPE line says. */
  types: Map<string, string>
  samples: MetricSample[]
}
export type MetricPageReading = { ok: true; page: MetricPage } | { ok: false; line: number; message: string }

/** The largest page of metrics. */
export const MOST_PAGE_CHARACTERS = 8_000_000
const NAME = /[a-zA-Z_:][a-zA-Z0-9_:]*/y
const LABEL = /\s*([a-zA-Z_][a-zA-Z0-9_]*)\s*=\s*"((?:[^"\\\n]|\\.)*)"\s*(,?)/y
/** A value, perhaps a timestamp, perhaps an exemplar, which is left alone. */
const REST = /^\s+(\S+)(?:\s+(-?[0-9.eE+-]+))?(?:\s+#\s.*)?\s*$/

/** Reads a page; the first line that is not OpenMetrics is reported. */
export function parseMetricPage(text: string): MetricPageReading {
  if (text.length > MOST_PAGE_CHARACTERS) return fault(1, 'the page is larger than 8 MB')
  const page: MetricPage = { types: new Map(), samples: [] }
  let number = 0
  for (const line of text.split('\n')) {
    number++
    if (line === '# EOF') break
    if (line.trim() === '') continue
    if (line.startsWith('#')) {
      const [, name, type] = /^#\s+TYPE\s+(\S+)\s+(\S+)/.exec(line) ?? []
      if (name !== undefined && type !== undefined) page.types.set(name, type)
      continue
    }
    const sample = readSample(line)
    if (typeof sample === 'string') return fault(number, sample)
    page.samples.push(sample)
  }
  return { ok: true, page }
}

function readSample(line: string): MetricSample | string {
  NAME.lastIndex = 0
  const name = NAME.exec(line)?.[0]
  if (name === undefined) return 'a sample begins with the name of a metric'
  let at = name.length
  const labels: Record<string, string> = {}
  if (line[at] === '{') {
    at++
    for (;;) {
      LABEL.lastIndex = at
      const label = LABEL.exec(line)
      if (label === null) break
      labels[label[1] ?? ''] = unescaped(label[2] ?? '')
      at = LABEL.lastIndex
      if (label[3] === '') break
    }
    const close = /^\s*\}/.exec(line.slice(at))
    if (close === null) return 'the labels of this sample do not end'
    at += close[0].length
  }
  const value = numberOf(REST.exec(line.slice(at))?.[1])
  return value === undefined ? 'this sample has no number after its name' : { name, labels, value }
}

function unescaped(text: string): string {
  return text.replaceAll(/\\(.)/g, (_, char: string) => (char === 'n' ? '\n' : char))
}

function numberOf(text: string | undefined): number | undefined {
  if (text === undefined) return undefined
  if (/^\+?inf(inity)?$/i.test(text)) return Infinity
  if (/^-inf(inity)?$/i.test(text)) return -Infinity
  if (/^nan$/i.test(text)) return NaN
  return /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/.test(text) ? Number(text) : undefined
}

/**
 * The value of a family over all samples whose labels agree, added up.
 *
 * @returns undefined when no sample agrees; `isCounter` when the family only grows
 */
export function familyValue(
  page: MetricPage,
  family: string,
  labels: Readonly<Record<string, string>>,
): { value: number; isCounter: boolean } | undefined {
  const wanted = Object.entries(labels)
  const names = new Set([family, `${family}_total`])
  const agreeing = page.samples.filter(
    (sample) => names.has(sample.name) && wanted.every(([name, value]) => sample.labels[name] === value),
  )
  if (agreeing.length === 0) return undefined
  const base = family.replace(/_total$/, '')
  const type = page.types.get(base) ?? page.types.get(family)
  return {
    value: agreeing.reduce((sum, sample) => sum + sample.value, 0),
    isCounter: type === undefined ? family.endsWith('_total') : type === 'counter',
  }
}

/** Names by which the families of a page may be asked for: those of its samples, and those that have none yet. */
export function familiesOf({ types, samples }: MetricPage): string[] {
  const named = samples.flatMap(({ name }) => [name, name.replace(/_total$/, '')])
  return [...new Set([...types.keys(), ...named])]
}

const fault = (line: number, message: string): MetricPageReading => ({ ok: false, line, message })
