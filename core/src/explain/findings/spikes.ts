// Response times that jump at a beat: collections of garbage, timers, backups, caches that run out together.
import { autocorrelation, medianOf } from '../../numbers/trends.js'
import { phasesWithin, type Evidence } from '../evidence.js'
import { figure, numberWords, timeWords, type Finding } from '../finding.js'

const LEAST_SECONDS = 30
const LEAST_PERIOD = 3
/** A beat is heard this often at least. */
const LEAST_BEATS = 4
const LEAST_HEIGHT = 1.5
const LEAST_MS = 5
/** Correlations of noise lie within so many of their standard errors of 1/√n, all lags together. */
const ERRORS = 4

/**
 * Periodic spikes: a peak in the autocorrelation of the residuals of each second's p95, with period and height.
 *
 * Residuals are logarithms less the running median, so that neither a drift nor one very long time makes a beat.
 *
 * Source: G. E. P. Box and G. M. Jenkins, "Time series analysis", 1970, chapter 2: of white noise the standard error
 * of each autocorrelation is 1/√n.
 */
export function periodicSpikes({ seconds, steady, shape }: Evidence): Finding[] {
  return steady.flatMap(({ phase, fromSecond, toSecond }): Finding[] => {
    const part = seconds.slice(fromSecond, toSecond).filter(({ count }) => count > 0)
    if (part.length < LEAST_SECONDS || part.length < toSecond - fromSecond - 1) return []
    const peaks = part.map(({ p95Ms }) => p95Ms)
    const logs = peaks.map((value) => Math.log(Math.max(0.001, value)))
    const residuals = logs.map((value, index) => value - medianOf(logs.slice(Math.max(0, index - 10), index + 11)))
    const bound = ERRORS / Math.sqrt(residuals.length)
    const lags = Array.from({ length: Math.floor(residuals.length / LEAST_BEATS) + 1 }, (_, lag) =>
      autocorrelation(residuals, lag),
    )
    const beats = lags.flatMap((r, lag) =>
      lag >= LEAST_PERIOD && r > bound && r > (lags[lag - 1] ?? 0) && r >= (lags[lag + 1] ?? 0) ? [{ lag, r }] : [],
    )
    // Of a beat, twice its length is a peak, too.
    const [best] = beats.toSorted((one, other) => other.r - one.r)
    const period = beats.find(({ lag, r }) => best !== undefined && r > 0.7 * best.r && lag <= best.lag)
    if (period === undefined) return []
    const onBeat = phaseOfBeat(residuals, period.lag)
    const [high, low] = [
      medianOf(peaks.filter((_, index) => index % period.lag === onBeat)),
      medianOf(peaks.filter((_, index) => index % period.lag !== onBeat)),
    ]
    if (high < LEAST_HEIGHT * low || high < low + LEAST_MS) return []
    return [
      {
        kind: 'periodic spikes',
        severity: 'warning',
        confidence: figure(1 - Math.exp((-period.r * period.r * residuals.length) / 2)),
        phases: phasesWithin(shape, fromSecond, toSecond),
        steps: [],
        fromMs: fromSecond * 1000,
        toMs: toSecond * 1000,
        evidence: {
          periodSeconds: period.lag,
          p95OnBeatMs: figure(high),
          p95BetweenMs: figure(low),
          correlation: figure(period.r),
        },
        text: `Response times jump about every ${numberWords(period.lag)} s during ${phase}: p95 is ${timeWords(high)} then, and ${timeWords(low)} in between.`,
        tryNext: [
          `Look for what the service does every ${numberWords(period.lag)} s: garbage collection, a timer, a flush, a health check.`,
          'Compare with its metrics: memory that falls at the same moments is garbage collection.',
        ],
      },
    ]
  })
}

/** Which second of the beat is highest on average. */
function phaseOfBeat(residuals: readonly number[], period: number): number {
  const sums = Array.from({ length: period }, (_, phase) => {
    const own = residuals.filter((_, index) => index % period === phase)
    return own.reduce((sum, value) => sum + value, 0) / own.length
  })
  return sums.indexOf(Math.max(...sums))
}
