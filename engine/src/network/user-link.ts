// The link of one user: what all of the user's connections send and receive goes over it in turn, at its rate, and
// comes later by its delay.
import type { Draws, PlanNetwork } from '@jolt-gate/core'
import type { Releases } from './releases.js'

/** What goes at once, as TCP over Ethernet has it (RFC 9293, section 3.7.1: 1500 bytes less 40). */
const SEGMENT_BYTES = 1460
/** On a fast link more goes at once: its pieces need not be told apart. */
const AT_ONCE_MS = 1

/** One way over a link. */
class Way {
  private freeMs = 0
  private lastMs = 0

  /** @param bytesPerMs - Infinity where it has no rate of its own */
  constructor(
    private readonly bytesPerMs: number,
    private readonly delayMs: number,
    private readonly jitterMs: number,
    private readonly draws: Draws,
  ) {}

  /** By how much what leaves now comes later; drawn once for what goes together. */
  drawDelay(): number {
    return this.delayMs + (this.jitterMs === 0 ? 0 : this.jitterMs * (2 * this.draws.next() - 1))
  }

  /** Bytes that are worth a moment of their own. */
  get atOnce(): number {
    return this.bytesPerMs === Infinity ? Infinity : Math.max(SEGMENT_BYTES, Math.round(this.bytesPerMs * AT_ONCE_MS))
  }

  /** When so many bytes that are there now are out, behind all before them. */
  leaves(bytes: number, nowMs: number): number {
    this.freeMs = Math.max(this.freeMs, nowMs) + bytes / this.bytesPerMs
    return this.freeMs
  }

  /** When they come, after all that left before them. */
  arrives(leftMs: number, delayMs: number): number {
    this.lastMs = Math.max(this.lastMs, leftMs + delayMs)
    return this.lastMs
  }
}

export class UserLink {
  readonly up: Way
  readonly down: Way

  /** @param draws - of this user alone, for the jitter */
  constructor(
    { delayMs, jitterMs, downBits, upBits }: PlanNetwork,
    readonly releases: Releases,
    draws: Draws,
  ) {
    const way = (bits: number | undefined) =>
      new Way(bits === undefined ? Infinity : bits / 8 / 1000, delayMs / 2, jitterMs / 2, draws)
    this.up = way(upBits)
    this.down = way(downBits)
  }
}

export type { Way }

/** Whether a network has anything of a link in it. */
export const isShaped = ({ delayMs, downBits, upBits }: PlanNetwork): boolean =>
  delayMs > 0 || downBits !== undefined || upBits !== undefined
