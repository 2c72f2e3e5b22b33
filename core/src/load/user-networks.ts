// Which network each user comes over.
import type { Plan } from '../plan/model.js'
import { Draws } from '../values/random.js'

/** Where the draw of a network stands among the places of a plan. */
const NETWORK_PLACE = -3_000_000

/**
 * Draws the network of each user by the weights: the same for the same seed, however the load is dealt, and the same in
 * each iteration of a user who comes back.
 *
 * @returns the number of a user's network in the plan; 0 where there is none or one
 */
export function networkOf({ networks = [], seed }: Pick<Plan, 'networks' | 'seed'>): (user: number) => number {
  const total = networks.reduce((sum, { weight }) => sum + weight, 0)
  const draws = new Draws(seed)
  return (user) => {
    if (networks.length < 2) return 0
    let left = draws.at(user, 0, NETWORK_PLACE).next() * total
    const found = networks.findIndex(({ weight }) => (left -= weight) < 0)
    return Math.max(0, found)
  }
}
