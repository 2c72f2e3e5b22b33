// Stop rules: a gate that is breached for long enough ends the run.
import { holds, isUpperLimit } from '../language/comparisons.js'
import type { Bucket } from '../measure/bucket.js'
import { familyOf } from '../plan/measures.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Gate, StopRule } from '../plan/model.js'
import { isOfTarget, isOnLoad, unitOf } from './subject.js'
import { MOST_LOOKED_BACK, readLatest } from './readings.js'
import { isWithin, scopeOf } from './scope.js'

interface Watched {
  index: number
  gate: Gate
  stop: StopRule
  limit: number
  read: (latest: readonly Bucket[]) => number | null
  inARow: number
  inAll: number
}

/** Watches the gates of a run that have a stop rule, second by second. */
export class StopWatch {
  private readonly watched: Watched[]
  private readonly latest: Bucket[] = []
  private readonly endMs: number
  private isAtLess = false

  constructor(gates: readonly Gate[], shape: RunShape) {
    this.watched = gates.flatMap((gate, index) => {
      if (gate.stop === undefined || gate.limit.kind !== 'fixed' || gate.isScaled) return []
      const limit = gate.limit.value * (unitOf(gate) === '%' ? 100 : 1)
      return [{ index, gate, stop: gate.stop, limit, read: latestReader(gate, shape), inARow: 0, inAll: 0 }]
    })
    this.endMs = Math.max(0, ...phaseRanges(shape).map(({ toMs }) => toMs))
  }

  /** A generator is lost, and the others go on: that there is less load is none of the target's doing. */
  goOnAtLess(): void {
    this.isAtLess = true
  }

  /**
   * Judges one full second; one of which nothing can be said neither counts nor breaks a row.
   *
   * @param errorMs - the generator error of that second: a time within it of the limit is no breach
   * @returns the gate that stops the run now, by its place among the gates, and what it saw; or undefined
   */
  add(bucket: Bucket, errorMs = 0): { index: number; atMs: number; value: number } | undefined {
    if (this.watched.length === 0) return undefined
    this.latest.push(bucket)
    if (this.latest.length > MOST_LOOKED_BACK) this.latest.shift()
    const endsMs = (bucket.second + 1) * 1000
    if (endsMs > this.endMs) return undefined
    for (const watched of this.watched) {
      const value = watched.read(this.latest)
      if (value === null) continue
      const { gate, limit } = watched
      if (this.isAtLess && isOnLoad(gate) && !isUpperLimit(gate.comparison)) continue
      const error = isOfTarget(gate) && familyOf(gate.measure) === 'time' ? errorMs : 0
      const sooner = value + (isUpperLimit(gate.comparison) ? -error : error)
      const isBreached = !holds(sooner, gate.comparison, limit)
      watched.inARow = isBreached ? watched.inARow + 1 : 0
      watched.inAll += isBreached ? 1 : 0
      if (isBreached && hasFired(watched)) return { index: watched.index, atMs: endsMs, value }
    }
    return undefined
  }
}

/** Reads a gate's measure by the latest seconds, in the gate's unit; null outside its phases. */
function latestReader(gate: Gate, shape: RunShape): Watched['read'] {
  const scope = scopeOf(gate, shape)
  const ranges = phaseRanges(shape).filter((_, index) => scope.isPhase(index))
  const scale = unitOf(gate) === '%' ? 100 : 1
  const isUpper = isUpperLimit(gate.comparison)
  const limitMs = isUpper && gate.limit.kind === 'fixed' && gate.limit.unit === 'time' ? gate.limit.value : undefined
  return (latest) => {
    if (!isWithin(ranges, latest.at(-1)?.second ?? -1)) return null
    const value = readLatest(gate, latest, shape, scope, limitMs)
    return value === null ? null : value * scale
  }
}

function hasFired({ stop, inARow, inAll }: Watched): boolean {
  return (stop.kind === 'in a row' ? inARow : inAll) >= stop.seconds
}
