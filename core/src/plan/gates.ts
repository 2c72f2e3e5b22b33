// The gates of a plan: each a sentence, held against what can be measured and what the plan names.
import { isMap, isScalar, type Node } from 'yaml'
import { isUpperLimit } from '../language/comparisons.js'
import { GRADES } from '../language/grades.js'
import { nearestWord, type GateSentence, type Span, type Statistic } from '../language/sentences.js'
import { fixOf, offsetOf, placeOf, readFields, readPhrase, readList, type Field } from './fields.js'
import type { CapacityGate, Gate, StopRule } from './model.js'
import { FAMILIES, familyOf, isOfRun, MEASURES } from './measures.js'
import { satisfiedMsOf } from './satisfied.js'
import { offsetInScalar, writtenText, type Source } from './source.js'

export interface Named {
  steps: ReadonlySet<string>
  groups: ReadonlySet<string>
  journeys: ReadonlySet<string>
  /** Phases, and ladders for all of their levels. */
  phases: ReadonlySet<string>
  places: ReadonlySet<string>
  networks: ReadonlySet<string>
  /** Whether all of the plan before the gates could be read. */
  areAllRead: boolean
}

const MOST_GATES = 2000

export function readGates(
  source: Source,
  node: Node | null,
  named: Named,
  satisfiedMs?: number,
): { gates: Gate[]; capacity?: CapacityGate[] } {
  const gates: Gate[] = []
  const capacity: CapacityGate[] = []
  const onImpact: Node[] = []
  for (const item of readList(source, node, 'gates')) {
    const read = readGate(source, item, named)
    if (read.some(({ measure }) => measure.kind === 'impact')) onImpact.push(item)
    for (const gate of read) {
      if (gate.measure.kind !== 'capacity') gates.push(gate)
      else if (gate.limit.kind === 'fixed') capacity.push({ ...gate, perSecond: gate.limit.value })
    }
    if (gates.length <= MOST_GATES) continue
    const most = String(MOST_GATES)
    source.report(
      offsetOf(item),
      'TOO_MANY',
      `a plan has at most ${most} gates, those of each step counted for every step`,
    )
    break
  }
  if (satisfiedMsOf(satisfiedMs, gates) === null)
    for (const item of onImpact)
      source.report(
        offsetOf(item),
        'SATISFIED',
        'impact needs to know how fast is fast enough: write "satisfied: 300ms" at the top of the plan, or a gate on a response time',
      )
  return capacity.length === 0 ? { gates } : { gates, capacity }
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
  const sentence = readPhrase(source, sentenceNode, 'Gate', 'gate')
  if (sentence === undefined || !isScalar(sentenceNode)) return []
  const scalar = sentenceNode
  const at = (span: Span | undefined) => offsetInScalar(scalar, span?.[0] ?? 0)
  if (!isMeasurable(source, sentence, at) || !areNamed(source, sentence, named, at)) return []
  const stop = readStop(source, stopField, sentence)
  const written = writtenText(scalar)
  const gate: Gate = {
    ...sentence,
    rule: written.trim(),
    written,
    stop,
    isScaled: false,
    isDefault: false,
    leavesOutRequests: false,
    at: placeOf(source, scalar),
  }
  if (sentence.of.kind !== 'each step') return [gate]
  const names = MEASURES[sentence.measure.kind].of === 'groups' ? named.groups : named.steps
  const [from = 0, to = 0] = sentence.spans.of[0] ?? []
  return [...names].map((name) => ({
    ...gate,
    of: { kind: 'names', names: [name] },
    rule: `${written.slice(0, from)}${JSON.stringify(name)}${written.slice(to)}`.trim(),
  }))
}

function readStop(source: Source, field: Field | undefined, gate: GateSentence): StopRule | undefined {
  if (field === undefined) return undefined
  const stop = readPhrase(source, field.value, 'StopOnly', 'stop')
  if (stop?.seconds === 0) {
    source.report(offsetOf(field.value), 'STOP', 'a run can stop after 1 breached second at the earliest')
    return undefined
  }
  const why = whyNoStop(gate)
  if (why === undefined) return stop
  source.report(offsetOf(field.key), 'STOP', `${why} cannot stop a run: it cannot be judged by the second`)
  return undefined
}

function whyNoStop({ measure, comparison, limit, place, network }: GateSentence): string | undefined {
  if (place !== undefined) return 'a gate of one place'
  if (network !== undefined) return 'a gate of one network'
  if (measure.kind === 'capacity') return 'a gate on the capacity'
  if (isOfRun(measure)) return measure.kind
  if (limit.kind === 'baseline') return 'a limit against a baseline'
  const isLower = comparison === 'over' || comparison === 'at least'
  const family = familyOf(measure)
  const isCount = family === 'count' || (limit.unit === 'number' && family !== 'score' && family !== 'metric')
  return isLower && isCount ? 'a lower limit on a count' : undefined
}

/** Offset in the file of a part of a gate's sentence. */
type PlaceOfSpan = (span: Span | undefined) => number

