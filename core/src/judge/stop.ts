// Stop rules: a gate that is breached for long enough ends the run.
import { holds } from '../assess/check.js'
import type { Bucket } from '../measure/bucket.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import type { Gate, StopRule } from '../plan/model.js'
import { secondReader, unitOf } from './gates.js'

interface Watched {
  index: number
  gate: Gate
  stop: StopRule
  limit: number
  read: (bucket: Bucket) => number | null
  inARow: number
  inAll: number
}

/** Watches the gates of a run that have a stop rule, second by second. */
export class StopWatch {
  private readonly watched: Watched[]
  private readonly endMs: number

  constructor(gates: readonly Gate[], shape: RunShape) {
    this.watched = gates.flatMap((gate, index) => {
      if (gate.stop === undefined || gate.limit.kind !== 'fixed' || gate.isScaled) return []
      const limit = gate.limit.value * (unitOf(gate) === '%' ? 100 : 1)
      return [{ index, gate, stop: gate.stop, limit, read: secondReader(gate, shape), inARow: 0, inAll: 0 }]
    })
    this.endMs = Math.max(0, ...phaseRanges(shape).map(({ toMs }) => toMs))
  }

  /**
   * Judges one full second by what ended in it; one with fewer than ten samples neither counts nor breaks a row.
   *
   * @returns the gate that stops the run now, by its place among the gates, or undefined
   */
  add(bucket: Bucket): { index: number; atMs: number } | undefined {
    const endsMs = (bucket.second + 1) * 1000
    if (endsMs > this.endMs) return undefined
    for (const watched of this.watched) {
      const value = watched.read(bucket)
      if (value === null) continue
      const isBreached = !holds(value, watched.gate.comparison, watched.limit)
      watched.inARow = isBreached ? watched.inARow + 1 : 0
      watched.inAll += isBreached ? 1 : 0
      if (isBreached && hasFired(watched)) return { index: watched.index, atMs: endsMs }
    }
    return undefined
  }
}

function hasFired({ stop, inARow, inAll }: Watched): boolean {
  return (stop.kind === 'in a row' ? inARow : inAll) >= stop.seconds
}
