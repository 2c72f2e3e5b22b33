// How many samples a figure needs until it is known well enough, where they do not depend on one another.
import { LEAST_BATCHES } from './batches.js'
import { normalQuantile } from './normal.js'
import { studentQuantile } from './student.js'

export interface SampleSizes {
  /** The interval reaches a fifth beyond the figure. */
  within20: number
  /** In 95 of 100 runs a service a fifth better than its limit, or of which nothing fails, is not borderline. */
  strict: number
}

/** One-sided, as a gate's interval is, with as few batches as there may be. */
const QUANTILE = studentQuantile(0.95, LEAST_BATCHES - 1)
const FIFTH = 0.2
/** Batches of independent values differ by chance: their design effect is up to this. */
const BY_CHANCE = 1.3

/**
 * For a percentile of times that spread as exponential ones do, by the law of large numbers for the share of them that
 * is over a value, as the interval of a percentile has it.
 *
 * @param percent - between 0 and 100, both excluded
 * @param gates - so many gates are to be sure of their side together
 */
export function percentileSizes(percent: number, gates = 1): SampleSizes {
  const over = 1 - percent / 100
  const error = QUANTILE * Math.sqrt(over * (1 - over) * BY_CHANCE)
  return {
    within20: wholeSquare(error / (over - over ** (1 + FIFTH))),
    strict: strictSize(over - over ** (1 / (1 - FIFTH)), error, over ** (1 / (1 - FIFTH)), gates),
  }
}

/** For the mean of such times. */
export function meanSizes(gates = 1): SampleSizes {
  const error = QUANTILE * Math.sqrt(BY_CHANCE)
  const room = 1 / (1 - FIFTH) - 1
  return {
    within20: wholeSquare(error / FIFTH),
    strict: wholeSquare((error + chanceOf(gates)) / room),
  }
}

/** For a share with a limit: a service of which nothing fails is under it when Wilson's interval is. */
export function shareSizes(limit: number): SampleSizes {
  const share = Math.min(limit, 1 - limit)
  return {
    within20: Math.ceil((QUANTILE ** 2 * (1 - share)) / (FIFTH ** 2 * share)),
    strict: Math.ceil((QUANTILE ** 2 * (1 - share)) / share) + 1,
  }
}

const strictSize = (room: number, error: number, share: number, gates: number): number =>
  wholeSquare((error + chanceOf(gates) * Math.sqrt(share * (1 - share))) / room)

/** So far below its mean is what is observed in all but 5 % of runs, of several gates together. */
const chanceOf = (gates: number): number => normalQuantile(1 - 0.05 / Math.max(1, gates))

const wholeSquare = (root: number): number => Math.ceil(root ** 2)
