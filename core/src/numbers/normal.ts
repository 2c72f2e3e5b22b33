// The normal law.

/**
 * Probability that a standard normal value is larger than z, to about twelve digits.
 *
 * The series of the error function near zero, Laplace's continued fraction beyond.
 *
 * Source: M. Abramowitz and I. A. Stegun, "Handbook of mathematical functions", 1964, 26.2.10 and 26.2.14.
 *
 * @param z - at least 0
 */
export function normalTail(z: number): number {
  const density = Math.exp((-z * z) / 2) / Math.sqrt(2 * Math.PI)
  if (z < 3) {
    let [term, sum] = [z, z]
    for (let k = 1; k < 200 && term > 1e-17 * sum; k++) {
      term *= (z * z) / (2 * k + 1)
      sum += term
    }
    return 0.5 - density * sum
  }
  let fraction = 0
  for (let k = 80; k >= 1; k--) fraction = k / (z + fraction)
  return density / (z + fraction)
}
