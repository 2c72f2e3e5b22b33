// Gates as the run chart draws them: each a limit line over the phases that it covers, in the lane of what it measures.
import { isUpperLimit } from '../language/comparisons.js'
import type { GateResult } from '../judge/gate-result.js'
import { scopeOf } from '../judge/scope.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Gate } from '../plan/model.js'
import type { BuiltInLane } from './lanes.js'
import type { Series } from './run-view.js'

/** One gate, over its phases. */
export interface LimitLine {
  lane: Extract<BuiltInLane, 'time' | 'failures' | 'throughput' | 'load'>
  label: string
  /** In the unit of the lane; by second where it is a share of what ended in each. */
  limit: number | number[]
  isUpper: boolean
  isBreached: boolean
  spans: { fromSecond: number; toSecond: number }[]
  /** In the unit of the lane, by second. */
  values: (number | null)[]
}

/** What limit lines are drawn from: a run, or its result before its seconds are read. */
export interface LimitLineSource {
  shape: RunShape
  series: Pick<Series, 'requests' | 'failed'>
  gates(): readonly Pick<GateResult, 'status'>[]
  gateValues(gate: number): readonly (number | null)[]
}

/**
 * The limit lines of a run; the gates that one sentence makes for each step are one limit line.
 *
 * @param gates - in the order of the run
 * @param view - what they come to now, and second by second
 */
export function limitLinesOf(gates: readonly Gate[], view: LimitLineSource): LimitLine[] {
  const results = view.gates()
  const limitLines = new Map<number, LimitLine>()
  for (const [index, gate] of gates.entries()) {
    const place = placeOf(gate, index, view)
    if (place === undefined) continue
    const isUpper = isUpperLimit(gate.comparison)
    const isBreached = results[index]?.status === 'breached'
    const known = limitLines.get(gate.at.line)
    if (known !== undefined && !gate.isDefault) {
      known.isBreached ||= isBreached
      known.values = worstOf(known.values, place.values, isUpper)
      continue
    }
    // Default gates stand in no line of their own.
    limitLines.set(gate.isDefault ? -1 - index : gate.at.line, {
      ...place,
      label: gate.isDefault ? `${labelOf(gate)} (default)` : labelOf(gate),
      isUpper,
      isBreached,
      spans: spansOf(gate, view.shape),
    })
  }
  return [...limitLines.values()]
}

/** Where a gate is drawn; undefined for one that no lane shows. */
function placeOf(
  gate: Gate,
  index: number,
  view: LimitLineSource,
): Pick<LimitLine, 'lane' | 'limit' | 'values'> | undefined {
  const { measure, limit, of, journey } = gate
  // Lanes are of all places and networks.
  if (limit.kind !== 'fixed' || gate.place !== undefined || gate.network !== undefined) return undefined
  const values = [...view.gateValues(index)]
  switch (measure.kind) {
    case 'response time':
      return { lane: 'time', limit: limit.value, values }
    case 'throughput':
      return of.kind === 'all' && journey === undefined ? { lane: 'throughput', limit: limit.value, values } : undefined
    case 'arrival rate':
      return journey === undefined ? { lane: 'load', limit: limit.value, values } : undefined
    case 'failed requests': {
      if (limit.unit !== 'share' || of.kind !== 'all' || journey !== undefined) return undefined
      const { requests, failed } = view.series
      return { lane: 'failures', limit: requests.map((all) => limit.value * all), values: [...failed] }
    }
    default:
      return undefined
  }
}

/** The sentence without what the chart shows anyway: what the lane is of, and during which phases. */
function labelOf({ written, spans }: Gate): string {
  const part = ([from, to]: readonly [number, number]) => written.slice(from, to)
  const names = spans.of.map(part).join(', ')
  const journey = spans.journey === undefined ? '' : `in journey ${part(spans.journey)}`
  return [
    spans.statistic === undefined ? '' : part(spans.statistic),
    names === '' ? '' : `of ${names}`,
    journey,
    written.slice(spans.comparison[0]),
  ]
    .filter((text) => text !== '')
    .join(' ')
}

function spansOf(gate: Gate, shape: RunShape): LimitLine['spans'] {
  const scope = scopeOf(gate, shape)
  const joined: LimitLine['spans'] = []
  for (const [phase, { fromMs, toMs }] of phaseRanges(shape).entries()) {
    if (!scope.isPhase(phase)) continue
    const last = joined.at(-1)
    if (last?.toSecond === fromMs / 1000) last.toSecond = toMs / 1000
    else joined.push({ fromSecond: fromMs / 1000, toSecond: toMs / 1000 })
  }
  return joined
}

/** Second by second the value that is nearer to a breach. */
function worstOf(one: LimitLine['values'], other: LimitLine['values'], isUpper: boolean): LimitLine['values'] {
  return Array.from({ length: Math.max(one.length, other.length) }, (_, second) => {
    const [a = null, b = null] = [one[second], other[second]]
    if (a === null || b === null) return a ?? b
    return isUpper ? Math.max(a, b) : Math.min(a, b)
  })
}
