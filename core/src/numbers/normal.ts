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

/**
 * Quantile of the standard normal law, to about twelve digits: the rational start of Abramowitz and Stegun, 26.2.23,
 * then Newton's steps.
 *
 * @param p - between 0.5 and 1, the latter excluded
 */
export function normalQuantile(p: number): number {
  if (p <= 0.5) return p === 0.5 ? 0 : -normalQuantile(1 - p)
  const t = Math.sqrt(-2 * Math.log(1 - p))
  let z = t - (2.515517 + 0.802853 * t + 0.010328 * t ** 2) / (1 + 1.432788 * t + 0.189269 * t ** 2 + 0.001308 * t ** 3)
  for (let step = 0; step < 3; step++)
    z += (normalTail(z) - (1 - p)) / (Math.exp((-z * z) / 2) / Math.sqrt(2 * Math.PI))
  return z
}
