// The trace context of each request, by which what happened at the target can be found.
import type { TraceSentence } from '../language/sentences.js'
import { Draws } from './random.js'

/** The header that carries it. */
export const TRACE_HEADER = 'traceparent'

/**
 * Makes the trace contexts of a run: an id follows from the run, the user, the iteration and the place in it.
 *
 * Source: W3C Trace Context (Recommendation of 23 November 2021), section 3.2: version 00, trace-id, parent-id,
 * trace-flags; ids of zeros alone are invalid.
 */
export class Traces {
  private readonly draws: Draws

  constructor(
    run: string,
    private readonly rule: Exclude<TraceSentence, { kind: 'no' }>,
  ) {
    this.draws = new Draws(numberOf(run))
  }

  /**
   * The value of `traceparent`.
   *
   * @param place - of the step, with the round in which it is walked
   */
  of(user: number, iteration: number, place: number): string {
    const draws = this.draws.at(user, iteration, place)
    // Four draws of 48 bits are both ids. A last digit that is odd keeps either from being zeros alone.
    put(FIRST, draws.next(), 1)
    put(SECOND, draws.next(), 0)
    put(THIRD, draws.next(), 0)
    text.copyWithin(DASH + 1, DASH, LAST - 1)
    text[DASH] = DASH_CODE
    put(LAST, draws.next(), 1)
    text[FLAG] = this.rule.kind === 'share' && draws.next() < this.rule.share ? ONE : ZERO
    return decoder.decode(text)
  }
}

/**
 * The traces that a plan asks for; null for none. A plan of before there were traces says nothing.
 *
 * @param run - the id of the run: the same run has the same traces
 */
export const tracesOf = (run: string, rule: TraceSentence = { kind: 'failed' }): Traces | null =>
  rule.kind === 'no' ? null : new Traces(run, rule)

/** A trace context in bytes, made anew for each: version, trace-id, parent-id, flags. */
const text = new TextEncoder().encode(`00-${'0'.repeat(32)}-${'0'.repeat(16)}-00`)
const decoder = new TextDecoder()
/** Where each draw goes. The third has its last four digits beyond the dash. */
const [FIRST, SECOND, THIRD, DASH, LAST, FLAG] = [3, 15, 27, 35, 40, 54]
const [DASH_CODE, ZERO, ONE] = [45, 48, 49]
const DIGITS = new TextEncoder().encode('0123456789abcdef')

/** Puts twelve digits of a draw. */
function put(at: number, draw: number, leastBit: 0 | 1): void {
  const drawn = draw * 2 ** 24
  const high = Math.floor(drawn)
  putSix(at, high)
  putSix(at + 6, Math.floor((drawn - high) * 2 ** 24) | leastBit)
}

function putSix(at: number, bits: number): void {
  for (let digit = 0; digit < 6; digit++) text[at + digit] = DIGITS[(bits >>> (20 - 4 * digit)) & 15] ?? ZERO
}

/** A text as a number (FNV-1a, 32 bits twice: G. Fowler, L. C. Noll, K.-P. Vo). */
function numberOf(text: string): number {
  const hash = (from: number) =>
    new TextEncoder().encode(text).reduce((sum, byte) => Math.imul(sum ^ byte, 0x01000193) >>> 0, from)
  return (hash(0x811c9dc5) % 2 ** 21) * 2 ** 32 + hash(0x01000193)
}
