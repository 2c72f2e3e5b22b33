// Stored runs in the words of the second edition, and back: the migration that renames the columns uses it for the
// JSON in them. Numbers and texts of people are never touched.
import { parseJson, readSentence, renewGate, type Json } from '@jolt-gate/core'

type Pairs = readonly (readonly [first: string, second: string])[]

/** Names of fields in stored plans, shapes and results. */
const FIELDS: Pairs = [
  ['turnedAway', 'capped'],
  ['probes', 'metrics'],
  ['passes', 'iterations'],
  ['sign', 'auth'],
  ['close', 'borderline'],
  ['per', 'lasts'],
]
/** Words that stand as the value of a field. */
const WORDS: Readonly<Record<string, Pairs>> = {
  kind: [
    ['passes', 'iterations'],
    ['together', 'parallel'],
    ['turned away', 'capped arrivals'],
    ['probe', 'metric'],
    ['name', 'dns'],
  ],
  onFailure: [
    ['go on', 'continue'],
    ['end pass', 'end iteration'],
  ],
  lasts: [['pass', 'iteration']],
}
/** Percentiles of a distribution, which stand in a map of their own since the second edition. */
const PERCENTILES: Pairs = [
  ['p50', '50'],
  ['p75', '75'],
  ['p90', '90'],
  ['p95', '95'],
  ['p99', '99'],
  ['p999', '99.9'],
]

/** A stored plan, shape or result of the first edition in the words of the second. */
export function toSecondEdition(json: Json): Json {
  return walk(json, '', {
    field: renamer(FIELDS, 0, 1),
    word: wordRenamer(0, 1),
    object: (fields) => readAnew(gatherPercentiles(fields)),
  })
}

/** The way back. */
export function toFirstEdition(json: Json): Json {
  return walk(json, '', {
    field: renamer(FIELDS, 1, 0),
    word: wordRenamer(1, 0),
    object: (fields) => outdated(spreadPercentiles(fields)),
  })
}

interface Renaming {
  field: (name: string, parent: string) => string
  word: (name: string, word: string) => string
  object: (fields: Record<string, Json>) => Record<string, Json>
}

function walk(json: Json, parent: string, renaming: Renaming): Json {
  if (json === null || typeof json !== 'object') return json
  if (Array.isArray(json)) return json.map((item) => walk(item, parent, renaming))
  const fields = Object.entries(json).map(([name, value]): [string, Json] => {
    const next = renaming.field(name, parent)
    // What people and responses named is theirs.
    if (OWN_NAMES.has(name)) return [next, value]
    return [
      next,
      typeof value === 'string' ? renaming.word(next in WORDS ? next : name, value) : walk(value, next, renaming),
    ]
  })
  return renaming.object(Object.fromEntries(fields))
}

/** Under these fields every name is the author's own. */
const OWN_NAMES = new Set(['labels', 'namespaces', 'document'])

function renamer(pairs: Pairs, from: 0 | 1, to: 0 | 1): Renaming['field'] {
  const names = new Map(pairs.map((pair) => [pair[from], pair[to]]))
  const time = from === 0 ? ['name', 'dns'] : ['dns', 'name']
  const weight = from === 0 ? ['share', 'weight'] : ['weight', 'share']
  return (name, parent) => {
    if (parent === 'timing' && name === time[0]) return time[1] ?? name
    if (name === weight[0] && (parent === 'journeys' || parent === 'options')) return weight[1] ?? name
    return names.get(name) ?? name
  }
}

function wordRenamer(from: 0 | 1, to: 0 | 1): Renaming['word'] {
  return (name, word) => WORDS[name]?.find((pair) => pair[from] === word)?.[to] ?? word
}

/** A gate's sentence in today's words, with the places of its parts, which gates hold since the second edition. */
function readAnew(fields: Record<string, Json>): Record<string, Json> {
  const renewed = mapSentences(fields, renewGate)
  if (!('comparison' in renewed) || typeof renewed['written'] !== 'string') return renewed
  const parsed = readSentence('Gate', renewed['written'])
  return parsed.ok ? { ...renewed, spans: parseJson(JSON.stringify(parsed.value.spans)) ?? null } : renewed
}

function outdated(fields: Record<string, Json>): Record<string, Json> {
  const { spans, ...rest } = mapSentences(fields, outdatedGate)
  return spans === undefined || !('comparison' in rest) ? { ...rest, ...(spans === undefined ? {} : { spans }) } : rest
}

/** A gate's sentence in the words of the first edition. */
export function outdatedGate(sentence: string): string {
  return sentence.replace(/^capped arrivals\b/, 'turned away').replace(/^(\S+ )metric(?= ")/, '$1probe')
}

/** Gates of a plan and of a result hold their sentences in these fields. */
function mapSentences(fields: Record<string, Json>, map: (sentence: string) => string): Record<string, Json> {
  if (typeof fields['rule'] !== 'string') return fields
  const { written } = fields
  return { ...fields, rule: map(fields['rule']), ...(typeof written === 'string' ? { written: map(written) } : {}) }
}

function gatherPercentiles(fields: Record<string, Json>): Record<string, Json> {
  if (!('count' in fields && 'p999' in fields)) return fields
  const names = new Map(PERCENTILES)
  const kept = Object.entries(fields).filter(([name]) => !names.has(name))
  return {
    ...Object.fromEntries(kept),
    percentiles: Object.fromEntries(PERCENTILES.map(([first, second]) => [second, fields[first] ?? null])),
  }
}

function spreadPercentiles(fields: Record<string, Json>): Record<string, Json> {
  const { percentiles } = fields
  if (
    percentiles === undefined ||
    percentiles === null ||
    typeof percentiles !== 'object' ||
    Array.isArray(percentiles)
  )
    return fields
  const kept = Object.entries(fields).filter(([name]) => name !== 'percentiles')
  return {
    ...Object.fromEntries(kept),
    ...Object.fromEntries(PERCENTILES.map(([first, second]) => [first, percentiles[second] ?? null])),
  }
}
