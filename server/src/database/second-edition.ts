// Stored runs in the words of the second edition, and back: the migration that renames the columns uses it for the
// JSON in them. Numbers and texts of people are never touched.
import type { Json } from '@jolt-gate/core'

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
  return walk(json, '', { field: renamer(FIELDS, 0, 1), word: wordRenamer(0, 1), object: gatherPercentiles })
}

/** The way back. */
export function toFirstEdition(json: Json): Json {
  return walk(json, '', { field: renamer(FIELDS, 1, 0), word: wordRenamer(1, 0), object: spreadPercentiles })
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
    return [next, typeof value === 'string' ? renaming.word(next, value) : walk(value, next, renaming)]
  })
  return renaming.object(Object.fromEntries(fields))
}

/** Under these fields every name is the author's own. */
const OWN_NAMES = new Set(['labels', 'namespaces', 'document'])

function renamer(pairs: Pairs, from: 0 | 1, to: 0 | 1): Renaming['field'] {
  const names = new Map(pairs.map((pair) => [pair[from], pair[to]]))
  const weight = from === 0 ? ['share', 'weight'] : ['weight', 'share']
  return (name, parent) => {
    if (name === weight[0] && (parent === 'journeys' || parent === 'options')) return weight[1] ?? name
    return names.get(name) ?? name
  }
}

function wordRenamer(from: 0 | 1, to: 0 | 1): Renaming['word'] {
  return (name, word) => WORDS[name]?.find((pair) => pair[from] === word)?.[to] ?? word
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
