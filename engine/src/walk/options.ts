// What a walker knows of its target, and how it reaches it.
import type { Traces } from '@jolt-gate/core'
import type { Route } from '../http/connections.js'
import type { Mask } from '../secrets/mask.js'

export interface WalkerOptions {
  origin: string
  /** Origins that may be reached. */
  permitted: ReadonlySet<string>
  route: Route
  connections: 'shared' | 'per user'
  seed: number
  mask: Mask
  /** Where each request carries a trace context. */
  traces: Traces | null
}
