// The makers of values, from nodes to the model.
import { isMap, type Node } from 'yaml'
import { nearestWord } from '../language/sentences.js'
import {
  offsetOf,
  placeOf,
  readEntries,
  readList,
  readPhrase,
  readScalar,
  readText,
  readWhole,
  scalarOf,
  type Field,
} from './fields.js'
import { checkValueName, readWord } from './context.js'
import type { Lasting, Maker, ValueMaker } from './model.js'
import { writtenText, type Source } from './source.js'
import { isZone } from '../values/dates.js'

const KINDS = ['whole', 'decimal', 'pick', 'list', 'date', 'uuid', 'pattern', 'text', 'normal']
/** Keys that may stand beside a maker. */
const COMPANIONS: Record<string, string[]> = {
  pick: ['weights'],
  list: ['take'],
  date: ['format', 'zone'],
}

export function readValues(source: Source, node: Node | null): ValueMaker[] {
  const values: ValueMaker[] = []
  for (const [name, field] of readEntries(source, node, 'values')) {
    checkValueName(source, field, name)
    const maker = readMaker(source, name, field)
    const per = isMap(field.value) ? readPer(source, field) : 'pass'
    if (maker !== undefined) values.push({ name, maker, per, at: placeOf(source, field.key) })
  }
  return values
}

function readPer(source: Source, field: Field): Lasting {
  const per = readEntries(source, field.value, 'a value').get('per')
  return readWord(source, per, 'per', ['use', 'pass', 'user', 'run']) ?? 'pass'
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
    if (key !== 'per' && COMPANIONS[kind ?? '']?.includes(key) !== true) {
      const meant = nearestWord(key, [...KINDS, ...Object.values(COMPANIONS).flat(), 'per'])
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
      return readPick(source, made, fields.get('weights'), what)
    case 'list':
      return readTurns(source, made, fields.get('take'), what)
    case 'date':
      return readDate(source, made, fields, what)
    case 'uuid': {
      const version = readWord(source, made, 'uuid', ['v4', 'v7'])
      return version === undefined ? undefined : { kind: 'uuid', version }
    }
    case 'pattern': {
      const pattern = readText(source, made, 'pattern')
      return pattern === undefined ? undefined : { kind: 'pattern', pattern }
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
  source.report(offsetOf(field.value), 'RANGE', 'a range runs from the smaller to the larger')
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
      `"${zone}" is no time zone such as Europe/Oslo, UTC or UTC+2`,
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

function readPick(source: Source, made: Field, weighted: Field | undefined, what: string): Maker | undefined {
  const options = readOptions(source, made, `${what}: pick`)
  const weights =
    weighted === undefined
      ? options.map(() => 1)
      : readList(source, weighted.value, 'weights').map((item) =>
          Number(readScalar(source, { key: made.key, value: item }, 'a weight')?.value),
        )
  if (options.length === 0) source.report(offsetOf(made.value), 'EMPTY', `${what} has nothing to pick from`)
  else if (
    weights.length !== options.length ||
    weights.some((weight) => !(weight >= 0)) ||
    !weights.some((weight) => weight > 0)
  ) {
    source.report(
      offsetOf(weighted?.value ?? null),
      'WEIGHTS',
      `weights must be ${String(options.length)} numbers, one for each option, not all 0`,
    )
  } else return { kind: 'pick', options, weights }
  return undefined
}
