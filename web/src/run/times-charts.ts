// The two charts of a distribution: percentiles with a logarithmic tail, and how many times there were of each length.
import type { ChartConfiguration, ChartDataset } from 'chart.js'
import { formatMs, type TimesPicture } from '@jolt-gate/core'
import type { Palette } from './lane-plugins.js'

/** One distribution among those that are drawn, with its words. */
export interface DrawnTimes {
  words: string
  picture: TimesPicture
}

/** Where a percentile stands when each power of ten of the tail is as wide as the one before: p90 at 1, p99 at 2. */
export const tailOf = (percent: number): number => -Math.log10(Math.max(1e-9, 1 - percent / 100))
export const percentAt = (tail: number): number => 100 * (1 - 10 ** -tail)

const NAMED = [0, 50, 75, 90, 99, 99.9, 99.99, 99.999]
type Point = { x: number; y: number }

const colorsOf = ({ lake, slate }: Palette) => [lake, slate]
const fontOf = { family: 'Archivo Variable', size: 11.5 }

export function curveDatasets(drawn: readonly DrawnTimes[], palette: Palette): ChartDataset<'line', Point[]>[] {
  return drawn.map(({ picture }, index) => ({
    data: picture.curve.map(({ percent, ms }) => ({ x: tailOf(percent), y: ms })),
    borderColor: colorsOf(palette)[index] ?? palette.ink,
    borderWidth: 2,
    borderDash: index === 0 ? [] : [6, 3],
    pointRadius: 0,
  }))
}

/** Shares, not counts: a part and the whole are of one height where they are alike. */
export function barDatasets(drawn: readonly DrawnTimes[], palette: Palette): ChartDataset<'line', Point[]>[] {
  return drawn.map(({ picture }, index) => ({
    data: picture.bars.flatMap(({ fromMs, toMs, count }) => {
      const y = (100 * count) / picture.count
      return [
        { x: fromMs, y },
        { x: toMs, y },
      ]
    }),
    borderColor: colorsOf(palette)[index] ?? palette.ink,
    borderWidth: 1.5,
    borderDash: index === 0 ? [] : [6, 3],
    backgroundColor: palette.started,
    fill: index === 0 ? 'origin' : false,
    pointRadius: 0,
  }))
}

export const curveOptions = (
  drawn: readonly DrawnTimes[],
  palette: Palette,
): ChartConfiguration<'line'>['options'] => ({
  ...COMMON,
  scales: {
    x: {
      type: 'linear',
      min: 0,
      max: Math.max(1, ...drawn.map(({ picture }) => tailOf(picture.curve.at(-1)?.percent ?? 90))),
      grid: { color: palette.rule },
      // The library would divide the axis evenly, which names no percentile that anybody uses.
      afterBuildTicks: (axis) => {
        // Far tails leave each power of ten too little room for what lies within the first.
        const named = axis.max > 3.5 ? NAMED.filter((percent) => percent !== 75) : NAMED
        axis.ticks = named.map((percent) => ({ value: tailOf(percent) })).filter(({ value }) => value <= axis.max)
      },
      ticks: {
        ...{ color: palette.soft, font: fontOf, autoSkip: false, maxRotation: 0 },
        callback: (value) => `p${String(Number(percentAt(Number(value)).toFixed(3)))}`,
      },
    },
    y: timeAxis(palette),
  },
})

export const barOptions = (drawn: readonly DrawnTimes[], palette: Palette): ChartConfiguration<'line'>['options'] => {
  const bars = drawn.flatMap(({ picture }) => picture.bars)
  return {
    ...COMMON,
    scales: {
      x: {
        type: 'logarithmic',
        min: Math.min(...bars.map(({ fromMs }) => fromMs)),
        max: Math.max(...bars.map(({ toMs }) => toMs)),
        grid: { display: false },
        afterBuildTicks: (axis) => {
          axis.ticks = roundTimes(axis.min, axis.max).map((value) => ({ value }))
        },
        ticks: {
          ...{ color: palette.soft, font: fontOf, maxRotation: 0 },
          callback: (value) => formatMs(Number(value)),
        },
      },
      y: {
        min: 0,
        grid: { color: palette.rule },
        border: { display: false },
        ticks: { color: palette.soft, font: fontOf, maxTicksLimit: 5, callback: (value) => `${String(value)} %` },
      },
    },
  }
}

/** One, two and five of each power of ten, in ms. */
export function roundTimes(fromMs: number, toMs: number): number[] {
  const first = Math.floor(Math.log10(fromMs))
  const powers = Array.from(
    { length: Math.max(0, Math.ceil(Math.log10(toMs)) - first) + 1 },
    (_, index) => first + index,
  )
  return powers
    .flatMap((power) => [1, 2, 5].map((digit) => digit * 10 ** power))
    .filter((ms) => ms >= fromMs && ms <= toMs)
}

const COMMON: NonNullable<ChartConfiguration<'line'>['options']> = {
  animation: false,
  maintainAspectRatio: false,
  events: [],
  parsing: false,
}

const timeAxis = (palette: Palette) => ({
  min: 0,
  grid: { color: palette.rule },
  border: { display: false },
  ticks: {
    ...{ color: palette.soft, font: fontOf, maxTicksLimit: 6 },
    callback: (value: string | number) => formatMs(Number(value)),
  },
})
