// The lanes of a run's page, as a text that stands in its address: "load,time!,step~search~p95+step~search~failed".
// Lanes are parted by commas, the series of one by +, the parts of a series by ~; ! makes a lane taller.
import type { RunShape } from '../measure/shape.js'

export const BUILT_IN_LANES = ['load', 'time', 'failures', 'throughput', 'metrics', 'generator'] as const
export type BuiltInLane = (typeof BUILT_IN_LANES)[number]

const STEP_FIGURES = ['median', 'p95', 'p99', 'requests', 'failed'] as const
const SCOPE_FIGURES = ['median', 'p95', 'p99', 'finished', 'failed'] as const
const GENERATOR_FIGURES = ['error', 'stall', 'busy', 'steal'] as const

/** One series that a run has, by second. */
export type SeriesOf =
  | { of: 'step'; name: string; figure: (typeof STEP_FIGURES)[number] }
  | { of: 'place'; name: string; figure: (typeof STEP_FIGURES)[number] }
  | { of: 'network'; name: string; figure: (typeof STEP_FIGURES)[number] }
  | { of: 'group' | 'journey'; name: string; figure: (typeof SCOPE_FIGURES)[number] }
  | { of: 'metric'; name: string }
  | { of: 'generator'; figure: (typeof GENERATOR_FIGURES)[number] }

export type LaneSpec = { isTall: boolean } & (
  { kind: 'built in'; name: BuiltInLane } | { kind: 'own'; series: readonly SeriesOf[] }
)

/** A page has so many lanes of one's own, each with so many series in so many units. */
export const MOST_OWN_LANES = 4
export const MOST_IN_LANE = 4
export const MOST_UNITS = 2
const MOST_LANES = BUILT_IN_LANES.length + MOST_OWN_LANES

/** The lanes that a text names; what it does not name rightly is left out. */
export function readLanes(text: string): LaneSpec[] {
  const lanes: LaneSpec[] = []
  for (const part of text.split(',').slice(0, 3 * MOST_LANES)) {
    const isTall = part.endsWith('!')
    const words = isTall ? part.slice(0, -1) : part
    const name = BUILT_IN_LANES.find((one) => one === words)
    const known = (one: LaneSpec) => one.kind === 'built in' && one.name === name
    if (name !== undefined) {
      if (!lanes.some(known)) lanes.push({ kind: 'built in', name, isTall })
      continue
    }
    const series = words.split('+').flatMap((one) => readSeries(one) ?? [])
    if (isLane(series) && lanes.filter(({ kind }) => kind === 'own').length < MOST_OWN_LANES)
      lanes.push({ kind: 'own', series, isTall })
  }
  return lanes
}

/** Whether some series go together in a lane. */
export function isLane(series: readonly SeriesOf[]): boolean {
  const units = new Set(series.map(unitOfSeries))
  return series.length > 0 && series.length <= MOST_IN_LANE && units.size <= MOST_UNITS
}

/** Lanes as a text for an address; `readLanes` reads it. */
export const lanesText = (lanes: readonly LaneSpec[]): string =>
  lanes
    .map(
      (lane) => `${lane.kind === 'own' ? lane.series.map(seriesText).join('+') : lane.name}${lane.isTall ? '!' : ''}`,
    )
    .join(',')

/** A series as text; the same series has the same text. */
export function seriesText(series: SeriesOf): string {
  const name = 'name' in series ? [escaped(series.name)] : []
  const figure = 'figure' in series ? [series.figure] : []
  return [series.of, ...name, ...figure].join('~')
}

const escaped = (name: string): string =>
  encodeURIComponent(name).replaceAll(/[~!]/g, (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`)

function readSeries(text: string): SeriesOf | undefined {
  const [of, ...rest] = text.split('~')
  const [first = '', second = ''] = rest
  const name = decoded(first)
  if (of === 'generator') {
    const figure = GENERATOR_FIGURES.find((one) => one === first)
    return figure === undefined ? undefined : { of, figure }
  }
  if (name === undefined || name === '') return undefined
  if (of === 'metric') return { of, name }
  if (of === 'step' || of === 'place' || of === 'network') {
    const figure = STEP_FIGURES.find((one) => one === second)
    return figure === undefined ? undefined : { of, name, figure }
  }
  if (of !== 'group' && of !== 'journey') return undefined
  const figure = SCOPE_FIGURES.find((one) => one === second)
  return figure === undefined ? undefined : { of, name, figure }
}

function decoded(text: string): string | undefined {
  try {
    return decodeURIComponent(text)
  } catch {
    return undefined
  }
}

/** What its values are counted in; a metric has a unit of its own. */
export function unitOfSeries(series: SeriesOf): string {
  if (series.of === 'metric') return `metric ${series.name}`
  switch (series.figure) {
    case 'median':
    case 'p95':
    case 'p99':
    case 'error':
    case 'stall':
      return 'ms'
    case 'busy':
    case 'steal':
      return '%'
    default:
      return '/s'
  }
}

/** A series in words: "search sailings p95". */
export function seriesWords(series: SeriesOf): string {
  if (series.of === 'generator') return `generator ${series.figure}`
  if (series.of === 'place') return `from ${series.name} ${series.figure}`
  if (series.of === 'network') return `over ${series.name} ${series.figure}`
  return series.of === 'metric' ? series.name : `${series.name} ${series.figure}`
}

/** All series that a run has. */
export function seriesIn({ steps, groups, journeys, places = [], networks = [], metrics }: RunShape): SeriesOf[] {
  return [
    ...steps.flatMap(({ name, isRequest }) =>
      isRequest ? STEP_FIGURES.map((figure): SeriesOf => ({ of: 'step', name, figure })) : [],
    ),
    ...groups.flatMap((name) => SCOPE_FIGURES.map((figure): SeriesOf => ({ of: 'group', name, figure }))),
    ...journeys.flatMap((name) => SCOPE_FIGURES.map((figure): SeriesOf => ({ of: 'journey', name, figure }))),
    ...places.flatMap((name) => STEP_FIGURES.map((figure): SeriesOf => ({ of: 'place', name, figure }))),
    ...networks.flatMap((name) => STEP_FIGURES.map((figure): SeriesOf => ({ of: 'network', name, figure }))),
    ...metrics.map(({ name }): SeriesOf => ({ of: 'metric', name })),
    ...GENERATOR_FIGURES.map((figure): SeriesOf => ({ of: 'generator', figure })),
  ]
}
