// Values that a plan draws, held against the distributions that its words promise, with the statistics of a library.
import jstat from 'jstat'
import { describe, expect, it } from 'vitest'
import { Draws, makeValue, pickIndex, waitMs, type Maker } from '../src/index.js'

const STARTED = Date.UTC(2026, 10, 26, 12)
const MANY = 20_000
type Made = Parameters<typeof makeValue>[0]

/** What iterations of one user draw at one place. */
const drawn = <T>(draw: (draws: Draws) => T, count = MANY): T[] =>
  Array.from({ length: count }, (_, iteration) => draw(new Draws(7).at(1, iteration, 3)))
const numbers = (maker: Made) => drawn((draws) => Number(makeValue(maker, draws, STARTED)))
const texts = (maker: Made, count = MANY) =>
  drawn((draws) => {
    const made = makeValue(maker, draws, STARTED)
    if (typeof made !== 'string') throw new TypeError('no text was made')
    return made
  }, count)
const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
const countBy = <T>(values: readonly T[]): Map<T, number> => {
  const counts = new Map<T, number>()
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + 1)
  return counts
}

/** Pearson's test of fit (1900): the chance of counts that differ from what was expected as much as these. */
function fit(counts: readonly number[], expected: readonly number[]): number {
  const statistic = counts.reduce((sum, count, index) => {
    const due = expected[index] ?? NaN
    return sum + (count - due) ** 2 / due
  }, 0)
  return 1 - jstat.chisquare.cdf(statistic, counts.length - 1)
}

describe('a drawn value', () => {
  it('of whole numbers takes each with the same chance, both ends included', () => {
    const counts = countBy(numbers({ kind: 'whole', from: 1, to: 6 }))

    expect([...counts.keys()].sort((a, b) => a - b)).toEqual([1, 2, 3, 4, 5, 6])
    expect(fit([...counts.values()], Array<number>(6).fill(MANY / 6))).toBeGreaterThan(0.001)
  })

  it('of decimals is uniform between its ends, with its places', () => {
    const values = numbers({ kind: 'decimal', from: 2, to: 4, places: 2 })
    const counts = Array.from({ length: 10 }, (_, tenth) => {
      const [from, to] = [2 + tenth * 0.2, 2.2 + tenth * 0.2]
      return values.filter((value) => value >= from && (value < to || tenth === 9)).length
    })

    expect(values.every((value) => value >= 2 && value <= 4 && Number(value.toFixed(2)) === value)).toBe(true)
    expect(Math.min(...counts)).toBeGreaterThan(MANY / 10 - 5 * Math.sqrt(MANY / 10))
  })

  it('of the normal distribution has it, by its deciles', () => {
    const values = numbers({ kind: 'normal', mean: 100, sd: 15 })
    const counts = Array<number>(10).fill(0)
    for (const value of values) {
      const tenth = Math.min(9, Math.floor(10 * jstat.normal.cdf(value, 100, 15)))
      counts[tenth] = (counts[tenth] ?? 0) + 1
    }

    expect(fit(counts, Array<number>(10).fill(MANY / 10))).toBeGreaterThan(0.001)
  })

  it('of text has its length and lower-case letters, each as often as another', () => {
    const made = texts({ kind: 'text', length: 8 }, 4000)
    const counts = countBy(made.join('').split(''))

    expect(made.every((text) => /^[a-z]{8}$/.test(text))).toBe(true)
    expect(fit([...counts.values()], Array<number>(26).fill((8 * 4000) / 26))).toBeGreaterThan(0.001)
  })

  // RFC 9562, sections 5.4 and 5.7: version and variant at their places, the time of version 7 in its first 48 bits.
  it('of UUIDs has the form of its version, and that of version 7 the time of the run', () => {
    const four = texts({ kind: 'uuid', version: 'v4' })
    const seven = texts({ kind: 'uuid', version: 'v7' })

    expect(four.every((id) => /^[\da-f]{8}-[\da-f]{4}-4[\da-f]{3}-[89ab][\da-f]{3}-[\da-f]{12}$/.test(id))).toBe(true)
    expect(seven.every((id) => /^[\da-f]{8}-[\da-f]{4}-7[\da-f]{3}-[89ab][\da-f]{3}-[\da-f]{12}$/.test(id))).toBe(true)
    expect(new Set([...four, ...seven]).size).toBe(2 * MANY)
    expect(parseInt((seven[0] ?? '').replaceAll('-', '').slice(0, 12), 16)).toBe(STARTED)
  })

  it('of dates is counted from the start of the run, in its zone', () => {
    const date = (days: number, zone?: string): Made => ({ kind: 'date', days, format: 'yyyy-MM-dd', zone })
    const [draws] = drawn((one) => one, 1)
    if (draws === undefined) throw new Error('no draws')

    expect(makeValue(date(0), draws, STARTED)).toBe('2026-11-26')
    expect(makeValue(date(5), draws, STARTED)).toBe('2026-12-01')
    // Noon in London is the next day in Auckland (UTC+13 in November).
    expect(makeValue(date(0, 'Pacific/Auckland'), draws, STARTED)).toBe('2026-11-27')
  })

  it('is the same for the same seed, user, iteration and place, and another where one of them is', () => {
    const maker: Maker = { kind: 'whole', from: 0, to: 1e9 }
    const at = (seed: number, user: number, iteration: number, place: number) =>
      makeValue(maker, new Draws(seed).at(user, iteration, place), STARTED)

    expect(at(7, 1, 2, 3)).toBe(at(7, 1, 2, 3))
    expect(new Set([at(7, 1, 2, 3), at(8, 1, 2, 3), at(7, 2, 2, 3), at(7, 1, 3, 3), at(7, 1, 2, 4)]).size).toBe(5)
  })
})

describe('a weighted pick', () => {
  it('takes each by its weight, and never one of none', () => {
    const counts = countBy(drawn((draws) => pickIndex([6, 0, 3, 1], draws)))

    expect(counts.get(1)).toBeUndefined()
    const seen = [0, 2, 3].map((index) => counts.get(index) ?? 0)
    expect(fit(seen, [0.6 * MANY, 0.3 * MANY, 0.1 * MANY])).toBeGreaterThan(0.001)
  })
})

describe('a wait', () => {
  it('between two times is uniform there, and between one time and itself is that time', () => {
    const waits = drawn((draws) => waitMs({ kind: 'between', fromMs: 1000, toMs: 3000 }, draws))

    expect(Math.min(...waits)).toBeGreaterThanOrEqual(1000)
    expect(Math.max(...waits)).toBeLessThan(3000)
    expect(mean(waits)).toBeGreaterThan(1980)
    expect(mean(waits)).toBeLessThan(2020)
    expect(drawn((draws) => waitMs({ kind: 'between', fromMs: 400, toMs: 400 }, draws), 3)).toEqual([400, 400, 400])
  })

  // A log-normal wait of median m and spread s: half are under m, and 68.27 % within m·e^-s and m·e^s.
  it('about a time has it as its median, and two thirds within its spread', () => {
    const waits = drawn((draws) => waitMs({ kind: 'about', medianMs: 2000, spread: 0.5 }, draws))
    const share = (from: number, to: number) => waits.filter((ms) => ms >= from && ms < to).length / MANY

    expect(Math.abs(share(0, 2000) - 0.5)).toBeLessThan(0.015)
    expect(Math.abs(share(2000 / Math.exp(0.5), 2000 * Math.exp(0.5)) - 0.6827)).toBeLessThan(0.015)
  })
})
