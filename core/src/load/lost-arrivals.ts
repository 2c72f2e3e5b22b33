// What some of those who share a load would have started after a moment.
import type { Plan } from '../plan/model.js'
import { Dealer, type Deal } from './deal.js'
import { ScheduleCursor } from './schedule.js'

/** Walking more takes seconds, in which a coordinator could do nothing else: their share is near enough then. */
const MOST_WALKED = 5_000_000

/** A phase as far as its arrivals go; times in ms from the start of the load. */
export interface PhaseSpan {
  fromMs: number
  toMs: number
  arrivalsDue: number
  rates: readonly [from: number, to: number]
}

/**
 * Arrivals that are due from a moment on by some of those who share a load, in each phase.
 *
 * @param sharers - by their numbers in the deal
 * @param phases - of the plan, in its order
 * @param fromMs - from the start of the load
 */
export function arrivalsFrom(
  plan: Plan,
  deal: Deal,
  sharers: readonly number[],
  phases: readonly PhaseSpan[],
  fromMs: number,
): number[] {
  const due = phases.reduce((sum, { arrivalsDue }) => sum + arrivalsDue, 0)
  if (due * sharers.length > MOST_WALKED) return roughly(deal, sharers, phases, fromMs)
  const arrivals = phases.map(() => 0)
  for (const index of sharers) {
    const cursor = new ScheduleCursor(plan, { index, deal, isOrdered: false })
    while (cursor.advance()) if (cursor.dueMs >= fromMs) arrivals[cursor.phase] = (arrivals[cursor.phase] ?? 0) + 1
  }
  return arrivals
}

function roughly(deal: Deal, sharers: readonly number[], phases: readonly PhaseSpan[], fromMs: number): number[] {
  const dealer = new Dealer(deal)
  return phases.map((phase) => {
    const left = Math.round(phase.arrivalsDue * shareFrom(phase, fromMs))
    return sharers.reduce((sum, index) => sum + dealer.partOf(left, index), 0)
  })
}

/** The part of a phase's arrivals that are due from a moment on: its rate goes evenly from one to the other. */
function shareFrom({ fromMs: beginsMs, toMs, rates: [first, last] }: PhaseSpan, fromMs: number): number {
  const passed = Math.min(1, Math.max(0, (fromMs - beginsMs) / Math.max(1, toMs - beginsMs)))
  const whole = (first + last) / 2
  return whole === 0 ? 1 - passed : 1 - (first * passed + ((last - first) * passed * passed) / 2) / whole
}
