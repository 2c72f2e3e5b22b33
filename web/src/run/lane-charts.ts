// The lanes of a run: what each draws from the view of the run.
import type { ChartDataset } from 'chart.js'
import {
  BUILT_IN_LANES,
  formatMs,
  seriesText,
  seriesWords,
  unitOfSeries,
  type LimitLine,
  type BuiltInLane,
  type LaneSpec,
  type SeriesOf,
} from '@jolt-gate/core'
import { percent, rate } from '../text/figures.js'
import type { Palette } from './lane-plugins.js'
import type { RunPicture } from './run.worker.js'

export interface Point {
  x: number
  y: number
}

export interface LaneDrawing {
  name: string
  title: string
  note: string
  height: number
  /** Beams of this kind are drawn in it. */
  limitLines: LimitLine['lane'] | null
  kind: 'line' | 'bar'
  isTall: boolean
  /** The end of a second scale, where the lane has one. */
  highestRight?: (view: RunPicture) => number
  datasets: (view: RunPicture, due: number[], palette: Palette) => ChartDataset<'line' | 'bar', Point[]>[]
  /** The words at the right end: at the cursor, or of the whole run. */
  caption: (view: RunPicture, due: number[], second: number | null) => string
  tick: (value: number) => string
  highest: (view: RunPicture, due: number[]) => number
}

const points = (values: readonly (number | null)[], shift = 0.5): Point[] =>
  values.flatMap((value, second) => (value === null ? [] : [{ x: second + shift, y: value }]))
const most = (values: readonly (number | null)[]) =>
  values.reduce<number>((highest, value) => Math.max(highest, value ?? 0), 0)
const time = (value: number | null | undefined) => (value === null || value === undefined ? '–' : formatMs(value))
/** A reading as people write it: three figures that matter. */
const reading = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : String(Number(value.toPrecision(3)))
/** A time at an axis: short, whatever step the axis took. */
const timeTick = (ms: number) => (ms >= 1000 ? `${reading(ms / 1000)} s` : `${reading(ms)} ms`)
const curve = (color: string, width: number) => ({
  type: 'line' as const,
  borderColor: color,
  borderWidth: width,
  pointRadius: 0,
  pointHitRadius: 0,
  tension: 0,
})

type Drawn = Omit<LaneDrawing, 'isTall'>

const LANES: Readonly<Record<BuiltInLane, Drawn>> = {
  load: {
    name: 'load',
    title: 'Load',
    note: 'arrivals per second',
    height: 92,
    kind: 'line',
    limitLines: 'load',
    datasets: (view, due, palette) => [
      { ...curve(palette.lake, 2), data: points(due) },
      { ...curve(palette.slate, 1.3), data: points(view.users), borderDash: [4, 3] },
      {
        type: 'bar',
        data: points(view.started),
        backgroundColor: palette.started,
        barThickness: 'flex',
        categoryPercentage: 0.9,
        barPercentage: 0.9,
      },
    ],
    caption: (view, due, second) =>
      second === null
        ? `due at most ${rate(most(due))}/s · at most ${rate(most(view.users))} users`
        : `due ${rate(due[second] ?? 0)}/s · started ${String(view.started[second] ?? 0)} · ${String(view.users[second] ?? 0)} users`,
    tick: (value) => `${rate(value)}/s`,
    highest: (view, due) => Math.max(most(due), most(view.started), most(view.users)),
  },
  time: {
    name: 'time',
    title: 'Response time',
    note: 'median, p95, p99',
    height: 168,
    kind: 'line',
    limitLines: 'time',
    datasets: (view, _, palette) => [
      { ...curve(palette.lake, 1.6), data: points(view.median) },
      { ...curve(palette.slate, 1.8), data: points(view.p95) },
      { ...curve(palette.far, 1), data: points(view.p99), fill: 'origin', backgroundColor: palette.farFill },
    ],
    caption: (view, _, second) =>
      second === null
        ? `p99 at most ${time(most(view.p99))}`
        : `median ${time(view.median[second])} · p95 ${time(view.p95[second])} · p99 ${time(view.p99[second])}`,
    tick: timeTick,
    highest: (view) => most(view.p99),
  },
  failures: {
    name: 'failures',
    title: 'Failures',
    note: 'by kind, per second',
    height: 62,
    kind: 'bar',
    limitLines: 'failures',
    datasets: (view, _, palette) => {
      const colors = [palette.brick, palette.ochre, palette.slate, palette.ink]
      return view.failures.map(({ counts }, index) => ({
        type: 'bar' as const,
        // Seconds without failures stay: the chart takes the width of a bar from the distance to its neighbour.
        data: points(counts),
        backgroundColor: colors[Math.min(index, colors.length - 1)] ?? palette.ink,
        barThickness: 'flex' as const,
        barPercentage: 0.8,
        stack: 'failures',
      }))
    },
    caption: (view, _, second) => {
      const parts = view.failures.map(
        ({ kind, total, counts }) => `${kind} ${String(second === null ? total : (counts[second] ?? 0))}`,
      )
      return parts.length === 0 ? 'none' : parts.join(' · ')
    },
    tick: (value) => (Number.isInteger(value) ? String(value) : ''),
    highest: (view) =>
      Math.max(
        1,
        view.failures.reduce((sum, { counts }) => sum + most(counts), 0),
      ),
  },
  throughput: {
    name: 'throughput',
    title: 'Throughput',
    note: 'passed per second',
    height: 70,
    kind: 'line',
    limitLines: 'throughput',
    datasets: (view, _, palette) => [{ ...curve(palette.lake, 1.6), data: points(passedIn(view)) }],
    caption: (view, _, second) =>
      second === null ? `at most ${rate(most(passedIn(view)))}/s` : `${String(passedIn(view)[second] ?? 0)}/s`,
    tick: (value) => `${rate(value)}/s`,
    highest: (view) => most(passedIn(view)),
  },
  generator: {
    name: 'generator',
    title: 'Generator',
    note: 'start lag p99',
    height: 54,
    kind: 'line',
    limitLines: null,
    datasets: (view, _, palette) => [{ ...curve(palette.lake, 1.3), data: points(view.startLag) }],
    caption: (view, _, second) =>
      second === null
        ? `start lag at most ${time(most(view.startLag))} · at most ${percent(most(view.busy))} busy`
        : `start lag ${time(view.startLag[second])} · ${percent(view.busy[second] ?? 0)} busy`,
    tick: timeTick,
    highest: (view) => Math.max(1, most(view.startLag)),
  },
  /** What the target told of itself, where its file names metrics: each a line, with its ceiling dashed. */
  metrics: {
    name: 'metrics',
    title: 'Target metrics',
    note: 'read each second',
    height: 70,
    kind: 'line',
    limitLines: null,
    datasets: (view, _, palette) => {
      const colors = [palette.lake, palette.ochre, palette.slate, palette.ink]
      return view.metrics.flatMap(({ values, ceiling }, index) => {
        const color = colors[Math.min(index, colors.length - 1)] ?? palette.ink
        const line = { ...curve(color, 1.6), data: points(values) }
        if (ceiling === null) return [line]
        return [line, { ...curve(color, 1), data: points(values.map(() => ceiling)), borderDash: [3, 4] }]
      })
    },
    caption: (view, _, second) =>
      view.metrics
        .map(
          ({ name, values }) =>
            `${name} ${second === null ? `at most ${reading(most(values))}` : reading(values[second])}`,
        )
        .join(' · '),
    tick: (value) => reading(value),
    highest: (view) => Math.max(1, ...view.metrics.map(({ values, ceiling }) => Math.max(most(values), ceiling ?? 0))),
  },
}

