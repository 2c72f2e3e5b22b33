// The gates of a plan: each a sentence, held against what can be measured and what the plan names.
import { isMap, isScalar, type Node } from 'yaml'
import { nearestWord, type GateSentence, type Unit } from '../language/sentences.js'
import { fixOf, offsetOf, placeOf, readFields, readPhrase, readList, type Field } from './fields.js'
import { renewGate, renewStop } from './first-edition.js'
import type { Gate, StopRule } from './model.js'
import { writtenText, type Source } from './source.js'

export type MeasureFamily =
  'time' | 'busy share' | 'metric' | 'share or count' | 'count' | 'rate' | 'byte rate' | 'score'

interface MeasureRules {
  family: MeasureFamily
  /** What `of` may name. */
  of: 'steps' | 'groups' | 'nothing'
  /** Whether it can be counted for one journey alone. */
  byJourney: boolean
}

const rules = (family: MeasureFamily, of: MeasureRules['of'], byJourney: boolean): MeasureRules => ({
  family,
  of,
  byJourney,
})

/** How each measure is judged, and by what it can be told apart. */
export const MEASURES: Record<GateSentence['measure']['kind'], MeasureRules> = {
  'response time': rules('time', 'steps', true),
  'time to first byte': rules('time', 'steps', true),
  'connect time': rules('time', 'steps', true),
  'group time': rules('time', 'groups', true),
  'journey time': rules('time', 'nothing', true),
  'failed requests': rules('share or count', 'steps', true),
  'failed checks': rules('share or count', 'steps', true),
  'failed journeys': rules('share or count', 'nothing', true),
  'capped arrivals': rules('share or count', 'nothing', false),
  'cut off': rules('share or count', 'nothing', true),
  requests: rules('count', 'steps', true),
  arrivals: rules('count', 'nothing', true),
  journeys: rules('count', 'nothing', true),
  throughput: rules('rate', 'steps', true),
  'arrival rate': rules('rate', 'nothing', true),
  'bytes received': rules('byte rate', 'steps', true),
  'bytes sent': rules('byte rate', 'steps', true),
  apdex: rules('score', 'steps', true),
  'start lag': rules('time', 'nothing', false),
  'generator busy': rules('busy share', 'nothing', false),
  'event loop delay': rules('time', 'nothing', false),
  metric: rules('metric', 'nothing', false),
}

/** How a measure is judged. */
export const familyOf = (measure: GateSentence['measure']): MeasureFamily => MEASURES[measure.kind].family

const UNITS: Record<MeasureFamily, { units: readonly Unit[]; words: string }> = {
  time: { units: ['time'], words: 'a time such as 300 ms' },
  'busy share': { units: ['share'], words: 'a share such as 80 %' },
  metric: {
    units: ['number', 'share', 'time', 'rate', 'size', 'byte rate'],
    words: 'a quantity',
  },
  'share or count': { units: ['share', 'number'], words: 'a share such as 1 %, or a count such as 5' },
  count: { units: ['number'], words: 'a count such as 1000' },
  rate: { units: ['rate'], words: 'a rate such as 10/s' },
  'byte rate': { units: ['byte rate'], words: 'a rate of bytes such as 2 MB/s' },
  score: { units: ['number'], words: 'a score from 0 to 1, such as 0.9' },
}
const STATISTIC_FAMILIES: readonly MeasureFamily[] = ['time', 'busy share', 'metric']

export interface Named {
  steps: ReadonlySet<string>
  groups: ReadonlySet<string>
  journeys: ReadonlySet<string>
  /** Phases, and ladders for all of their levels. */
  phases: ReadonlySet<string>
}

export function readGates(source: Source, node: Node | null, named: Named): Gate[] {
  return readList(source, node, 'gates').flatMap((item) => readGate(source, item, named))
}

/** One gate; a gate of each step becomes one for every step. */
function readGate(source: Source, node: Node, named: Named): Gate[] {
  let sentenceNode: Node | null = node
  let stopField: Field | undefined
  if (isMap(node) && (node.has('rule') || node.has('stop'))) {
    const fields = readFields(source, node, 'this gate', 'gate')
    sentenceNode = fields.get('rule')?.value ?? null
    stopField = fields.get('stop')
  }
  if (isFirstEdition(source, sentenceNode, renewGate)) return []
  const sentence = readPhrase(source, sentenceNode, 'Gate', 'gate')
  if (sentence === undefined) return []
  const start = offsetOf(sentenceNode)
  const whereIs = (words: string) =>
    start + Math.max(0, source.text.slice(start, sentenceNode?.range?.[1] ?? start).indexOf(words))
  if (!isMeasurable(source, sentence, whereIs) || !areNamed(source, sentence, named, whereIs)) return []
  const stop = readStop(source, stopField, sentence)
  const written = writtenRule(source, sentenceNode)
  const gate: Gate = {
    ...sentence,
    rule: written,
    written,
    stop,
    isScaled: false,
    at: placeOf(source, sentenceNode),
  }
  if (sentence.of.kind !== 'each step') return [gate]
  const names = MEASURES[sentence.measure.kind].of === 'groups' ? named.groups : named.steps
  return [...names].map((name) => ({
    ...gate,
    of: { kind: 'names', names: [name] },
    rule: gate.rule.replace('of each step', `of ${JSON.stringify(name)}`),
  }))
}

