// Which journeys of a plan a load comes to: one of small weight may have no turn in a short one.
import type { Plan } from '../plan/model.js'
import { isOpenPhase } from '../plan/phases.js'
import { tracksIn, type Track } from './arrivals.js'
import { JourneyChoice, userNumber } from './schedule.js'

/** Whether arrivals of a journey are due in measured phases; unknown where users come again by themselves. */
export type JourneyArrivals = 'some' | 'none' | 'unknown'

/** Beyond so many arrivals every journey with a weight has had its turn, and walking them would take too long. */
const MOST_WALKED = 100_000

/**
 * Whether arrivals of each journey are due in measured phases, by the place of the journey.
 *
 * @param counts - arrivals due in each phase
 */
export function journeyArrivals(plan: Plan, counts: readonly number[]): JourneyArrivals[] {
  const tracks = tracksIn(plan.load.phases)
  return plan.journeys.map(({ name, weight }, journey) => {
    const own = tracks.find((track) => track.name === name)
    const track = own ?? tracks.find((other) => other.name === null)
    if (track === undefined || (own === undefined && weight === 0)) return 'none'
    const measured = track.phases.filter(({ phase }) => phase.measured)
    if (measured.some(({ phase }) => !isOpenPhase(phase))) return 'unknown'
    if (own !== undefined) return measured.some(({ index }) => (counts[index] ?? 0) > 0) ? 'some' : 'none'
    return hasTurn(plan, track, tracks.length, counts, journey) ? 'some' : 'none'
  })
}

function hasTurn(plan: Plan, track: Track, tracks: number, counts: readonly number[], journey: number): boolean {
  const choice = new JourneyChoice(plan, track)
  let inTrack = 0
  for (const { phase, index } of track.phases) {
    for (let left = counts[index] ?? 0; left > 0; left--) {
      if (inTrack >= MOST_WALKED) return true
      const chosen = choice.ofArrival(inTrack, userNumber(inTrack, track.number, tracks))
      inTrack++
      if (phase.measured && chosen === journey) return true
    }
  }
  return false
}
