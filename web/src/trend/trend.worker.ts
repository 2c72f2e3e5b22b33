// Finds changes of level: a permutation test of each series takes longer than a page may stand still.
import { readTrends, type TrendRead } from '@jolt-gate/core'

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
  const found = readTrends(
    series.map(({ values }) => values),
    counts,
  )
  const reads = series.flatMap(({ key }, index): [string, TrendRead][] => {
    const read = found[index]
    return read === undefined ? [] : [[key, read]]
  })
  const answer: FromTrendWorker = { number, reads }
  self.postMessage(answer)
}
