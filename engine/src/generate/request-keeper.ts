// Requests that failed, kept in full for people to look at: the first of each cause, within bounds.
import type { KeptRequest, RunShape } from '@jolt-gate/core'
import type { Mask } from '../secrets/mask.js'
import { describe } from '../walk/describe.js'
import type { Ended } from '../walk/listener.js'

/** Of each cause: the first may be cut off by a change of phase, or be unlike the rest. */
const MOST_OF_A_CAUSE = 3
/** Characters of one request, and of all of a sender. */
const MOST_TEXT = 64 * 1024
const MOST_OF_ALL = 1024 * 1024
/** Of each body; a request that is still too long is shown with less of them. */
const BODY_TEXTS = [24_000, 2000]

export class RequestKeeper {
  startMs = 0
  private readonly counts = new Map<string, number>()
  private left = MOST_OF_ALL

  constructor(
    private readonly shape: RunShape,
    private readonly mask: Mask,
  ) {}

  /**
   * Keeps a request that failed.
   *
   * @param cause - step, kind and detail
   * @param own - further secrets, of its user
   * @returns its text; empty where enough are kept
   */
  keep(ended: Ended, cause: string, own: readonly string[]): string {
    const count = this.counts.get(cause) ?? 0
    if (count >= MOST_OF_A_CAUSE || this.left <= 0) return ''
    const stage = this.shape.journeys[ended.iteration.program.journey] ?? ''
    for (const mostText of BODY_TEXTS) {
      const kept: KeptRequest = {
        ...describe(stage, ended, this.mask, mostText, own),
        dueMs: ended.sample.dueMs - this.startMs,
      }
      const text = JSON.stringify(kept)
      if (text.length > Math.min(MOST_TEXT, this.left)) continue
      this.counts.set(cause, count + 1)
      this.left -= text.length
      return text
    }
    // What does not fit even so will not fit later: it is not described again.
    this.counts.set(cause, MOST_OF_A_CAUSE)
    return ''
  }
}
