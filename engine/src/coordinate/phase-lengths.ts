// How long phases were: iterations end by themselves, and a load may be ended early.
import { phaseRanges, type RunShape } from '@jolt-gate/core'

/**
 * The length of each phase in seconds.
 *
 * @param endedMs - when a gate, a person or spent rows ended the load, from its start; Infinity where none did
 * @param iterationsMadeMs - when the last iteration was made, from the start; 0 where none was
 */
export function phaseLengths(shape: RunShape, endedMs: number, iterationsMadeMs: number): number[] {
  const ranges = phaseRanges(shape)
  return shape.phases.map(({ kind }, index) => {
    const { fromMs = 0, toMs = 0 } = ranges[index] ?? {}
    const madeMs = kind === 'iterations' && iterationsMadeMs > fromMs ? iterationsMadeMs : Infinity
    return Math.max(0, Math.min(toMs, endedMs, madeMs) - fromMs) / 1000
  })
}
