// Gates on response times as the run chart draws them: a beam over the phases that each covers.
import { isUpperLimit } from '../language/comparisons.js'
import { scopeOf } from '../judge/scope.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Gate } from '../plan/model.js'
import type { RunView } from './run-view.js'

/** One gate on a response time, over its phases. */
export interface Beam {
  label: string
  limitMs: number
  isUpper: boolean
  isBreached: boolean
  spans: { fromSecond: number; toSecond: number }[]
  values: (number | null)[]
}

/** The beams of a run; the gates that one sentence makes for each step are one beam. */
export function beamsOf(gates: readonly Gate[], view: RunView): Beam[] {
  const results = view.gates()
  const beams = new Map<number, Beam>()
  for (const [index, gate] of gates.entries()) {
    if (gate.measure.kind !== 'response time' || gate.limit.kind !== 'fixed') continue
    const isUpper = isUpperLimit(gate.comparison)
    const isBreached = results[index]?.status === 'breached'
    const values = [...view.gateValues(index)]
    const known = beams.get(gate.at.line)
    if (known !== undefined) {
      known.isBreached ||= isBreached
      known.values = worstOf(known.values, values, isUpper)
      continue
    }
    beams.set(gate.at.line, {
      label: labelOf(gate),
      limitMs: gate.limit.value,
      isUpper,
      isBreached,
      spans: spansOf(gate, view.shape),
      values,
    })
  }
  return [...beams.values()]
}

/** The sentence without what the chart shows anyway: that it is a response time, and during which phases. */
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

function spansOf(gate: Gate, shape: RunShape): Beam['spans'] {
  const scope = scopeOf(gate, shape)
  const joined: Beam['spans'] = []
  for (const [phase, { fromMs, toMs }] of phaseRanges(shape).entries()) {
    if (!scope.isPhase(phase)) continue
    const last = joined.at(-1)
    if (last?.toSecond === fromMs / 1000) last.toSecond = toMs / 1000
    else joined.push({ fromSecond: fromMs / 1000, toSecond: toMs / 1000 })
  }
  return joined
}

/** Second by second the value that is nearer to a breach. */
function worstOf(one: Beam['values'], other: Beam['values'], isUpper: boolean): Beam['values'] {
  return Array.from({ length: Math.max(one.length, other.length) }, (_, second) => {
    const [a = null, b = null] = [one[second], other[second]]
    if (a === null || b === null) return a ?? b
    return isUpper ? Math.max(a, b) : Math.min(a, b)
  })
}
