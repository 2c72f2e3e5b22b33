// Beats in a series of equally spaced values.

/** A frequency that stands out. */
export interface Beat {
  /** In places of the series; it need not be a whole number. */
  period: number
  /** How likely noise without a beat has one as strong. */
  p: number
}

/** The grid is finer than the frequencies of Fourier, so that a period of 7.3 is not told as 7. */
const FINER = 8
/** Short spikes have harmonics of nearly their own strength. */
const OF_STRONGEST = 0.5
/** A multiple of a frequency, to so much. */
const MULTIPLE = 0.04

/**
 * The beat of a series, by its periodogram.
 *
 * Sources: J. D. Scargle, "Studies in astronomical time series analysis II", 1982, for the power, which of noise is
 * exponential; R. A. Fisher, "Tests of significance in harmonic analysis", 1929, for the chance of the largest share.
 *
 * @param values - their mean is taken out here
 * @param leastBeats - it is heard so often at least
 */
export function beatOf(values: readonly number[], leastBeats: number): Beat | undefined {
  const count = values.length
  const mean = values.reduce((sum, value) => sum + value, 0) / count
  const centred = values.map((value) => value - mean)
  const orders = Array.from({ length: Math.floor((count - 1) / 2) }, (_, order) => order + 1)
  const powers = orders.map((order) => powerOf(centred, order / count))
  const all = powers.reduce((sum, power) => sum + power, 0)
  if (all === 0) return undefined
  const p = fishersG(Math.max(...powers) / all, orders.length)
  const steps = Math.floor((FINER * count) / 2) - FINER * leastBeats
  if (steps < 1) return undefined
  const grid = Array.from({ length: steps }, (_, step) => leastBeats / count + step / (FINER * count))
  const fine = grid.map((frequency) => ({ frequency, power: powerOf(centred, frequency) }))
  const [strongest] = fine.toSorted((one, other) => other.power - one.power)
  if (strongest === undefined) return undefined
  const base = fine.find(({ frequency, power }, index) => {
    const multiple = strongest.frequency / frequency
    const isPeak = power >= (fine[index - 1]?.power ?? 0) && power >= (fine[index + 1]?.power ?? 0)
    return isPeak && power >= OF_STRONGEST * strongest.power && Math.abs(multiple - Math.round(multiple)) < MULTIPLE
  })
  return { period: 1 / (base ?? strongest).frequency, p }
}

/** By the recurrence of G. Goertzel, "An algorithm for the evaluation of finite trigonometric series", 1958. */
function powerOf(values: readonly number[], frequency: number): number {
  const twice = 2 * Math.cos(2 * Math.PI * frequency)
  let [last, before] = [0, 0]
  for (let index = 0; index < values.length; index++) {
    const next = (values[index] ?? 0) + twice * last - before
    before = last
    last = next
  }
  return last * last + before * before - twice * last * before
}

/** The chance that the largest of so many powers of noise has a share of g or more. */
export function fishersG(g: number, count: number): number {
  let [sum, binomial] = [0, 1]
  for (let term = 1; term <= count && term * g < 1; term++) {
    binomial *= (count - term + 1) / term
    const size = binomial * (1 - term * g) ** (count - 1)
    sum += term % 2 === 1 ? size : -size
    if (size < 1e-15) break
  }
  return Math.min(1, Math.max(0, sum))
}