function isMeasurable(source: Source, gate: GateSentence, at: PlaceOfSpan): boolean {
  const { measure, statistic, limit, spans } = gate
  const fault = (span: Span | undefined, code: string, message: string) => {
    source.report(at(span), code, message)
    return false
  }
  const { family } = MEASURES[measure.kind]
  const { units, words, hasStatistic } = FAMILIES[family]
  if (hasStatistic && statistic === undefined)
    return fault(
      spans.measure,
      'STATISTIC',
      `${measure.kind} needs a statistic before it: mean, median, min, max, sd or a percentile such as p95`,
    )
  if (!hasStatistic && statistic !== undefined)
    return fault(spans.statistic, 'STATISTIC', `${measure.kind} takes no statistic: remove "${wordOf(statistic)}"`)
  if (statistic?.kind === 'percentile' && !(statistic.percent > 0 && statistic.percent < 100))
    return fault(
      spans.statistic,
      'PERCENTILE',
      'a percentile lies between 0 and 100, such as p95; for the largest value write max',
    )
  const unit = limit.kind === 'fixed' ? limit.unit : limit.or?.unit
  if (unit !== undefined && !units.includes(unit))
    return fault(
      spans.comparison,
      'UNIT',
      `${measure.kind} needs ${words}${unit === 'number' ? '; a bare number has no unit' : ''}`,
    )
  if (
    family === 'share or count' &&
    limit.kind === 'fixed' &&
    limit.unit === 'number' &&
    !Number.isInteger(limit.value)
  )
    return fault(
      spans.comparison,
      'UNIT',
      `${String(limit.value)} could be a share or a count: write ${shareWords(limit.value)} of all, or a whole number of them such as ${String(Math.max(1, Math.round(limit.value)))}`,
    )
  if (family === 'grade' && !isUpperLimit(gate.comparison))
    return fault(
      spans.comparison,
      'UNIT',
      `name the worst grade allowed: write "impact at most strained"; from the best they are ${GRADES.join(', ')}`,
    )
  if (family === 'grade' && limit.kind === 'baseline')
    return fault(spans.limit, 'UNIT', `impact needs ${words}: a grade is no share of another`)
  const scope = scopeFault(gate)
  return scope === undefined ? true : fault(...scope)
}

/** What a measure cannot be narrowed to, or compared with. */
function scopeFault(gate: GateSentence): [span: Span | undefined, code: string, message: string] | undefined {
  const { measure, limit, spans } = gate
  const { family, of, byJourney } = MEASURES[measure.kind]
  if (measure.kind === 'capacity' && (gate.comparison !== 'at least' || limit.kind === 'baseline'))
    return [spans.comparison, 'UNIT', 'capacity needs "at least" and a rate, such as "capacity at least 300/s"']
  if (gate.during.length > 0 && isOfRun(measure))
    return [
      spans.during[0],
      'SCOPE',
      measure.kind === 'capacity'
        ? 'a search for the capacity has loads of its own: remove "during"'
        : `${measure.kind} is measured over the whole run: remove "during"`,
    ]
  if (gate.of.kind !== 'all' && of === 'nothing')
    return [spans.of[0], 'SCOPE', `${measure.kind} cannot be measured by step: remove "of"`]
  if (gate.place !== undefined && (isOfRun(measure) || family === 'metric'))
    return [spans.place, 'SCOPE', `${measure.kind} is measured for the whole run: remove "from place"`]
  if (gate.place !== undefined && limit.kind === 'baseline')
    return [spans.limit, 'SCOPE', 'a baseline is of all places: remove "from place", or name a fixed limit']
  if (gate.network !== undefined && gate.place !== undefined)
    return [spans.network, 'SCOPE', 'a gate is of one place or of one network: remove "from place" or "on network"']
  if (gate.network !== undefined && (isOfRun(measure) || family === 'metric'))
    return [spans.network, 'SCOPE', `${measure.kind} is measured for the whole run: remove "on network"`]
  if (gate.network !== undefined && limit.kind === 'baseline')
    return [spans.limit, 'SCOPE', 'a baseline is of all networks: remove "on network", or name a fixed limit']
  if (gate.journey !== undefined && !byJourney)
    return [spans.journey, 'SCOPE', `${measure.kind} is measured for the whole run: remove "in journey"`]
  return undefined
}

/** A share of 1 as it is written. */
const shareWords = (share: number): string => `${String(Number((100 * share).toPrecision(12)))} %`

const wordOf = (statistic: Statistic): string =>
  statistic.kind === 'percentile' ? `p${String(statistic.percent)}` : statistic.kind

function areNamed(source: Source, gate: GateSentence, named: Named, at: PlaceOfSpan): boolean {
  const { spans } = gate
  const kind = MEASURES[gate.measure.kind].of === 'groups' ? 'group' : 'step'
  const used = [
    ...(gate.of.kind === 'names' ? gate.of.names : []).map((name, index) => ({
      kind,
      name,
      span: spans.of[index],
      known: kind === 'group' ? named.groups : named.steps,
    })),
    ...(gate.journey === undefined
      ? []
      : [{ kind: 'journey', name: gate.journey, span: spans.journey, known: named.journeys }]),
    ...(gate.place === undefined ? [] : [{ kind: 'place', name: gate.place, span: spans.place, known: named.places }]),
    ...(gate.network === undefined
      ? []
      : [{ kind: 'network', name: gate.network, span: spans.network, known: named.networks }]),
    ...(gate.measure.kind === 'recovery'
      ? [{ kind: 'phase', name: gate.measure.phase, span: spans.measure, known: named.phases }]
      : []),
    ...gate.during.map((name, index) => ({ kind: 'phase', name, span: spans.during[index], known: named.phases })),
  ]
  const unknown = used.filter(({ name, known }) => !known.has(name))
  for (const { kind, name, span, known } of unknown) {
    const meant = nearestWord(name, known)
    // What is named may stand where the plan could not be read: that is the error to mend.
    if (meant === undefined && !named.areAllRead) continue
    const hint =
      meant === undefined
        ? `This plan has ${[...known].map((word) => `"${word}"`).join(', ')}`
        : `Did you mean "${meant}"?`
    // A name in quotes begins after its first one.
    const [from = 0, to = 0] = span ?? []
    const isQuoted = to - from > name.length
    source.report(
      at([isQuoted ? from + 1 : from, to]),
      'UNKNOWN_NAME',
      `this plan has no ${kind} "${name}". ${hint}`,
      fixOf(name, meant),
    )
  }
  return unknown.length === 0
}
