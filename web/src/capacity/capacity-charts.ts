// The two charts of a search: what a gate observed at each load, and throughput by users in the service.
import type { Chart, ChartConfiguration, Plugin } from 'chart.js'
import { formatValue, loadWords, throughputBy, type CapacityUnit, type Law, type TrialMade } from '@jolt-gate/core'
import { rate } from '../text/figures.js'
import type { Palette } from '../run/lane-plugins.js'
import { gateOf } from './capacity-words.js'

export interface DrawnSearch {
  unit: CapacityUnit
  trials: readonly TrialMade[]
  /** The gate that is drawn. */
  rule: string
  answer: { load: number; interval: readonly [number, number] | null } | null
  law: Law | null
}
interface Point {
  x: number
  y: number
  number: number
  end: number | null
  answer: TrialMade['answer']
}
export const FONT = { family: 'Archivo Variable', size: 11.5 }
const CURVE_POINTS = 80
const STYLES = { held: 'circle', breached: 'rect', undecided: 'rectRot', 'not delivered': 'rectRot' } as const

const colorOf = (answer: Point['answer'], palette: Palette) =>
  answer === 'held' ? palette.lake : answer === 'breached' ? palette.brick : palette.soft

export function gateChart(
  { unit, trials, rule, answer }: DrawnSearch,
  palette: Palette,
): ChartConfiguration<'scatter', Point[]> {
  const points = trials.flatMap((trial, index): Point[] => {
    const gate = gateOf(trial, rule)
    if (gate === undefined || gate.observed === null) return []
    const end = gate.interval?.[0] ?? gate.interval?.[1] ?? null
    return [{ x: trial.load, y: gate.observed, number: index + 1, end, answer: trial.answer }]
  })
  const known = trials.map((trial) => gateOf(trial, rule)).find((gate) => gate !== undefined)
  const valueUnit = known?.unit ?? 'ms'
  // Times grow by powers of ten where a queue fills; shares may be nothing.
  const isTime = valueUnit === 'ms' && points.every(({ y }) => y > 0)
  const limit = known?.limit ?? null
  const ys = points.flatMap(({ y, end }) => [y, ...(end === null || (isTime && end <= 0) ? [] : [end])])
  const top = Math.max(limit ?? 0, ...ys)
  return {
    type: 'scatter',
    data: { datasets: [dots(points, palette)] },
    options: {
      ...COMMON,
      scales: {
        x: loadAxis(trials, unit, palette),
        y: {
          ...(isTime
            ? { type: 'logarithmic', min: 0.7 * Math.min(limit ?? Infinity, ...ys), max: 1.5 * top }
            : { type: 'linear', min: 0, max: 1.15 * top || 1 }),
          ...{ grid: { color: palette.rule }, border: { display: false } },
          ticks: {
            ...{ color: palette.soft, font: FONT, maxTicksLimit: 5, includeBounds: false },
            callback: (value) => formatValue(Number(value), valueUnit),
          },
        },
      },
    },
    plugins: [
      answerBand(answer, unit, palette),
      limitLine(limit, valueUnit, palette),
      intervals(palette),
      numbers(palette),
    ],
  }
}

export function throughputChart(
  { trials, law }: DrawnSearch,
  palette: Palette,
): ChartConfiguration<'scatter', Point[]> {
  const points = trials.map(({ users: x, throughput: y, answer }, index): Point => ({
    x,
    y,
    number: index + 1,
    end: null,
    answer,
  }))
  const most = Math.max(1, ...points.map(({ x }) => x))
  const users = Array.from({ length: CURVE_POINTS }, (_, index) => most * ((index + 1) / CURVE_POINTS) ** 2)
  const curve = law === null ? [] : users.map((one) => throughputBy(law, one))
  const top = Math.max(1, ...points.map(({ y }) => y), ...curve)
  const at = (users: number, y: number): Point => ({ x: users, y, number: 0, end: null, answer: 'held' })
  const line = { pointRadius: 0, borderWidth: 1.8, showLine: true }
  return {
    type: 'scatter',
    data: {
      datasets: [
        dots(points, palette),
        ...(law === null
          ? []
          : [
              { ...line, data: users.map((one) => at(one, throughputBy(law, one))), borderColor: palette.slate },
              {
                ...{ ...line, data: [at(0, 0), at(top / law.alone, top)], borderColor: palette.soft },
                ...{ borderWidth: 1, borderDash: [4, 3] },
              },
            ]),
      ],
    },
    options: {
      ...COMMON,
      scales: {
        x: {
          ...{ type: 'linear', min: 0, max: 1.05 * most, grid: { display: false } },
          ticks: { color: palette.soft, font: FONT, maxTicksLimit: 7, includeBounds: false },
        },
        y: {
          ...{ type: 'linear', min: 0, max: 1.15 * top, grid: { color: palette.rule }, border: { display: false } },
          ticks: {
            color: palette.soft,
            font: FONT,
            maxTicksLimit: 5,
            includeBounds: false,
            callback: (value) => `${rate(Number(value))}/s`,
          },
        },
      },
    },
    plugins: [numbers(palette)],
  }
}

