// How surely a gate is on its side of the limit.
import { LEAST_BATCHES } from '../numbers/batches.js'
import type { GateBatches } from './gate-batches.js'
import type { Interval } from './readings.js'

/** How surely a gate's figure is known, in the gate's unit. */
interface Sureness {
  interval: Interval | null
  effectiveSamples?: number
  isBorderline: boolean
  /** Why it is borderline, where that is not for its interval. */
  reason?: string
}

interface Seen {
  observed: number
  limit: number | null
  /** From the measure's unit to the gate's. */
  scale: number
}

/** One-sided where there is a limit: a gate asks on which side of it the truth is. */
const ONE_SIDED = 0.05
const TWO_SIDED = 0.025

/** Whether the truth may lie on the other side of the limit, by the interval of what was observed. */
export function surenessOf(batches: GateBatches | undefined, { observed, limit, scale }: Seen): Sureness {
  const found = batches?.interval(limit === null ? TWO_SIDED : ONE_SIDED)
  if (batches === undefined || found === undefined) return { interval: null, isBorderline: false }
  const { effectiveSamples, doubt } = found
  const [low, high] = [found.low, found.high].map((end) => (end === null ? null : end * scale))
  if (limit === null) return { interval: [low ?? null, high ?? null], effectiveSamples, isBorderline: false }
  const isOver = observed > limit
  const interval: Interval = isOver ? [low ?? null, null] : [null, high ?? null]
  const reaches = isOver ? (low ?? -Infinity) <= limit : (high ?? Infinity) >= limit
  const sure = { interval, effectiveSamples, isBorderline: reaches }
  return doubt === undefined || batches.areOnOneSide(limit / scale)
    ? sure
    : { ...sure, isBorderline: true, reason: doubt === 'few batches' ? FEW : CORRELATED }
}

const FEW = `its values fill under ${String(LEAST_BATCHES)} seconds: how far they depend on one another is unknown`
const CORRELATED = 'its values depend on those of long before: a longer run tells more'
