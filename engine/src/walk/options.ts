// What a walker knows of its target, and how it reaches it.
import type { PlanNetwork, Traces } from '@jolt-gate/core'
import type { WayOut } from '../network/way-out.js'
import type { Mask } from '../secrets/mask.js'

export interface WalkerOptions {
  origin: string
  /** Where requests may go, and how. */
  out: WayOut
  connections: 'shared' | 'per user'
  seed: number
  mask: Mask
  /** What users come over, and who over which; null where all come as the generator does. */
  networks: { all: readonly PlanNetwork[]; of: (user: number) => number } | null
  /** Where each request carries a trace context. */
  traces: Traces | null
}
