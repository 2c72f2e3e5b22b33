// Response times that jump at a beat: collections of garbage, timers, backups, caches that run out together.
import { beatOf } from '../../numbers/periodogram.js'
import { medianOf } from '../../numbers/trends.js'
import { phasesWithin, type Evidence } from '../evidence.js'
import { figure, numberWords, SURE, timeWords, type Finding } from '../finding.js'

const LEAST_SECONDS = 30
const LEAST_PERIOD = 2.2
/** A beat is heard this often at least. */
const LEAST_BEATS = 4
const LEAST_HEIGHT = 1.5
const LEAST_MS = 5

/**
 * Periodic spikes: a peak in the periodogram of the residuals of each second's p95, with period and height.
 *
 * Residuals are logarithms less the running median, so that neither a drift nor one very long time makes a beat.
 *
 * Method and sources: `beatOf`.
 */
export function periodicSpikes({ seconds, steady, shape }: Evidence): Finding[] {
  return steady.flatMap(({ phase, fromSecond, toSecond }): Finding[] => {
    const part = seconds.slice(fromSecond, toSecond).filter(({ count }) => count > 0)
    if (part.length < LEAST_SECONDS || part.length < toSecond - fromSecond - 1) return []
    const peaks = part.map(({ p95Ms }) => p95Ms)
    const logs = peaks.map((value) => Math.log(Math.max(0.001, value)))
    const residuals = logs.map((value, index) => value - medianOf(logs.slice(Math.max(0, index - 10), index + 11)))
    const beat = beatOf(residuals, LEAST_BEATS)
    if (beat === undefined || beat.p > SURE || beat.period < LEAST_PERIOD) return []
    const isOnBeat = onBeat(residuals, beat.period)
    const [high, low] = [
      medianOf(peaks.filter((_, index) => isOnBeat(index))),
      medianOf(peaks.filter((_, index) => !isOnBeat(index))),
    ]
    if (high < LEAST_HEIGHT * low || high < low + LEAST_MS) return []
    if (!isKept(peaks, Math.sqrt(high * low), isOnBeat)) return []
    return [
      {
        kind: 'periodic spikes',
        severity: 'warning',
        confidence: figure(1 - beat.p),
        phases: phasesWithin(shape, fromSecond, toSecond),
        steps: [],
        fromMs: fromSecond * 1000,
        toMs: toSecond * 1000,
        evidence: {
          periodSeconds: figure(beat.period),
          p95OnBeatMs: figure(high),
          p95BetweenMs: figure(low),
        },
        text: `Response times jump about every ${numberWords(beat.period)} s during ${phase}: p95 is ${timeWords(high)} then, and ${timeWords(low)} in between.`,
        tryNext: [
          `Look for what the service does every ${numberWords(beat.period)} s: garbage collection, a timer, a flush, a health check.`,
          'Compare with its metrics: memory that falls at the same moments is garbage collection.',
        ],
      },
    ]
  })
}

/** Long times that come by chance agree with some beat now and then: it is one where nearly all come with it. */
const MOST_ON_BEAT = 0.7

function isKept(peaks: readonly number[], border: number, isOnBeat: (index: number) => boolean): boolean {
  const share = (some: readonly number[], is: (index: number) => boolean) => some.filter(is).length / some.length
  const places = [...peaks.keys()]
  const isHigh = (index: number) => (peaks[index] ?? 0) > border
  // What a beat holds up ends in the second after it, too.
  const isBeside = (index: number) => [-1, 0, 1].some((off) => isOnBeat(index + off))
  return (
    share(places.filter(isOnBeat), isHigh) >= MOST_ON_BEAT && share(places.filter(isHigh), isBeside) >= MOST_ON_BEAT
  )
}

/** Seconds that a beat falls into: of all moments in it at which it may begin, the one with the highest seconds. */
function onBeat(residuals: readonly number[], period: number): (index: number) => boolean {
  const isNear = (index: number, begin: number) => {
    const since = (((index - begin) % period) + period) % period
    return Math.min(since, period - since) <= 0.5
  }
  const begins = Array.from({ length: Math.ceil(4 * period) }, (_, quarter) => quarter / 4)
  const heights = begins.map((begin) => {
    const own = residuals.filter((_, index) => isNear(index, begin))
    return own.reduce((sum, value) => sum + value, 0) / Math.max(1, own.length)
  })
  const best = begins[heights.indexOf(Math.max(...heights))] ?? 0
  return (index) => isNear(index, best)
}
