// All the times of one step, group or journey, as a picture of their distribution draws them.
import { decodeHdr } from '../measure/hdr.js'
import type { BoundedCells } from '../measure/bounds.js'
import { pool } from '../measure/cells.js'
import type { RunShape } from '../measure/shape.js'
import type { RunResult } from '../judge/result-schema.js'
import { bytesOfBase64 } from '../numbers/base64.js'
import { Distribution } from '../numbers/distribution.js'
import type { PercentileName } from './summaries.js'

export interface TimesOf {
  kind: 'step' | 'group' | 'journey'
  name: string
}

export interface TimesPicture {
  count: number
  /** In ms, as every table has them; null for one that has no time beyond it. */
  percentiles: Record<PercentileName, number | null>
  /** Nearest-rank percentiles, ten to each power of ten of the tail; the last is the largest time. */
  curve: { percent: number; ms: number }[]
  /** How many times lie between bounds that grow by one factor. */
  bars: { fromMs: number; toMs: number; count: number }[]
}

const POINTS_PER_DECADE = 10
const BARS = 48

/** The times of a recording within some phases; null where there are none. */
export function timesIn(
  recording: BoundedCells,
  shape: RunShape,
  { kind, name }: TimesOf,
  isPhase: (phase: number) => boolean,
): Distribution {
  if (kind === 'step') {
    const step = shape.steps.findIndex((one) => one.name === name)
    const cells = [...recording.steps.values()].filter((cell) => cell.step === step && isPhase(cell.phase))
    return pool(cells.map(({ responseTime }) => responseTime))
  }
  const scope = (kind === 'group' ? shape.groups : shape.journeys).indexOf(name)
  const cells = [...(kind === 'group' ? recording.groups : recording.journeys).values()]
  return pool(cells.filter((cell) => cell.scope === scope && isPhase(cell.phase)).map(({ time }) => time))
}

/**
 * The times of a step over the measured phases of a result.
 *
 * @param step - by its name
 * @returns in ms; empty for a step that is not in the result
 */
export function timesInResult(result: RunResult, step: string): Distribution {
  const measured = new Set(result.phases.filter((phase) => phase.measured).map(({ name }) => name))
  return pool(
    result.histograms
      .filter((one) => one.step === step && measured.has(one.phase))
      .map(({ data }) => decodeHdr(bytesOfBase64(data))),
  )
}

/** A distribution as it is drawn; null where it is empty. */
export function pictureOfTimes(times: Distribution): TimesPicture | null {
  if (times.count === 0) return null
  const values = [...times.values()]
  return {
    count: times.count,
    percentiles: percentilesOf(times),
    curve: curveOfTimes(times, values),
    bars: barsOf(times, values),
  }
}

function percentilesOf(times: Distribution): TimesPicture['percentiles'] {
  const of = (name: PercentileName) => {
    const beyond = times.count * (1 - Number(name) / 100)
    return beyond < 1 - 1e-9 && times.count > 1 ? null : times.percentile(Number(name)) / 1000
  }
  return { '50': of('50'), '75': of('75'), '90': of('90'), '95': of('95'), '99': of('99'), '99.9': of('99.9') }
}

type Values = readonly (readonly [valueUs: number, count: number])[]

function curveOfTimes(times: Distribution, values: Values): TimesPicture['curve'] {
  const curve: TimesPicture['curve'] = []
  let [seen, place] = [0, -1]
  const msAtRank = (rank: number): number => {
    while (seen < rank && place < values.length - 1) {
      place++
      seen += values[place]?.[1] ?? 0
    }
    const ms = rank >= times.count ? times.largest : (values[place]?.[0] ?? NaN)
    return Math.min(times.largest, Math.max(times.least, ms)) / 1000
  }
  for (let point = 0; ; point++) {
    const tail = 10 ** (-point / POINTS_PER_DECADE)
    // One value has no tail beyond it.
    if (tail * times.count < 1) break
    const percent = 100 * (1 - tail)
    curve.push({ percent, ms: msAtRank(Math.max(1, Math.ceil((1 - tail) * times.count - 1e-9))) })
  }
  const last = 100 * (1 - 1 / times.count)
  curve.push({ percent: Math.max(last, curve.at(-1)?.percent ?? 0), ms: times.largest / 1000 })
  return curve
}

function barsOf(times: Distribution, values: Values): TimesPicture['bars'] {
  const [least, largest] = [Math.max(1, times.least), Math.max(1, times.largest)]
  const span = Math.log(largest / least)
  const count = span === 0 ? 1 : BARS
  const bars = Array.from({ length: count }, (_, bar) => ({
    fromMs: (least * Math.exp((span * bar) / count)) / 1000,
    toMs: (least * Math.exp((span * (bar + 1)) / count)) / 1000,
    count: 0,
  }))
  for (const [value, seen] of values) {
    const place = span === 0 ? 0 : Math.floor((Math.log(Math.max(1, value) / least) / span) * count)
    const bar = bars[Math.min(count - 1, Math.max(0, place))]
    if (bar !== undefined) bar.count += seen
  }
  return bars
}
