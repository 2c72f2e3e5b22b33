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

/** One colour of a lane, with its figure. */
export interface Readout {
  /** A token of colour. */
  color: string
  look: 'line' | 'dashed' | 'bar'
  label: string
  value: string
}

export interface LaneDrawing {
  name: string
  title: string
  note: string
  height: number
  /** Limit lines of this kind are drawn in it. */
  limitLines: LimitLine['lane'] | null
  kind: 'line' | 'bar'
  isTall: boolean
  /** The end of a second scale, where the lane has one. */
  highestRight?: (view: RunPicture) => number
  datasets: (view: RunPicture, due: number[], palette: Palette) => ChartDataset<'line' | 'bar', Point[]>[]
  /** What stands beside it: its colours, and what they come to at the cursor, or over the whole run. */
  readouts: (view: RunPicture, due: number[], second: number | null) => Readout[]
  /** What a readout over the whole run is. */
  over: 'peak' | 'total'
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

/** At a second, or the peak of all; null where there was nothing. */
const at = (values: readonly (number | null)[], second: number | null): number | null =>
  second !== null ? (values[second] ?? null) : values.some((value) => value !== null) ? most(values) : null
const line = (color: string, label: string, value: string): Readout => ({ color, look: 'line', label, value })
const LINE_COLORS = ['lake', 'ochre', 'slate', 'ink'] as const
const lineColor = (index: number): string => LINE_COLORS[index] ?? 'ink'
const FAILURE_COLORS = ['brick', 'ochre', 'slate', 'ink'] as const

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
    over: 'peak',
    readouts: (view, due, second) => [
      line('lake', 'due', `${rate(at(due, second) ?? 0)}/s`),
      { color: 'lane-started', look: 'bar', label: 'started', value: `${rate(at(view.started, second) ?? 0)}/s` },
      { ...line('slate', 'users', rate(at(view.users, second) ?? 0)), look: 'dashed' },
    ],
    tick: (value) => `${rate(value)}/s`,
    highest: (view, due) => Math.max(most(due), most(view.started), most(view.users)),
  },
  time: {
    name: 'time',
    title: 'Response time',
    note: 'of requests ending in a second',
    height: 168,
    kind: 'line',
    limitLines: 'time',
    datasets: (view, _, palette) => [
      { ...curve(palette.lake, 1.6), data: points(view.median) },
      { ...curve(palette.slate, 1.8), data: points(view.p95) },
      { ...curve(palette.far, 1), data: points(view.p99), fill: 'origin', backgroundColor: palette.farFill },
    ],
    over: 'peak',
    readouts: (view, _, second) => [
      line('lake', 'median', time(at(view.median, second))),
      line('slate', 'p95', time(at(view.p95, second))),
      line('lane-far', 'p99', time(at(view.p99, second))),
    ],
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
      const colors = FAILURE_COLORS.map((name) => palette[name])
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
    over: 'total',
    readouts: (view, _, second) => {
      const all = view.failures.map(({ kind, total, counts }, index): Readout => ({
        color: FAILURE_COLORS[Math.min(index, FAILURE_COLORS.length - 1)] ?? 'ink',
        look: 'bar',
        label: kind,
        value: String(second === null ? total : (counts[second] ?? 0)),
      }))
      return all.length === 0 ? [{ color: 'brick', look: 'bar', label: 'failed', value: '0' }] : all
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
    note: 'passed requests per second',
    height: 70,
    kind: 'line',
    limitLines: 'throughput',
    datasets: (view, _, palette) => [{ ...curve(palette.lake, 1.6), data: points(passedIn(view)) }],
    over: 'peak',
    readouts: (view, _, second) => [line('lake', 'passed', `${rate(at(passedIn(view), second) ?? 0)}/s`)],
    tick: (value) => `${rate(value)}/s`,
    highest: (view) => most(passedIn(view)),
  },
  generator: {
    name: 'generator',
    title: 'Generator',
    note: 'start lag at p99',
    height: 54,
    kind: 'line',
    limitLines: null,
    datasets: (view, _, palette) => [{ ...curve(palette.lake, 1.3), data: points(view.startLag) }],
    over: 'peak',
    readouts: (view, _, second) => [
      line('lake', 'start lag', time(at(view.startLag, second))),
      { color: 'transparent', look: 'line', label: 'busy', value: percent(at(view.busy, second) ?? 0) },
    ],
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
      const colors = LINE_COLORS.map((name) => palette[name])
      return view.metrics.flatMap(({ values, ceiling }, index) => {
        const color = colors[Math.min(index, colors.length - 1)] ?? palette.ink
        const line = { ...curve(color, 1.6), data: points(values) }
        if (ceiling === null) return [line]
        return [line, { ...curve(color, 1), data: points(values.map(() => ceiling)), borderDash: [3, 4] }]
      })
    },
    over: 'peak',
    readouts: (view, _, second) =>
      view.metrics.map(({ name, values, unit }, index) =>
        line(lineColor(index), name, `${reading(at(values, second))}${unit === '' ? '' : ` ${unit}`}`),
      ),
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
  return {
    name: series.map(seriesText).join('+'),
    title: subjects.length === 1 ? (subjects[0] ?? '') : 'Own lane',
    note: [...new Set(series.map(unitOfSeries).map((one) => (one.startsWith('metric ') ? 'as read' : one)))].join(', '),
    height: 70,
    kind: 'line',
    limitLines: null,
    datasets: (view, _, palette) => {
      const colors = LINE_COLORS.map((name) => palette[name])
      return series.map((one, index) => ({
        ...curve(colors[index] ?? palette.ink, 1.6),
        data: points(valuesOf(view, one)),
        yAxisID: unitOfSeries(one) === unit ? 'y' : 'right',
        ...(unitOfSeries(one) === unit ? {} : { borderDash: [5, 3] }),
      }))
    },
    over: 'peak',
    readouts: (view, _, second) =>
      series.map((one, index) => {
        const value = at(valuesOf(view, one), second)
        const label = subjects.length === 1 && 'figure' in one ? one.figure : seriesWords(one)
        const said = value === null ? '–' : formatOf(unitOfSeries(one))(value)
        return { ...line(lineColor(index), label, said), look: unitOfSeries(one) === unit ? 'line' : 'dashed' }
      }),
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