export const COMMON: NonNullable<ChartConfiguration<'scatter'>['options']> = {
  ...{ animation: false, maintainAspectRatio: false, events: [] },
  plugins: { legend: { display: false }, tooltip: { enabled: false } },
  layout: { padding: { right: 26, top: 6 } },
}

const dots = (points: Point[], palette: Palette) => ({
  ...{ data: points, pointRadius: 4.5, clip: false as const },
  pointBackgroundColor: points.map(({ answer }) => colorOf(answer, palette)),
  pointBorderWidth: 0,
  // By more than colour: what did not hold is a square, what told nothing stands on a corner.
  pointStyle: points.map(({ answer }) => STYLES[answer]),
})

function loadAxis(trials: readonly TrialMade[], unit: CapacityUnit, palette: Palette) {
  const loads = trials.map(({ load }) => load)
  return {
    ...({ type: 'logarithmic', min: 0.9 * Math.min(...loads), max: 1.15 * Math.max(...loads) } as const),
    grid: { display: false },
    afterBuildTicks: (axis: { min: number; max: number; ticks: { value: number }[] }) => {
      const [lowest = 1] = loads.toSorted((one, other) => one - other)
      const doubled = Array.from({ length: 24 }, (_, power) => lowest * 2 ** power)
      axis.ticks = doubled.filter((value) => value <= axis.max).map((value) => ({ value }))
    },
    ticks: {
      ...{ color: palette.soft, font: FONT, maxRotation: 0 },
      callback: (value: string | number) => loadWords(Number(Number(value).toPrecision(3)), unit),
    },
  }
}

type Draw = (context: CanvasRenderingContext2D, chart: Chart) => void
export const drawing = (
  id: string,
  when: 'beforeDatasetsDraw' | 'afterDatasetsDraw',
  draw: Draw,
): Plugin<'scatter'> => ({
  id,
  [when]: (chart: Chart) => {
    chart.ctx.save()
    chart.ctx.font = `${String(FONT.size)}px "${FONT.family}"`
    draw(chart.ctx, chart)
    chart.ctx.restore()
  },
})

export const scaleOf = (chart: Chart, axis: 'x' | 'y', value: number) =>
  chart.scales[axis]?.getPixelForValue(value) ?? 0

const intervals = (palette: Palette) =>
  drawing('intervals', 'beforeDatasetsDraw', (context, chart) => {
    const { left, right, top, bottom } = chart.chartArea
    context.beginPath()
    context.rect(left - 6, top, right - left + 12, bottom - top)
    context.clip()
    for (const { x, y, end, answer } of pointsOf(chart)) {
      if (end === null) continue
      const [from, to] = [scaleOf(chart, 'y', y), scaleOf(chart, 'y', end)]
      context.fillStyle = colorOf(answer, palette)
      context.globalAlpha = 0.28
      context.fillRect(scaleOf(chart, 'x', x) - 4, Math.min(from, to), 8, Math.abs(to - from))
    }
  })

const numbers = (palette: Palette) =>
  drawing('numbers', 'afterDatasetsDraw', (context, chart) => {
    context.fillStyle = palette.soft
    for (const { x, y, number } of pointsOf(chart))
      context.fillText(String(number), scaleOf(chart, 'x', x) + 8, scaleOf(chart, 'y', y) + 4)
  })

const limitLine = (limit: number | null, unit: Parameters<typeof formatValue>[1], palette: Palette) =>
  drawing('limit', 'afterDatasetsDraw', (context, chart) => {
    if (limit === null) return
    const { left, right } = chart.chartArea
    const y = scaleOf(chart, 'y', limit)
    context.fillStyle = palette.ink
    context.fillRect(left, y - 0.75, right - left, 1.5)
    context.font = `650 ${String(FONT.size)}px "${FONT.family}"`
    context.fillText(`limit ${formatValue(limit, unit)}`, left + 8, y - 5)
  })

const answerBand = (answer: DrawnSearch['answer'], unit: CapacityUnit, palette: Palette) =>
  drawing('answer', 'beforeDatasetsDraw', (context, chart) => {
    if (answer === null) return
    const { top, bottom, left, right } = chart.chartArea
    const at = (load: number) => Math.min(right, Math.max(left, scaleOf(chart, 'x', load)))
    const [low, high] = answer.interval ?? [answer.load, answer.load]
    context.fillStyle = palette.marked
    context.fillRect(at(low), top, at(high) - at(low), bottom - top)
    context.fillStyle = palette.ochre
    context.fillRect(at(answer.load) - 1, top, 2, bottom - top)
    context.font = `650 ${String(FONT.size)}px "${FONT.family}"`
    context.textAlign = 'right'
    context.fillText(loadWords(Number(answer.load.toPrecision(3)), unit), at(Math.min(low, answer.load)) - 6, top + 14)
  })

const isPoint = (value: unknown): value is Point => typeof value === 'object' && value !== null && 'number' in value
const pointsOf = (chart: Chart): Point[] =>
  (chart.data.datasets[0]?.data ?? []).flatMap((value) => (isPoint(value) ? [value] : []))
