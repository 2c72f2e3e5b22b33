// How many samples a percentile needs, and how sure it is.

/**
 * Samples that a percentile needs before it is judged: ⌈ln 0.05 / ln p⌉, so that with 95 % confidence at least one
 * sample lies beyond it (the one-sided order-statistic bound, Wilks 1941).
 *
 * @param percent - between 0 and 100, both excluded
 */
export function samplesNeeded(percent: number): number {
  return Math.ceil(Math.log(0.05) / Math.log(percent / 100))
}

/** Ranks, from 1, of a two-sided 95 % interval for a percentile; `high` is null where the samples are too few. */
export interface RankInterval {
  low: number | null
  high: number | null
}

/**
 * The two-sided 95 % interval of a percentile from binomial order statistics: the number of samples at or below the
 * true percentile is binomial(n, p), so the ranks that leave at most 2.5 % on each side hold it.
 *
 * Source: W. J. Conover, Practical Nonparametric Statistics, "Confidence interval for a quantile".
 *
 * @param count - samples
 * @param percent - between 0 and 100, both excluded
 */
export function rankInterval(count: number, percent: number): RankInterval {
  const p = percent / 100
  let low: number | null = null
  let high: number | null = null
  let below = 0
  const mean = count * p
  const reach = 8 * Math.sqrt(count * p * (1 - p)) + 30
  const first = Math.max(0, Math.floor(mean - reach))
  const last = Math.min(count, Math.ceil(mean + reach))
  for (let successes = first; successes <= last; successes++) {
    below += Math.exp(logBinomial(count, successes, p))
    // P(B <= r - 1) <= 0.025 makes rank r a lower end; P(B <= s - 1) >= 0.975 makes rank s an upper end.
    if (below <= 0.025 && successes + 1 <= count) low = successes + 1
    if (high === null && below >= 0.975 && successes + 1 <= count) high = successes + 1
  }
  return { low, high }
}

function logBinomial(n: number, k: number, p: number): number {
  return logFactorial(n) - logFactorial(k) - logFactorial(n - k) + k * Math.log(p) + (n - k) * Math.log1p(-p)
}

/** ln n!, by Stirling's series with three correction terms; below 10 by the product. Relative error under 1e-10. */
function logFactorial(n: number): number {
  if (n < 10) {
    let product = 1
    for (let factor = 2; factor <= n; factor++) product *= factor
    return Math.log(product)
  }
  const inverse = 1 / n
  const series = inverse / 12 - inverse ** 3 / 360 + inverse ** 5 / 1260
  return n * Math.log(n) - n + 0.5 * Math.log(2 * Math.PI * n) + series
}
