// The makers of values, from nodes to the model.
import { isMap, type Node } from 'yaml'
import { nearestWord } from '../language/sentences.js'
import {
  offsetOf,
  placeOf,
  readEntries,
  readList,
  readPhrase,
  readText,
  readWhole,
  scalarOf,
  type Field,
} from './fields.js'
import { checkValueName, readWord } from './context.js'
import type { Lasting, Maker, ValueMaker } from './model.js'
import { writtenText, type Source } from './source.js'
import { isZone } from '../language/dates.js'
import { patternFault } from '../language/patterns.js'

const KINDS = ['whole', 'decimal', 'pick', 'list', 'date', 'uuid', 'pattern', 'text', 'normal']
/** Keys that may stand beside a maker. */
const COMPANIONS: Record<string, string[]> = {
  list: ['take'],
  date: ['format', 'zone'],
}

export function readValues(source: Source, node: Node | null): ValueMaker[] {
  const values: ValueMaker[] = []
  for (const [name, field] of readEntries(source, node, 'values')) {
    checkValueName(source, field, name)
    const maker = readMaker(source, name, field)
    const lasts = isMap(field.value) ? readLasts(source, field) : 'iteration'
    if (maker !== undefined) values.push({ name, maker, lasts, at: placeOf(source, field.key) })
  }
  return values
}

function readLasts(source: Source, field: Field): Lasting {
  const lasts = readEntries(source, field.value, 'a value').get('lasts')
  return readWord(source, lasts, 'lasts', ['use', 'iteration', 'user', 'run']) ?? 'iteration'
}

function readMaker(source: Source, name: string, field: Field): Maker | undefined {
  if (!isMap(field.value)) {
    const text = readText(source, field, `the value ${name}`)
    return text === undefined ? undefined : { kind: 'constant', text }
  }
  const what = `the value ${name}`
  const fields = readEntries(source, field.value, what)
  const kind = [...fields.keys()].find((key) => KINDS.includes(key))
  for (const [key, entry] of fields) {
    if (key === kind) continue
    if (key !== 'lasts' && COMPANIONS[kind ?? '']?.includes(key) !== true) {
      const meant = nearestWord(key, [...KINDS, ...Object.values(COMPANIONS).flat(), 'lasts'])
      const trap = entry.value === null ? `. To use another value, write "{${key}}" in quotes` : ''
      source.report(
        offsetOf(entry.key),
        'UNKNOWN_KEY',
        `${what} has no "${key}". ${meant === undefined ? `Makers are ${KINDS.join(', ')}` : `Did you mean "${meant}"?`}${trap}`,
      )
    }
  }
  const made = kind === undefined ? undefined : fields.get(kind)
  return made === undefined || kind === undefined ? undefined : makerOf(source, kind, made, fields, what)
}

function makerOf(
  source: Source,
  kind: string,
  made: Field,
  fields: Map<string, Field>,
  what: string,
): Maker | undefined {
  switch (kind) {
    case 'whole': {
      const range = readPhrase(source, made.value, 'WholeRange', what)
      return range === undefined ? undefined : ordered(source, made, range) && { kind: 'whole', ...range }
    }
    case 'decimal': {
      const range = readPhrase(source, made.value, 'DecimalRange', what)
      return range === undefined ? undefined : ordered(source, made, range) && { kind: 'decimal', ...range }
    }
    case 'pick':
      return readPick(source, made, what)
    case 'list':
      return readTurns(source, made, fields.get('take'), what)
    case 'date':
      return readDate(source, made, fields, what)
    case 'uuid': {
      const version = readWord(source, made, 'uuid', ['v4', 'v7'])
      return version === undefined ? undefined : { kind: 'uuid', version }
    }
    case 'pattern': {
      return readPattern(source, made)
    }
    case 'text': {
      const length = readWhole(source, made, 'text', 1)
      return length === undefined ? undefined : { kind: 'text', length: Math.min(length, 10_000) }
    }
    case 'normal': {
      const spread = readPhrase(source, made.value, 'NormalSpread', what)
      return spread === undefined ? undefined : { kind: 'normal', ...spread }
    }
    default:
      return undefined
  }
}

function ordered(source: Source, field: Field, range: { from: number; to: number }): undefined | true {
  if (range.from <= range.to) return true
  source.report(offsetOf(field.value), 'RANGE', 'a range must go from the smaller to the larger number')
  return undefined
}

function readDate(source: Source, made: Field, fields: Map<string, Field>, what: string): Maker | undefined {
  const days = readPhrase(source, made.value, 'DateOffset', what)
  const format = readText(source, fields.get('format'), 'format')
  const zone = readText(source, fields.get('zone'), 'zone')
  if (zone !== undefined && !isZone(zone)) {
    source.report(
      offsetOf(fields.get('zone')?.value ?? null),
      'ZONE',
      `"${zone}" is not a time zone such as Europe/Oslo, UTC or UTC+2`,
    )
    return undefined
  }
  return days === undefined ? undefined : { kind: 'date', days, format, zone }
}

/** A list in turn, or one that is drawn from: then it is a pick without weights. */
function readTurns(source: Source, made: Field, take: Field | undefined, what: string): Maker | undefined {
  const options = readOptions(source, made, `${what}: list`)
  const way = readWord(source, take, 'take', ['in turn', 'at random']) ?? 'in turn'
  if (options.length === 0) {
    source.report(offsetOf(made.value), 'EMPTY', `${what} has nothing to take`)
    return undefined
  }
  return way === 'in turn' ? { kind: 'list', options } : { kind: 'pick', options, weights: options.map(() => 1) }
}

function readOptions(source: Source, made: Field, what: string): string[] {
  return readList(source, made.value, what).flatMap((item) => {
    const scalar = scalarOf(source, item, what, offsetOf(item))
    return scalar === undefined ? [] : [writtenText(scalar)]
  })
}

/** A list picks evenly; a map gives each option its weight. */
function readPick(source: Source, made: Field, what: string): Maker | undefined {
  if (!isMap(made.value)) {
    const options = readOptions(source, made, `${what}: pick`)
    if (options.length > 0) return { kind: 'pick', options, weights: options.map(() => 1) }
    source.report(offsetOf(made.value), 'EMPTY', `${what} has nothing to pick from`)
    return undefined
  }
  const weighted = [...readEntries(source, made.value, `${what}: pick`)].map(([option, field]) => ({
    option,
    weight: readWeight(source, field, option),
  }))
  if (weighted.some(({ weight }) => weight === undefined)) return undefined
  const weights = weighted.map(({ weight }) => weight ?? 0)
  if (weights.some((weight) => weight > 0))
    return { kind: 'pick', options: weighted.map(({ option }) => option), weights }
  source.report(offsetOf(made.value), 'WEIGHTS', `${what}: at least one weight must be above 0`)
  return undefined
}

function readWeight(source: Source, field: Field, option: string): number | undefined {
  const text = readText(source, field, `the weight of "${option}"`)
  if (text === undefined || /^\d+(\.\d+)?$/.test(text)) return text === undefined ? undefined : Number(text)
  source.report(
    offsetOf(field.value),
    'WEIGHTS',
    `the weight of "${option}" must be a number of at least 0, found "${text}"`,
  )
  return undefined
}

function readPattern(source: Source, made: Field): Maker | undefined {
  const pattern = readText(source, made, 'pattern')
  if (pattern === undefined) return undefined
  const fault = patternFault(pattern)
  if (fault === undefined) return { kind: 'pattern', pattern }
  source.report(offsetOf(made.value), 'PATTERN', `"${pattern}" is not a pattern that can be made: ${fault}`)
  return undefined
}