const passedIn = (view: RunPicture): number[] =>
  view.requests.map((all, second) => Math.max(0, all - (view.failed[second] ?? 0)))

/** What a run has: those whose series it lacks are left out. */
export function defaultLanes({ metrics, limitLines }: Pick<RunPicture, 'metrics' | 'limitLines'>): LaneSpec[] {
  return BUILT_IN_LANES.filter(
    (name) =>
      (name !== 'metrics' || metrics.length > 0) &&
      (name !== 'throughput' || limitLines.some(({ lane }) => lane === 'throughput')),
  ).map((name) => ({ kind: 'built in', name, isTall: false }))
}

const TALLER = 1.9

/** The lanes that are asked for, as they are drawn. */
export function lanesOf(specs: readonly LaneSpec[]): LaneDrawing[] {
  return specs.map((spec) => {
    const drawn = spec.kind === 'own' ? ownLane(spec.series) : LANES[spec.name]
    return { ...drawn, isTall: spec.isTall, height: Math.round(drawn.height * (spec.isTall ? TALLER : 1)) }
  })
}

/** A lane of series that somebody chose: the first unit stands at the left, the second has a scale without figures. */
function ownLane(series: readonly SeriesOf[]): Drawn {
  const [unit = ''] = series.map(unitOfSeries)
  const format = formatOf(unit)
  const valuesOf = (view: RunPicture, one: SeriesOf) => view.own[seriesText(one)] ?? []
  const [left, right] = [true, false].map((isLeft) => series.filter((one) => (unitOfSeries(one) === unit) === isLeft))
  const highestOf = (view: RunPicture, some: readonly SeriesOf[] = []) =>
    Math.max(0, ...some.map((one) => most(valuesOf(view, one))))
  const subjects = [...new Set(series.map((one) => ('name' in one ? one.name : 'generator')))]
  const figures = series.map((one) => ('figure' in one ? one.figure : 'value'))
  return {
    name: series.map(seriesText).join('+'),
    title: subjects.length === 1 ? (subjects[0] ?? '') : 'Own lane',
    note: subjects.length === 1 ? figures.join(', ') : series.map(seriesWords).join(', '),
    height: 70,
    kind: 'line',
    limitLines: null,
    datasets: (view, _, palette) => {
      const colors = [palette.lake, palette.ochre, palette.slate, palette.ink]
      return series.map((one, index) => ({
        ...curve(colors[index] ?? palette.ink, 1.6),
        data: points(valuesOf(view, one)),
        yAxisID: unitOfSeries(one) === unit ? 'y' : 'right',
        ...(unitOfSeries(one) === unit ? {} : { borderDash: [5, 3] }),
      }))
    },
    caption: (view, _, second) =>
      series
        .map((one) => {
          const values = valuesOf(view, one)
          const words = formatOf(unitOfSeries(one))
          const value = second === null ? most(values) : (values[second] ?? null)
          const said = value === null ? '–' : words(value)
          return `${'figure' in one ? one.figure : one.name} ${second === null ? `at most ${said}` : said}`
        })
        .join(' · '),
    tick: unit === 'ms' ? timeTick : (value) => format(value),
    highest: (view) => highestOf(view, left) || 1,
    ...(right === undefined || right.length === 0 ? {} : { highestRight: (view) => highestOf(view, right) || 1 }),
  }
}

function formatOf(unit: string): (value: number) => string {
  if (unit === 'ms') return formatMs
  if (unit === '/s') return (value) => `${rate(value)}/s`
  return unit === '%' ? (value) => `${reading(value)} %` : (value) => reading(value)
}