function readStop(source: Source, field: Field | undefined, gate: GateSentence): StopRule | undefined {
  if (field === undefined) return undefined
  if (isFirstEdition(source, field.value, renewStop)) return undefined
  const stop = readPhrase(source, field.value, 'StopOnly', 'stop')
  if (stop?.seconds === 0) {
    source.report(offsetOf(field.value), 'STOP', 'a run can stop after 1 breached second at the earliest')
    return undefined
  }
  const isLower = gate.comparison === 'over' || gate.comparison === 'at least'
  const family = familyOf(gate.measure)
  const why =
    gate.limit.kind === 'baseline' ? 'a limit against a baseline'
    : isLower && (family === 'count' || gate.limit.unit === 'number') && family !== 'score' && family !== 'metric' ? 'a lower limit on a count'
    : undefined // prettier-ignore
  if (why === undefined) return stop
  source.report(offsetOf(field.key), 'STOP', `${why} cannot stop a run: it cannot be judged by the second`)
  return undefined
}

/** Reports a sentence of the first edition with what it is today. */
function isFirstEdition(source: Source, node: Node | null, renew: (text: string) => string | undefined): boolean {
  if (!isScalar(node)) return false
  const written = writtenText(node)
  const renewed = renew(written)
  if (renewed === undefined || renewed === written) return false
  source.report(offsetOf(node), 'RENAMED', `write "${renewed}" now; validate --fix rewrites it`)
  return true
}

function writtenRule(source: Source, node: Node | null): string {
  const start = offsetOf(node)
  const raw = source.text.slice(start, node?.range?.[1] ?? start).trim()
  const single = /^'(.*)'$/s.exec(raw)
  if (single !== null) return (single[1] ?? '').replaceAll("''", "'")
  const double = /^"(.*)"$/s.exec(raw)
  return double === null ? raw.replace(/\s+/g, ' ') : (double[1] ?? '').replaceAll('\\"', '"')
}

function isMeasurable(source: Source, gate: GateSentence, whereIs: (words: string) => number): boolean {
  const { measure, statistic, limit } = gate
  const at = whereIs(measure.kind === 'apdex' ? 'apdex at' : measure.kind)
  const { family, of, byJourney } = MEASURES[measure.kind]
  const needsStatistic = STATISTIC_FAMILIES.includes(family)
  if (needsStatistic && statistic === undefined) {
    source.report(
      at,
      'STATISTIC',
      `${measure.kind} needs a statistic before it: mean, median, min, max, sd or a percentile such as p95`,
    )
    return false
  }
  if (!needsStatistic && statistic !== undefined) {
    source.report(
      whereIs(''),
      'STATISTIC',
      `${measure.kind} takes no statistic: remove "${statistic.kind === 'percentile' ? `p${String(statistic.percent)}` : statistic.kind}"`,
    )
    return false
  }
  if (statistic?.kind === 'percentile' && !(statistic.percent > 0 && statistic.percent < 100)) {
    source.report(
      whereIs(''),
      'PERCENTILE',
      'a percentile lies between 0 and 100, such as p95; for the largest value write max',
    )
    return false
  }
  const wanted = UNITS[family]
  const unit = limit.kind === 'fixed' ? limit.unit : limit.or?.unit
  if (unit !== undefined && !wanted.units.includes(unit)) {
    source.report(
      whereIs(gate.comparison),
      'UNIT',
      `${measure.kind} needs ${wanted.words}${unit === 'number' ? '; a bare number has no unit' : ''}`,
    )
    return false
  }
  if (gate.of.kind !== 'all' && of === 'nothing') {
    source.report(whereIs('of'), 'SCOPE', `${measure.kind} ${HAVE[family]} not measured by step: remove "of"`)
    return false
  }
  if (gate.journey !== undefined && !byJourney) {
    source.report(whereIs('in journey'), 'SCOPE', `${measure.kind} is measured for the whole run: remove "in journey"`)
    return false
  }
  return true
}

const HAVE: Record<MeasureFamily, 'is' | 'are'> = {
  time: 'is',
  'busy share': 'is',
  metric: 'is',
  'share or count': 'are',
  count: 'are',
  rate: 'is',
  'byte rate': 'are',
  score: 'is',
}

function areNamed(source: Source, gate: GateSentence, named: Named, whereIs: (words: string) => number): boolean {
  const kind = MEASURES[gate.measure.kind].of === 'groups' ? 'group' : 'step'
  const known = kind === 'group' ? named.groups : named.steps
  const missing = (names: readonly string[], kind: string, known: ReadonlySet<string>) =>
    names.filter((name) => !known.has(name)).map((name) => ({ kind, name, known }))
  const unknown = [
    ...missing(gate.of.kind === 'names' ? gate.of.names : [], kind, known),
    ...missing(gate.journey === undefined ? [] : [gate.journey], 'journey', named.journeys),
    ...missing(gate.during, 'phase', named.phases),
  ]
  for (const { kind, name, known } of unknown) {
    const meant = nearestWord(name, known)
    const hint =
      meant === undefined
        ? `This plan has ${[...known].map((word) => `"${word}"`).join(', ')}`
        : `Did you mean "${meant}"?`
    source.report(whereIs(name), 'UNKNOWN_NAME', `this plan has no ${kind} "${name}". ${hint}`, fixOf(name, meant))
  }
  return unknown.length === 0
}
