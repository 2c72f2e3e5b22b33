// Changes of level over runs: found where they are, and not where there are none.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  alarmOf,
  Draws,
  FALSE_ALARMS,
  LEAST_RUNS,
  levelChanges,
  levelsOf,
  readAlarm,
  readTrends,
} from '../src/index.js'
import { NILE } from './nile.js'

/** Runs about a level, with the spread of a response time. */
const runs = (draws: Draws, count: number, level: number, spread = 0.03): number[] =>
  Array.from({ length: count }, () => level * Math.exp(spread * draws.nextNormal()))
/** The same, of which now and then one takes twice as long. */
const wildRuns = (draws: Draws, count: number, level: number, spread: number): number[] =>
  runs(draws, count, level, spread).map((value) => (draws.next() < 0.03 ? 2 : 1) * value)
/** Runs each of which resembles the one before it, as those of one day do. */
const resembling = (draws: Draws, count: number, correlation: number): number[] => {
  let level = draws.nextNormal()
  return Array.from({ length: count }, () => {
    level = correlation * level + Math.sqrt(1 - correlation ** 2) * draws.nextNormal()
    return 210 * Math.exp(0.08 * level)
  })
}
const drawsOf = (seed: number) => new Draws(seed).at(0, 0, 0)

describe('a change of level', () => {
  // G. W. Cobb, "The problem of the Nile", 1978: the flow falls with 1899, the year after that in which the works of
  // the first dam at Aswan began.
  it('of the Nile is between 1898 and 1899, and there is no other', () => {
    const [change, ...others] = levelChanges(NILE)

    expect(others).toEqual([])
    expect(1871 + (change?.at ?? 0)).toBe(1899)
    expect(change?.before).toBeGreaterThan(1050)
    expect(change?.after).toBeLessThan(900)
  })

  it.each([
    ['that lasts', [13, 13], [13]],
    ['of the last four runs', [22, 4], [22]],
    ['in the middle that is mended again', [13, 4, 9], [13, 17]],
  ])('%s is found at its run, nine times in ten', (_, lengths, expected) => {
    let found = 0
    for (let seed = 1; seed <= 20; seed++) {
      const draws = drawsOf(seed)
      const values = lengths.flatMap((length, index) => runs(draws, length, index % 2 === 0 ? 210 : 320))
      if (JSON.stringify(levelChanges(values).map(({ at }) => at)) === JSON.stringify(expected)) found++
    }

    expect(found).toBeGreaterThanOrEqual(18)
  })

  it.each([
    ['as runs vary', 0.03],
    ['as runs on a noisy machine vary', 0.3],
  ])('is not reported where there is none, %s, more often than is promised', (_, spread) => {
    const SERIES = 400
    let alarms = 0
    for (let seed = 1; seed <= SERIES; seed++)
      if (levelChanges(wildRuns(drawsOf(1000 + seed), 26, 210, spread)).length > 0) alarms++

    // The binomial law: more than this would be seen once in a thousand times if the promise holds.
    expect(alarms).toBeLessThanOrEqual(SERIES * FALSE_ALARMS + 3.1 * Math.sqrt(SERIES * FALSE_ALARMS))
  })

  it.each([
    [26, 0.3, 0.1],
    [60, 0.5, 0.05],
    [60, 0.7, 0.08],
  ])(
    'is hardly reported where runs resemble those before them: %i runs, correlation %f',
    (count, correlation, most) => {
      const SERIES = 150
      let alarms = 0
      for (let seed = 1; seed <= SERIES; seed++)
        if (levelChanges(resembling(drawsOf(seed), count, correlation)).length > 0) alarms++

      expect(alarms / SERIES).toBeLessThanOrEqual(most)
    },
  )

  it('that lasts is found in such runs, too', () => {
    let found = 0
    for (let seed = 1; seed <= 40; seed++) {
      const values = resembling(drawsOf(500 + seed), 60, 0.5)
      if (levelChanges(values.map((value, run) => (run < 30 ? 1 : 1.3) * value)).length > 0) found++
    }

    expect(found).toBeGreaterThanOrEqual(36)
  })

  it('that lasts is found beside a wild run as well', () => {
    const draws = drawsOf(9)
    const values = [...runs(draws, 13, 210), ...runs(draws, 13, 260)]
    values[4] = 900

    expect(levelChanges(values).map(({ at }) => at)).toEqual([13])
  })

  it('is not made of one wild run, nor of two, nor of a difference that matters to nobody', () => {
    const still = (draws: Draws) => runs(draws, 13, 210, 0.001)
    const draws = drawsOf(5)

    expect(levelChanges([...still(draws), 900, 950, ...still(draws)])).toEqual([])
    expect(levelChanges([...runs(draws, 13, 200, 0.0001), ...runs(draws, 13, 208, 0.0001)])).toEqual([])
    expect(levelChanges(Array<number>(30).fill(5))).toEqual([])
    expect(levelChanges([])).toEqual([])
  })

  it('from nothing is told: failures that begin', () => {
    const values = [...Array<number>(12).fill(0), ...Array<number>(8).fill(0.03)]

    expect(levelChanges(values).map(({ at, before, after }) => [at, before, after])).toEqual([[12, 0, 0.03]])
  })
})

