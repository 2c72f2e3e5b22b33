// Finds changes of level: a permutation test of each series takes longer than a page may stand still.
import { readTrend } from '@jolt-gate/core'
import type { TrendRead } from './trend-picture.js'

export interface ToTrendWorker {
  /** Which of the answers this is to be. */
  number: number
  counts: boolean[]
  series: { key: string; values: (number | null)[] }[]
}
export interface FromTrendWorker {
  number: number
  reads: [key: string, read: TrendRead][]
}

self.onmessage = ({ data: { number, counts, series } }: MessageEvent<ToTrendWorker>) => {
  const reads = series.map(({ key, values }): [string, TrendRead] => [key, readTrend(values, counts)])
  const answer: FromTrendWorker = { number, reads }
  self.postMessage(answer)
}
