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

/**
 * How likely Student's t is as large, one-sided.
 *
 * Source: M. Abramowitz and I. A. Stegun, "Handbook of mathematical functions", 1964, 26.7.1 and, for the incomplete
 * beta function, the continued fraction 26.5.8.
 *
 * @param t - of either sign
 * @param freedom - degrees of freedom, over 0
 */
export function studentTail(t: number, freedom: number): number {
  const tail = incompleteBeta(freedom / (freedom + t * t), freedom / 2, 0.5) / 2
  return t >= 0 ? tail : 1 - tail
}

/** Within so far of nothing is t with this probability; by bisection. */
export function studentReach(probability: number, freedom: number): number {
  let [low, high] = [0, 1]
  while (studentTail(high, freedom) > (1 - probability) / 2) high *= 2
  for (let turn = 0; turn < 60; turn++) {
    const middle = (low + high) / 2
    if (studentTail(middle, freedom) > (1 - probability) / 2) low = middle
    else high = middle
  }
  return high
}

function incompleteBeta(x: number, a: number, b: number): number {
  if (x <= 0) return 0
  if (x >= 1) return 1
  // The fraction converges on this side of the mean.
  if (x > (a + 1) / (a + b + 2)) return 1 - incompleteBeta(1 - x, b, a)
  const front = Math.exp(logGamma(a + b) - logGamma(a) - logGamma(b) + a * Math.log(x) + b * Math.log(1 - x)) / a
  // Lentz's way through the fraction.
  let [c, d] = [1, 0]
  let value = 1
  for (let turn = 0; turn < 400; turn++) {
    const half = Math.floor(turn / 2)
    const coefficient =
      turn === 0
        ? 1
        : turn % 2 === 0
          ? (half * (b - half) * x) / ((a + 2 * half - 1) * (a + 2 * half))
          : (-(a + half) * (a + b + half) * x) / ((a + 2 * half) * (a + 2 * half + 1))
    d = 1 / (1 + coefficient * d)
    c = 1 + coefficient / c
    value *= c * d
    if (turn > 0 && Math.abs(1 - c * d) < 1e-14) break
  }
  return front * (value - 1)
}

/** C. Lanczos, "A precision approximation of the gamma function", 1964, with g = 5; to ten digits. */
function logGamma(x: number): number {
  const terms = [
    76.1800917294715, -86.5053203294168, 24.0140982408309, -1.23173957245016, 0.0012086509738662, -5.395239384953e-6,
  ]
  const sum = terms.reduce((total, term, index) => total + term / (x + index + 1), 1.00000000019)
  return (x + 0.5) * Math.log(x + 5.5) - (x + 5.5) + Math.log((Math.sqrt(2 * Math.PI) * sum) / x)
}
