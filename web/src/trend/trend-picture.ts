// One figure over runs as a strip shows it: where each run stands, its interval, the limit, levels and changes.
import { formatValue, GRADES, isRuleFromBelow, type TrendChange, type TrendRead } from '@jolt-gate/core'
import type { Trend, TrendRun, TrendSeries } from '@jolt-gate/core/api'

export interface TrendDot {
  run: number
  x: number
  y: number
  /** Ends of its interval; undefined where it has none. */
  low: number | undefined
  high: number | undefined
  look: 'held' | 'breached' | 'not counted'
  words: string
}

export interface TrendPicture {
  key: string
  kind: 'gate' | 'step' | 'impact'
  title: string
  /** The limit as it is written, and the figure of the last run. */
  note: string
  last: string
  dots: TrendDot[]
  limit: { y: number; words: string } | undefined
  levels: { fromX: number; toX: number; y: number }[]
  changes: (TrendChange & { x: number })[]
  unit: TrendSeries['unit']
}

export const STRIP_HEIGHT = 82
const EDGE = 14
/** The room above the highest value and below the lowest. */
const HEADROOM = 12

/** What a void or a stopped run measured is not to be relied on. */
export const countsIn = ({ verdict }: Pick<TrendRun, 'verdict'>): boolean => verdict === 'open' || verdict === 'shut'

/** Where a run stands, with all runs evenly apart. */
export const xOf = (run: number, runs: number, width: number): number =>
  EDGE + (runs < 2 ? 0.5 : run / (runs - 1)) * Math.max(0, width - 2 * EDGE)

/** One series among the others: a gate may be on what a step has, too. */
export const keyOf = ({ rule, name }: Pick<TrendSeries, 'rule' | 'name'>): string => rule ?? name

/** Until it is computed. */
const NOT_READ: TrendRead = { changes: [], levels: [] }

export function pictureOf(
  series: TrendSeries,
  runs: readonly TrendRun[],
  width: number,
  { changes, levels }: TrendRead = NOT_READ,
): TrendPicture {
  const counts = runs.map(countsIn)
  const values = series.points.map((point) => point?.value ?? null)
  const limit = series.points.findLast((point) => point?.limit != null)?.limit ?? null
  const y = scaleOf(
    [...values, limit],
    series.points.map((point) => point?.high ?? null),
  )
  const x = (run: number) => xOf(run, runs.length, width)
  const dots = series.points.flatMap((point, run): TrendDot[] => {
    if (point === null || point.value === null) return []
    const { value, low, high, status } = point
    const look = counts[run] !== true ? 'not counted' : status === 'breached' ? 'breached' : 'held'
    const number = String(runs[run]?.number ?? '')
    return [
      {
        ...{ run, look, x: x(run), y: y(value) },
        low: low === null ? undefined : y(low),
        high: high === null ? undefined : y(high),
        words: `run ${number}: ${formatValue(value, series.unit)}${look === 'not counted' ? ', not counted' : ''}`,
      },
    ]
  })
  const lastValue = values.findLast((value) => value !== null)
  return {
    key: keyOf(series),
    kind: series.kind,
    title: series.name,
    note: series.rule === null ? 'no gate' : series.rule.slice(series.name.length).trim(),
    last: lastValue == null ? 'not measured' : formatValue(lastValue, series.unit),
    dots,
    limit: limit === null ? undefined : { y: y(limit), words: formatValue(limit, series.unit) },
    levels: levels.map(({ from, to, level }) => ({ fromX: x(from) - 8, toX: x(to) + 8, y: y(level) })),
    changes: changes.map((change) => ({ ...change, x: (x(change.last) + x(change.first)) / 2 })),
    unit: series.unit,
  }
}