describe('whatever the series', () => {
  const anySeries = fc.array(fc.double({ min: 0, max: 1000, noNaN: true }), { maxLength: 24 })

  it('stretches are of four runs or more, and the levels cover each run once', () => {
    fc.assert(
      fc.property(anySeries, (values) => {
        const changes = levelChanges(values)
        const levels = levelsOf(values, changes)

        expect(levels.reduce((sum, { from, to }) => sum + to - from, 0)).toBe(values.length)
        if (changes.length > 0) for (const { from, to } of levels) expect(to - from).toBeGreaterThanOrEqual(LEAST_RUNS)
      }),
    )
  })

  it('another unit changes nothing but the unit', () => {
    fc.assert(
      fc.property(anySeries, (values) => {
        const changes = levelChanges(values)
        const scaled = levelChanges(values.map((value) => 8 * value))

        expect(scaled.map(({ at, p }) => [at, p])).toEqual(changes.map(({ at, p }) => [at, p]))
      }),
      { numRuns: 40 },
    )
  })
})

describe('many figures of a plan', () => {
  it('have hardly one found that has not shifted, and the one that has', () => {
    const counts = Array<boolean>(26).fill(true)
    let [falsely, rightly] = [0, 0]
    for (let seed = 1; seed <= 20; seed++) {
      const draws = drawsOf(7000 + seed)
      const figures = Array.from({ length: 60 }, (_, index) =>
        index === 0 ? [...runs(draws, 13, 210), ...runs(draws, 13, 260)] : runs(draws, 26, 210, 0.08),
      )
      const [shifted, ...others] = readTrends(figures, counts)
      if ((shifted?.changes.length ?? 0) > 0) rightly++
      falsely += others.filter(({ changes }) => changes.length > 0).length
    }

    // Without the correction one figure in a hundred is: 12 of these 1180.
    expect(falsely).toBeLessThanOrEqual(3)
    expect(rightly).toBe(20)
  })
})

describe('an alarm', () => {
  it.each([
    [0, 0.03],
    [0.3, 0.15],
  ])('is looked for after each of 100 runs that resemble one another by %f, and hardly ever raised', (r, most) => {
    const SERIES = 40
    let alarms = 0
    for (let seed = 1; seed <= SERIES; seed++) {
      const values = resembling(drawsOf(9000 + seed), 108, r)
      const looks = Array.from({ length: 100 }, (_, look) => values.slice(Math.max(0, look - 41), look + 9))
      if (looks.some((seen) => alarmOf(seen) !== undefined)) alarms++
    }

    expect(alarms / SERIES).toBeLessThanOrEqual(most)
  })

  it('is raised within ten runs where a figure is a third higher', () => {
    const raised = Array.from({ length: 20 }, (_, seed) => {
      const draws = drawsOf(300 + seed)
      const values = [...runs(draws, 20, 210, 0.05), ...runs(draws, 10, 280, 0.05)]
      return Array.from({ length: 10 }, (_, look) => alarmOf(values.slice(0, 21 + look))).some(Boolean)
    })

    expect(raised.filter(Boolean).length).toBeGreaterThanOrEqual(19)
  })
})

describe('a figure over runs', () => {
  it('leaves out runs that do not count, and names those that do', () => {
    const values: (number | null)[] = [...Array<number>(8).fill(210), ...Array<number>(14).fill(320)].map(
      (value, run) => value + (run % 3),
    )
    const counts = values.map(() => true)
    // A void run with a wild figure in each stretch, and one between them; a run without the figure.
    values.splice(8, 0, 5000)
    counts.splice(8, 0, false)
    values[3] = 9000
    counts[3] = false
    values[12] = null

    const [read] = readTrends([values], counts)
    const { changes, levels } = read ?? { changes: [], levels: [] }

    expect(readAlarm(values, counts)).toEqual(changes[0])
    expect(changes.map(({ last, first }) => [last, first])).toEqual([[7, 9]])
    expect(levels.map(({ from, to }) => [from, to])).toEqual([
      [0, 7],
      [9, 22],
    ])
    expect(levels.map(({ level }) => Math.round(level))).toEqual([211, 321])
  })
})
