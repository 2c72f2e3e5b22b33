// The trace context of each request, by which what happened at the target can be found.
import type { TraceSentence } from '../language/sentences.js'
import { Draws } from './random.js'

/** The header that carries it. */
export const TRACE_HEADER = 'traceparent'

export interface TraceContext {
  /** 32 hexadecimal digits. */
  trace: string
  /** The value of `traceparent`. */
  header: string
}

const SAMPLED = '01'
const NOT_SAMPLED = '00'

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

  /** @param place - of the step, with the round in which it is walked */
  of(user: number, iteration: number, place: number): TraceContext {
    const draws = this.draws.at(user, iteration, place)
    // Four draws of 48 bits are both ids. A last digit that is odd keeps either from being zeros alone.
    const [first, second, third, last] = [hex(draws, 1), hex(draws, 0), hex(draws, 0), hex(draws, 1)]
    const trace = first + second + third.slice(0, 8)
    const parent = third.slice(8) + last
    const isSampled = this.rule.kind === 'share' && draws.next() < this.rule.share
    return { trace, header: `00-${trace}-${parent}-${isSampled ? SAMPLED : NOT_SAMPLED}` }
  }
}

/**
 * The traces that a plan asks for; null for none. A plan of before there were traces says nothing.
 *
 * @param run - the id of the run: the same run has the same traces
 */
export const tracesOf = (run: string, rule: TraceSentence = { kind: 'failed' }): Traces | null =>
  rule.kind === 'no' ? null : new Traces(run, rule)

/** Three hexadecimal digits of each number of twelve bits: each request takes sixteen of them. */
const DIGITS = Array.from({ length: 4096 }, (_, number) => number.toString(16).padStart(3, '0'))

/** Twelve digits of the next draw. */
function hex(draws: Draws, leastBit: 0 | 1): string {
  const drawn = draws.next() * 2 ** 24
  const [high, low] = [Math.floor(drawn), Math.floor((drawn % 1) * 2 ** 24) | leastBit]
  return digits(high >>> 12) + digits(high & 4095) + digits(low >>> 12) + digits(low & 4095)
}
const digits = (number: number): string => DIGITS[number] ?? '000'

/** A text as a number (FNV-1a, 32 bits twice: G. Fowler, L. C. Noll, K.-P. Vo). */
function numberOf(text: string): number {
  const hash = (from: number) =>
    new TextEncoder().encode(text).reduce((sum, byte) => Math.imul(sum ^ byte, 0x01000193) >>> 0, from)
  return (hash(0x811c9dc5) % 2 ** 21) * 2 ** 32 + hash(0x01000193)
}
