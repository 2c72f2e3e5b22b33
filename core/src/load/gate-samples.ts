// How many samples the gates of a plan get, and how many they need.
import { samplesNeeded } from '../numbers/percentiles.js'
import { meanSizes, percentileSizes, shareSizes, type SampleSizes } from '../numbers/sample-sizes.js'
import { familyOf, MEASURES } from '../plan/measures.js'
import type { Gate, Plan } from '../plan/model.js'
import type { PhasePreview } from './phase-previews.js'

/** Of a gate on a time or a share: what the load makes for it, and what it takes. */
export interface GateSamples extends SampleSizes {
  rule: string
  line: number
  /** Null where users come again by themselves: how often is not known before. */
  expected: number | null
  /** Fewer leave it unmeasured. */
  least: number
}

/** A plan with what is worked out of its load. */
export interface LoadedGates {
  plan: Plan
  /** Its own and the default ones. */
  gates: readonly Gate[]
  phases: readonly PhasePreview[]
  /** Mean number of requests of an arrival of a track, of the steps that count. */
  requestsPerArrival: (track: string | null, counts: (step: string) => boolean) => number
}

/**
 * For each gate that has an interval; sizes are those of independent samples.
 *
 * Where neighbours depend on one another, as in a queue, it takes several times as many: a result tells how many
 * independent ones its samples were worth.
 */
export function gateSamples(loaded: LoadedGates): GateSamples[] {
  const sized = loaded.gates.flatMap((gate) => {
    const sizes = sizesOf(gate, loaded.gates.length)
    return sizes === undefined ? [] : [{ gate, sizes }]
  })
  return sized.map(({ gate, sizes }) => ({
    rule: gate.rule,
    line: gate.at.line,
    expected: expectedOf(loaded, gate),
    least: leastOf(gate),
    ...sizes,
  }))
}

const percentOfGate = ({ statistic }: Gate): number | undefined =>
  statistic?.kind === 'percentile' ? statistic.percent : statistic?.kind === 'median' ? 50 : undefined

function leastOf(gate: Gate): number {
  const percent = percentOfGate(gate)
  return percent === undefined ? 1 : samplesNeeded(percent)
}

function sizesOf(gate: Gate, gates: number): SampleSizes | undefined {
  const { limit, measure, statistic } = gate
  if (familyOf(measure) === 'time') {
    const percent = percentOfGate(gate)
    if (percent !== undefined) return percentileSizes(percent, gates)
    return statistic?.kind === 'mean' ? meanSizes(gates) : undefined
  }
  const isShare = familyOf(measure) === 'share or count' && limit.kind === 'fixed' && limit.unit === 'share'
  return isShare && limit.value > 0 && limit.value < 1 ? shareSizes(limit.value) : undefined
}

/** The phases that a gate covers. */
export const phasesOfGate = (
  { plan, phases }: Pick<LoadedGates, 'plan' | 'phases'>,
  { during }: Gate,
): PhasePreview[] =>
  phases.filter((phase, index) => {
    const ladder = plan.load.phases[index]?.ladder ?? ''
    return phase.measured && (during.length === 0 || during.includes(phase.name) || during.includes(ladder))
  })

/** The share of the load that is made at a place, or comes over a network. */
function partOf(parts: readonly { name: string; weight: number }[] = [], name: string | undefined): number {
  if (name === undefined) return 1
  const total = parts.reduce((sum, { weight }) => sum + weight, 0)
  return (parts.find((part) => part.name === name)?.weight ?? 0) / total
}

/** Requests that the load makes for a gate; null where that is not known before. */
export function expectedOf(loaded: LoadedGates, gate: Gate): number | null {
  const { of, journey } = gate
  const scope = phasesOfGate(loaded, gate)
  if (scope.some((phase) => Math.max(...phase.users) > 0)) return null
  if (journey !== undefined || MEASURES[gate.measure.kind].of !== 'steps') return null
  const { places, networks } = loaded.plan
  const part = partOf(places, gate.place) * partOf(networks, gate.network)
  return scope.reduce(
    (sum, phase) =>
      sum +
      part *
        phase.arrivals *
        loaded.requestsPerArrival(phase.track, (step) => of.kind !== 'names' || of.names.includes(step)),
    0,
  )
}

/** What of a gate's samples is worth a warning. */
export function sampleWarning({ rule, expected, least, strict }: GateSamples, isStrict: boolean): string | undefined {
  if (expected === null) return undefined
  const made = Math.floor(expected)
  const words = `this load makes about ${String(made)}`
  if (made < least) return `${beginOf(rule)} needs ${String(least)} samples, and ${words}: the gate would be unmeasured`
  return isStrict && made < strict
    ? `strict: ${beginOf(rule)} needs about ${String(strict)} samples to be sure of its side, and ${words}: the gate may be borderline`
    : undefined
}

/** "p95", or what a rule without a percentile measures. */
const beginOf = (rule: string): string => /^(?:p[\d.]+|median)/.exec(rule)?.[0] ?? `"${rule}"`
