// Series that somebody asked for, worked out second by second, and only once for each.
import type { Bucket, StepCell } from '../measure/bucket.js'
import { pool } from '../measure/cells.js'
import type { RunShape } from '../measure/shape.js'
import type { Distribution } from '../numbers/distribution.js'
import { sum } from '../judge/scope.js'
import { seriesText, type SeriesOf } from './lanes.js'
import type { RunView } from './run-view.js'

export type SeriesValues = (number | null)[]

export class OwnSeries {
  /** Values so far, by the text of the series, and the buckets that were read. */
  private readonly known = new Map<string, { values: SeriesValues; read: number }>()

  constructor(private readonly view: RunView) {}

  /** By second; times in ms, counts, shares in percent, metrics in their own unit. Null where there was nothing. */
  valuesOf(series: SeriesOf): SeriesValues {
    const { view } = this
    if (series.of === 'metric') {
      const index = view.shape.metrics.findIndex(({ name }) => name === series.name)
      return view.series.metrics[index] ?? []
    }
    if (series.of === 'generator') {
      const values = view.series[series.figure]
      const isShare = series.figure === 'busy' || series.figure === 'steal'
      return isShare ? values.map((value) => 100 * value) : values
    }
    const text = seriesText(series)
    const known = this.known.get(text) ?? { values: [], read: 0 }
    this.known.set(text, known)
    const buckets = this.bucketsOf(series)
    for (; known.read < buckets.length; known.read++) {
      const bucket = buckets[known.read]
      if (bucket === undefined) continue
      while (known.values.length < bucket.second) known.values.push(null)
      known.values[bucket.second] = valueIn(bucket, series, view.shape)
    }
    return known.values
  }

  private bucketsOf(series: SeriesOf): readonly Bucket[] {
    const { view } = this
    if (series.of !== 'place' && series.of !== 'network') return view.buckets
    const parts = series.of === 'place' ? view.places : view.networks
    return parts.find(({ name }) => name === series.name)?.view.buckets ?? []
  }
}

function valueIn(
  bucket: Bucket,
  series: Exclude<SeriesOf, { of: 'metric' | 'generator' }>,
  shape: RunShape,
): number | null {
  if (series.of === 'step' || series.of === 'place' || series.of === 'network') {
    const { of, name, figure } = series
    // The seconds of a part are of that part alone.
    const cells = of === 'step' ? cellsOfStep(bucket, name, shape) : bucket.steps
    if (figure === 'requests' || figure === 'failed') return sum(cells, (cell) => cell[figure])
    return timeOf(
      cells.map(({ responseTime }) => responseTime),
      figure,
    )
  }
  const names = series.of === 'group' ? shape.groups : shape.journeys
  const scope = names.indexOf(series.name)
  const all = series.of === 'group' ? bucket.groups : bucket.journeys
  const cells = all.filter((cell) => cell.scope === scope)
  if (series.figure === 'finished') return sum(cells, ({ finished }) => finished)
  if (series.figure === 'failed') return sum(cells, ({ endedFailed, cutOff }) => endedFailed + cutOff)
  return timeOf(
    cells.map(({ time }) => time),
    series.figure,
  )
}

function cellsOfStep({ steps }: Bucket, name: string, shape: RunShape): StepCell[] {
  const step = shape.steps.findIndex((one) => one.name === name)
  return steps.filter((cell) => cell.step === step)
}

function timeOf(times: readonly Distribution[], figure: 'median' | 'p95' | 'p99'): number | null {
  const all = pool(times)
  if (all.count === 0) return null
  return all.percentile(figure === 'median' ? 50 : Number(figure.slice(1))) / 1000
}
