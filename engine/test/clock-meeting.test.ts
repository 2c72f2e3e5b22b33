// Clocks of generators that are off by minutes, drift, or jump: what a run says of them is never too little.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { CLOCK_VOID_MS, MetClock, offsetOf, type RoundTrip } from '../src/fleet/clock-meeting.js'

const EVERY_MS = 10_000
/** A clock that stands at so much more than ours at a moment of ours. */
type Ahead = (atMs: number) => number

/** Round trips that begin at a moment, one after another; the delays there and back. */
function tripsOf(ahead: Ahead, fromMs: number, delays: readonly (readonly [number, number])[]): RoundTrip[] {
  let nowMs = fromMs
  return delays.map(([thereMs, backMs]) => {
    const [sentAtMs, readAtMs] = [nowMs, nowMs + thereMs]
    nowMs = readAtMs + backMs
    return { sentAtMs, theirMs: readAtMs + ahead(readAtMs), backAtMs: nowMs }
  })
}

const delay = fc.double({ min: 0.05, max: 200, noNaN: true })
const delays = fc.array(fc.tuple(delay, delay), { minLength: 1, maxLength: 8 })
const minutes = fc.double({ min: -600_000, max: 600_000, noNaN: true })
/** Two clocks that are both slewed: by adjtimex(2) each by up to 500 parts of a million. */
const drift = fc.double({ min: -0.001, max: 0.001, noNaN: true })

describe('the clock of a generator', () => {
  it('is where a round trip says, to within half of it, however far it is ahead', () => {
    fc.assert(
      fc.property(minutes, delays, (ms, some) => {
        const offset = offsetOf(tripsOf(() => ms, 5000, some))
        return offset !== undefined && Math.abs(offset.ms - ms) <= offset.errorMs + 1e-6
      }),
    )
  })

  it('is never further off than is said, whatever it is ahead by, drifts by, and however slow the way is', () => {
    fc.assert(
      fc.property(minutes, drift, fc.array(delays, { minLength: 1, maxLength: 12 }), (ms, perMs, meetings) => {
        const ahead = (atMs: number) => ms + perMs * atMs
        const clock = new MetClock()
        for (const [number, some] of meetings.entries()) {
          const fromMs = number * EVERY_MS
          clock.meet(tripsOf(ahead, fromMs, some))
          const thought = (clock.theirsOf(fromMs) ?? NaN) - fromMs
          // Drift within a meeting is part of what it may be wrong by: trips of seconds take some of it.
          expect(Math.abs(ahead(fromMs) - thought)).toBeLessThanOrEqual((clock.errorMs ?? NaN) + 3.3)
        }
      }),
    )
  })

  it('that jumps is found out at the next meeting, and the run is void for it', () => {
    const clock = new MetClock()
    for (let number = 0; number < 6; number++)
      clock.meet(tripsOf((atMs) => (atMs < 45_000 ? 90_000 : 92_000), number * EVERY_MS, [[1, 1]]))
    expect(clock.errorMs).toBeGreaterThan(2000)
    expect(clock.errorMs).toBeGreaterThan(CLOCK_VOID_MS)
  })

  it('is not in doubt for a way that is slow for once', () => {
    const clock = new MetClock()
    clock.meet(tripsOf(() => 90_000, 0, [[1, 1]]))
    clock.meet(tripsOf(() => 90_000, EVERY_MS, [[100, 3000]]))
    clock.meet(tripsOf(() => 90_000, 2 * EVERY_MS, [[1, 1]]))
    expect(clock.errorMs).toBeLessThan(1 + 0.001 * 2 * EVERY_MS + 4)
  })

  it('that was never met has no error, and no moment', () => {
    const clock = new MetClock()
    clock.meet([])
    expect(clock.errorMs).toBeNull()
    expect(clock.theirsOf(0)).toBeUndefined()
  })
})
