// A gate taken apart into what is chosen, and put together again as its sentence.
import { FAMILIES, MEASURES, readSentence, type Measure } from '@jolt-gate/core'

export interface GateParts {
  statistic: string
  measure: string
  /** As written: quoted names, "each step", or nothing for all. */
  of: string
  journey: string
  /** Where its load is made, or what its users come over: kept as it is written. */
  place: string
  network: string
  during: string
  comparison: string
  limit: string
}
export const COMPARISONS = ['under', 'at most', 'over', 'at least'] as const
export const STATISTICS = ['mean', 'median', 'p90', 'p95', 'p99', 'p99.9', 'max'] as const

/** The parts of a sentence; undefined where it is none. */
export function partsOf(rule: string): GateParts | undefined {
  const read = readSentence('Gate', rule)
  if (!read.ok) return undefined
  const { spans } = read.value
  const cut = (span: readonly [number, number] | undefined) => (span === undefined ? '' : rule.slice(span[0], span[1]))
  const list = (all: readonly (readonly [number, number])[]) =>
    all.length === 0 ? '' : rule.slice(all[0]?.[0], all.at(-1)?.[1])
  return {
    statistic: cut(spans.statistic),
    measure: cut(spans.measure),
    of: list(spans.of),
    journey: cut(spans.journey),
    place: cut(spans.place),
    network: cut(spans.network),
    during: list(spans.during),
    comparison: cut(spans.comparison),
    limit: cut(spans.limit),
  }
}

/** The sentence of its parts; what a measure cannot have is left out. */
export function sentenceOf(parts: GateParts): string {
  const { hasStatistic, of, hasJourney, hasDuring } = partsAllowed(parts.measure)
  return [
    hasStatistic ? parts.statistic || 'p95' : '',
    parts.measure,
    of === 'none' || parts.of === '' ? '' : `of ${parts.of}`,
    !hasJourney || parts.journey === '' ? '' : `in journey ${parts.journey}`,
    !hasDuring || parts.place === '' ? '' : `from place ${parts.place}`,
    !hasDuring || parts.network === '' ? '' : `on network ${parts.network}`,
    !hasDuring || parts.during === '' ? '' : `during ${parts.during}`,
    parts.comparison,
    parts.limit,
  ]
    .filter((part) => part !== '')
    .join(' ')
}

/** What may stand beside a measure. */
export function partsAllowed(measure: string): {
  hasStatistic: boolean
  of: 'steps' | 'groups' | 'none'
  hasJourney: boolean
  hasDuring: boolean
} {
  const kind = measureKind(measure)
  if (kind === undefined) return { hasStatistic: false, of: 'none', hasJourney: false, hasDuring: false }
  const { family, of, byJourney } = MEASURES[kind]
  const subject = of === 'steps' || of === 'groups' ? of : 'none'
  return {
    hasStatistic: FAMILIES[family].hasStatistic,
    of: subject,
    hasJourney: byJourney,
    hasDuring: kind !== 'impact' && kind !== 'recovery',
  }
}

/** A limit to begin with, in the unit of the measure. */
export function limitFor(measure: string): string {
  const kind = measureKind(measure)
  switch (kind === undefined ? undefined : MEASURES[kind].family) {
    case 'time':
      return '500 ms'
    case 'share or count':
      return '1 %'
    case 'busy share':
      return '80 %'
    case 'rate':
      return '10/s'
    case 'byte rate':
      return '1 MB/s'
    case 'score':
      return '0.85'
    case 'recovery':
      return '20 s'
    case 'grade':
      return 'strained'
    default:
      return '100'
  }
}

function measureKind(measure: string): Measure['kind'] | undefined {
  if (measure.startsWith('apdex')) return 'apdex'
  if (measure.startsWith('metric')) return 'metric'
  if (measure.startsWith('recovery')) return 'recovery'
  const kinds: Record<string, unknown> = MEASURES
  return measure in kinds ? Object.keys(MEASURES).find((kind): kind is Measure['kind'] => kind === measure) : undefined
}
