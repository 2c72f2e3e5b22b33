// Student's t.
import { normalQuantile } from './normal.js'

/**
 * Quantile of Student's t, to about three digits from nine degrees of freedom on.
 *
 * Source: M. Abramowitz and I. A. Stegun, "Handbook of mathematical functions", 1964, 26.7.5.
 *
 * @param p - between 0.5 and 1
 * @param freedom - degrees of freedom, at least 3
 */
export function studentQuantile(p: number, freedom: number): number {
  const z = normalQuantile(p)
  const [first, second, third, fourth] = [
    (z ** 3 + z) / 4,
    (5 * z ** 5 + 16 * z ** 3 + 3 * z) / 96,
    (3 * z ** 7 + 19 * z ** 5 + 17 * z ** 3 - 15 * z) / 384,
    (79 * z ** 9 + 776 * z ** 7 + 1482 * z ** 5 - 1920 * z ** 3 - 945 * z) / 92_160,
  ]
  return z + first / freedom + second / freedom ** 2 + third / freedom ** 3 + fourth / freedom ** 4
}