/** From nothing to the highest value or limit; intervals have room to half as much again, and are cut there. */
function scaleOf(values: readonly (number | null)[], highs: readonly (number | null)[]): (value: number) => number {
  const largest = (all: readonly (number | null)[]) =>
    all.reduce<number>((highest, value) => Math.max(highest, value ?? 0), 0)
  const most = Math.max(largest(values), Math.min(1.5 * largest(values), largest(highs)))
  const room = STRIP_HEIGHT - 2 * HEADROOM
  return (value) => STRIP_HEIGHT - HEADROOM - (most === 0 ? 0 : Math.min(1, Math.max(0, value / most)) * room)
}

/** The impact of each run, a step higher for each grade. */
export function impactPicture(runs: readonly TrendRun[], width: number): TrendPicture | undefined {
  const places = runs.map(({ impact }) => GRADES.findIndex((grade) => grade === impact))
  if (places.every((place) => place < 0)) return undefined
  const dots = places.flatMap((place, run): TrendDot[] =>
    place < 0
      ? []
      : [
          {
            ...{ run, low: undefined, high: undefined },
            x: xOf(run, runs.length, width),
            y: STRIP_HEIGHT - HEADROOM - (place / (GRADES.length - 1)) * (STRIP_HEIGHT - 2 * HEADROOM),
            look: !countsIn(runs[run] ?? { verdict: null }) ? 'not counted' : place > 1 ? 'breached' : 'held',
            words: `run ${String(runs[run]?.number ?? '')}: ${GRADES[place] ?? ''}`,
          },
        ],
  )
  const last = GRADES[places.findLast((place) => place >= 0) ?? 0] ?? ''
  return {
    ...{ key: 'impact', kind: 'impact', title: 'impact', note: 'steady at the bottom, lost at the top', last, dots },
    ...{ limit: undefined, levels: [], changes: [], unit: 'value' },
  }
}

/** One change in words. */
export interface ChangeWords {
  key: string
  series: string
  title: string
  detail: string
  /** Numbers of the runs between which it lies, and their ids. */
  runs: [last: TrendRun, first: TrendRun]
  commits: string
  isWorse: boolean
}

/** All changes of the strips, the latest first. */
export function changesIn(
  pictures: readonly TrendPicture[],
  series: readonly TrendSeries[],
  runs: Trend['runs'],
): ChangeWords[] {
  return pictures
    .flatMap((picture) => {
      const of = series.find((one) => keyOf(one) === picture.key)
      return picture.changes.map((change) => ({ picture, of, change }))
    })
    .toSorted((one, other) => other.change.first - one.change.first)
    .flatMap(({ picture, of, change }): ChangeWords[] => {
      const [last, first] = [runs[change.last], runs[change.first]]
      if (last === undefined || first === undefined) return []
      const isUp = change.after > change.before
      return [
        {
          key: `${picture.key} ${first.id}`,
          series: picture.title,
          title: `${picture.title} ${isUp ? 'rose' : 'fell'}${shareWords(change)}`,
          detail: `${formatValue(change.before, picture.unit)} to ${formatValue(change.after, picture.unit)}, between run ${String(last.number)} and run ${String(first.number)}`,
          runs: [last, first],
          commits: commitWords(last.commit, first.commit),
          isWorse: isUp !== isBetterHigh(of),
        },
      ]
    })
}

/** A throughput or a score is better when it is higher, and so is whatever a gate holds from below. */
function isBetterHigh(series: TrendSeries | undefined): boolean {
  if (series === undefined) return false
  if (series.rule !== null) return isRuleFromBelow(series.rule)
  return series.unit === '/s' || series.unit === 'score'
}

const shareWords = ({ before, after }: TrendChange): string =>
  before === 0 ? ' from nothing' : ` by ${String(Math.round((100 * Math.abs(after - before)) / Math.abs(before)))} %`

function commitWords(before: string | null, after: string | null): string {
  if (before === null || after === null) return 'commits unknown'
  return before === after ? `both at ${after.slice(0, 7)}` : `${before.slice(0, 7)} … ${after.slice(0, 7)}`
}
