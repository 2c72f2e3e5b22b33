// What searches of one plan found, from the oldest to the latest.
import type { ChartConfiguration } from 'chart.js'
import { loadWords } from '@jolt-gate/core'
import type { CapacityLine } from '@jolt-gate/core/api'
import type { Palette } from '../run/lane-plugins.js'
import { COMMON, drawing, FONT, scaleOf } from './capacity-charts.js'

/** A search that found a capacity, or how much holds at least. */
export interface Found {
  id: string
  load: number
  interval: readonly [number, number] | null
  askedAt: string
}

/** The searches that are comparable with one: of its plan and target, that looked for the same, and found something. */
export function comparableWith(one: CapacityLine, others: readonly CapacityLine[]): Found[] {
  return [one, ...others]
    .flatMap(({ id, load, interval, askedAt, verdict, goal, planFile, targetName }) => {
      const isLike = planFile === one.planFile && targetName === one.targetName && goal.unit === one.goal.unit
      const isFound = load !== null && verdict === 'open' && goal.kind === 'search'
      return isLike && isFound ? [{ id, load, interval, askedAt }] : []
    })
    .toSorted((earlier, later) => Date.parse(earlier.askedAt) - Date.parse(later.askedAt))
}

type Mark = { x: number; y: number }

/** One mark a search, with its interval: the one that is shown is ochre, and one that could not go higher points up. */
export function trendChart(
  found: readonly Found[],
  { shown, unit }: { shown: string; unit: CapacityLine['goal']['unit'] },
  palette: Palette,
): ChartConfiguration<'scatter', Mark[]> {
  const top = Math.max(1, ...found.flatMap(({ load, interval }) => [load, interval?.[1] ?? 0]))
  const colors = found.map(({ id }) => (id === shown ? palette.ochre : palette.lake))
  const spans = drawing('spans', 'beforeDatasetsDraw', (context, chart) => {
    context.globalAlpha = 0.28
    for (const [x, { interval }] of found.entries()) {
      if (interval === null) continue
      const [from, to] = interval.map((load) => scaleOf(chart, 'y', load))
      context.fillStyle = colors[x] ?? palette.lake
      context.fillRect(scaleOf(chart, 'x', x) - 4, to ?? 0, 8, (from ?? 0) - (to ?? 0))
    }
  })
  return {
    type: 'scatter',
    data: {
      datasets: [
        {
          ...{ data: found.map(({ load }, x) => ({ x, y: load })), pointRadius: 4.5, clip: false as const },
          ...{ pointBackgroundColor: colors, pointBorderWidth: 0 },
          pointStyle: found.map(({ interval }) => (interval === null ? 'triangle' : 'circle')),
        },
      ],
    },
    options: {
      ...COMMON,
      scales: {
        x: { type: 'linear', min: -0.5, max: found.length - 0.5, display: false },
        y: {
          ...{ type: 'linear', min: 0, max: 1.1 * top, grid: { color: palette.rule }, border: { display: false } },
          ticks: {
            ...{ color: palette.soft, font: FONT, maxTicksLimit: 4, includeBounds: false },
            callback: (value) => loadWords(Number(value), unit),
          },
        },
      },
    },
    plugins: [spans],
  }
}
